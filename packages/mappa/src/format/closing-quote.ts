/**
 * Offset of the double quote that closes a text begun before `from`, in which a backslash makes the next character ordinary; -1 if
 * none does. A pattern with a choice in a loop would need a stack as deep as the text is long.
 */
export function closingQuote(text: string, from: number): number {
  for (let at = text.indexOf('"', from); at >= 0; at = text.indexOf('"', at + 1)) {
    let slashes = 0
    while (at - slashes > from && text[at - slashes - 1] === '\\') slashes++
    if (slashes % 2 === 0) return at
  }
  return -1
}
