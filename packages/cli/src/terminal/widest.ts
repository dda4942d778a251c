/** The length of the longest text, 0 without one. Spread over the arguments of a call, some 100,000 would not fit. */
export function widest(texts: Iterable<string>): number {
  let most = 0
  for (const { length } of texts) if (length > most) most = length
  return most
}
