/**
 * Where an offset is, and what comments say of it.
 * Called only for what was found: in a file of one long line, looking round each literal would take for ever.
 */
export function placeIn(text: string, at: number) {
  const around = linesAround(text, at)
  return {
    around,
    kept: keepComment.test(around),
    line: text.slice(0, at).split('\n').length,
    column: at - text.lastIndexOf('\n', at - 1),
  }
}

const keepComment = /\/[/*] ?mappa keep: ?\S/

/** The line of an offset and the one above it, for comments. */
function linesAround(text: string, at: number): string {
  const start = text.lastIndexOf('\n', at - 1)
  const before = start <= 0 ? 0 : text.lastIndexOf('\n', start - 1) + 1
  const end = text.indexOf('\n', at)
  const above = text.slice(before, Math.max(start, 0))
  // A line of code above has comments of its own.
  const comment = /^\s*(?:\/\/|\/\*|\*)/.test(above) ? above : ''
  return `${comment}\n${text.slice(start + 1, end < 0 ? text.length : end)}`
}
