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

/** A statement with its line, if it has that to itself, and with the comment above it if that goes, too. */
export function lineOf(
  { start, end }: { readonly start: number; readonly end: number },
  text: string,
  withComment = false,
): { readonly start: number; readonly end: number } {
  const before = /(?:^|\n)[ \t]*$/.exec(text.slice(Math.max(0, start - 200), start))
  const after = /^[ \t]*\r?\n/.exec(text.slice(end, end + 200))
  if (!before || !after) return { start, end }
  const first = start - (before[0].length - (before[0].startsWith('\n') ? 1 : 0))
  const above = withComment ? aboveLength(text.slice(Math.max(0, first - commentMax), first)) : 0
  return { start: first - above, end: end + after[0].length }
}

/** What a comment says of a value: what it is, and where a person gets it. */
export interface ValueComment {
  readonly description?: string
  readonly obtain?: string
}

/**
 * The comment above a value's line, or behind it: of several lines the first sentences. Undefined where it is about the code rather than the
 * value, holds code, or something that looks random.
 */
export function saidOf(
  text: string,
  { start, end }: { readonly start: number; readonly end: number },
): ValueComment | undefined {
  const lineStart = text.lastIndexOf('\n', start - 1) + 1
  const lineEnd = text.indexOf('\n', end)
  const rest = text.slice(end, lineEnd < 0 ? end + aroundMax : Math.min(lineEnd, end + aroundMax))
  const behind = /^[^'"`]{0,40}?\/\/(?!\/)\s*(\S.*)$/.exec(rest.replace(/\r$/, ''))?.[1]
  const said = behind ?? textAbove(text.slice(Math.max(0, lineStart - commentMax), lineStart))
  if (said === undefined) return undefined
  const link = /https?:\/\/[^\s<>"')\]]*[^\s<>"')\].,;:]/.exec(said)?.[0]
  const plain = said
    .replace(/\{@link\s+[^}]*\}/g, '')
    .replace(/(?:\b(?:see|get|obtain|one|it|yours|from|at|docs?|here)\b[^.\w]*)*https?:\/\/\S+\s*$/i, '')
    .replace(/\s+/g, ' ')
    .trim()
    .replace(/[\s:–-]+$/, '')
  const isAside =
    !/\S \S/.test(plain) ||
    plain.length > descriptionMax ||
    /mappa keep|eslint|@ts-|prettier|biome|istanbul|c8 |todo|fixme|xxx|hack|hard-?coded|change (?:this|me)|configurable|\bnote\b|license|copyright|@\w+|^[-=*#/\s]*$/i.test(
      said,
    ) ||
    // Questions, examples and advice are about more than the value.
    /[?'"`[\]]|https?:|\b(?:you|we|these|those|should|i\.e|e\.g)\b/i.test(plain) ||
    /[;{}=<>]|=>|\(\)|^\W*(?:if|const|let|var|return|import|export|function|await)\b/.test(plain) ||
    // What may be a key, a password or a part of one.
    /[A-Za-z0-9+/_-]{20,}|(?=\S*\d)(?=\S*[a-z])[\w!#%&*+./@^~-]{8,}|\b(?:pass\w*|pwd|secret|token|key|is|was)\b['"]?\s*[:=]/i.test(
      plain,
    )
  // An address may open something by itself.
  const opens = /[@?#]|[A-Za-z0-9]{24,}|\/(?=[^/]*\d)(?=[^/]*[A-Za-z])[\w-]{8,}(?:\/|$)/.test(link ?? '')
  const obtain = link === undefined || opens || link.length > 200 ? undefined : link
  const description = isAside ? undefined : plain
  return description === undefined && obtain === undefined
    ? undefined
    : { ...(description !== undefined && { description }), ...(obtain !== undefined && { obtain }) }
}

/** The length of what `textAbove` takes. */
function aboveLength(text: string): number {
  return (/[ \t]*\/\*(?:(?!\*\/)[\s\S])*\*\/[ \t]*\r?\n$/.exec(text) ?? lineComments.exec(text) ?? [''])[0].length
}

const lineComments = /(?:^[ \t]*\/\/.*\r?\n)+(?![\s\S])/m

/** A block or lines of comments that end right above. */
function textAbove(text: string): string | undefined {
  const [, block] = /\/\*\*?((?:(?!\*\/)[\s\S])*)\*\/[ \t]*\r?\n$/.exec(text) ?? []
  if (block !== undefined)
    return block
      .split('\n')
      .map((line) => line.replace(/^\s*\*?\s?/, '').trim())
      .filter((line) => line !== '')
      .join(' ')
  const [lines] = lineComments.exec(text) ?? []
  return lines
    ?.split('\n')
    .map((line) => line.replace(/^\s*\/\/+\s?/, '').trim())
    .filter((line) => line !== '')
    .join(' ')
}

/** Longer comments are about more than a value. Characters. */
const commentMax = 800
const descriptionMax = 160
