/** Stands for a value that may not be shown. */
export const masked = '(secret)'

/** A range of a text: `[start, end)`, in UTF-16 code units. */
export interface Range {
  readonly start: number
  readonly end: number
}

/** A text with these ranges masked, which come in order; what overlaps is masked once. */
export function withRangesMasked(text: string, ranges: readonly Range[]): string {
  if (ranges.length === 0) return text
  let shown = ''
  let at = 0
  for (const { start, end } of ranges) {
    if (end <= at) continue
    // A match that overlaps or touches a masked one belongs to it.
    if (start > at || at === 0) shown += text.slice(at, start) + masked
    at = end
  }
  return shown + text.slice(at)
}
