/**
 * Where an offset is, and what comments say of it.
 * Called only for what was found: in a file of one long line, looking round each literal would take for ever.
 */
export function placeIn(text: string, at: number) {
  const around = linesAround(text, at)
  return { around, kept: keepComment.test(around), ...lineAndColumn(text, at) }
}

/** The line and column of an offset, both from 1. Asked again and again of one text, it takes no longer for a long one. */
export function lineAndColumn(text: string, at: number): { readonly line: number; readonly column: number } {
  const starts = lineStarts(text)
  const line = lineAt(starts, at)
  return { line, column: at - (starts[line - 1] ?? 0) + 1 }
}

const keepComment = /\/[/*] ?mappa keep: ?\S/

/** So far from what was found comments are searched for. Characters. */
const aroundMax = 500

/** The line of an offset and the one above it, for comments. */
function linesAround(text: string, at: number): string {
  const start = Math.max(text.lastIndexOf('\n', at - 1), at - aroundMax)
  const before = start <= 0 ? 0 : Math.max(text.lastIndexOf('\n', start - 1) + 1, start - aroundMax)
  const end = text.indexOf('\n', at)
  const above = text.slice(before, Math.max(start, 0))
  // A line of code above has comments of its own.
  const comment = /^\s*(?:\/\/|\/\*|\*)/.test(above) ? above : ''
  return `${comment}\n${text.slice(start + 1, Math.min(end < 0 ? text.length : end, at + aroundMax))}`
}

/** Finds where the lines of a text start. What is found comes file by file, so those of one text are kept. */
function lineStarts(text: string): readonly number[] {
  if (known.text === text) return known.starts
  const starts = [0]
  for (let at = text.indexOf('\n'); at >= 0; at = text.indexOf('\n', at + 1)) starts.push(at + 1)
  known = { text, starts }
  return starts
}

let known: { readonly text: string; readonly starts: readonly number[] } = { text: '', starts: [0] }

/** The line of an offset, from 1. */
function lineAt(starts: readonly number[], at: number): number {
  let [low, high] = [0, starts.length]
  while (high - low > 1) {
    const middle = (low + high) >> 1
    if ((starts[middle] ?? 0) <= at) low = middle
    else high = middle
  }
  return low + 1
}

/** A statement with its line, if it has that to itself. */
export function lineOf(
  { start, end }: { readonly start: number; readonly end: number },
  text: string,
): { readonly start: number; readonly end: number } {
  const before = /(?:^|\n)[ \t]*$/.exec(text.slice(Math.max(0, start - 200), start))
  const after = /^[ \t]*\r?\n/.exec(text.slice(end, end + 200))
  if (!before || !after) return { start, end }
  return { start: start - (before[0].length - (before[0].startsWith('\n') ? 1 : 0)), end: end + after[0].length }
}
