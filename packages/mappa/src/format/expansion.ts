import type { Style } from './item-kinds.js'

/** How an expansion treats a name that is unset, or with a colon also an empty one. POSIX, section 2.6.2. */
export type Operator = '' | '-' | ':-' | ':?' | ':+'

/** `${NAME}`, `${NAME-word}`, `${NAME:-word}`, `${NAME:?message}` or `${NAME:+word}`. */
export interface Expansion {
  readonly name: string
  readonly operator: Operator
  readonly word: readonly Part[]
}

/** A piece of a value: text as it is, or something to be expanded. */
export type Part = string | Expansion

/** A `$NAME` without braces, which stays text. Offsets are into the value as written. */
export interface BareDollar {
  readonly name: string
  readonly start: number
}

/** The parts of a value, or the offset of an invalid expansion. */
export type Parsed =
  | { readonly parts: readonly Part[]; readonly bare: readonly BareDollar[] }
  | { readonly flawAt: number }

/** Nobody nests words deeper by hand, and a limit keeps evaluation from exhausting the stack. */
const nestingMax = 100

/** At most this many names after dollar signs are kept of one value; more are data. */
const bareMax = 100

/** The meaning of a backslash and a character in double quotes. */
export const escapes: Readonly<Record<string, string>> = { n: '\n', r: '\r', t: '\t', '"': '"', '\\': '\\', $: '$' }

/** Names behind a dollar sign; nobody has longer ones, and a text of dollar characters must not be walked again and again. */
const bareName = /[A-Za-z_][A-Za-z0-9_]{0,199}/y
const meaningful = /[$}'"\\\r]/g
const head = /\$\{([A-Za-z_][A-Za-z0-9_]*)(:-|-|:\?|:\+|(?=\}))/y

interface Frame {
  readonly start: number
  readonly name: string
  readonly operator: Operator
  readonly parts: Part[]
}

/**
 * Takes a value apart, as written, quotes included: docs/format.md. Only a value that starts with a quote has pieces, which
 * join as in a shell. `onExpansion` gets each name and its offset.
 */
export function parseParts(written: string, style: Style, onExpansion?: (name: string, start: number) => void): Parsed {
  const open: Frame[] = []
  const bare: BareDollar[] = []
  let parts: Part[] = []
  let text = ''
  /** Start of the literal text that was not copied yet: most of a value is literal. */
  let run = 0
  const names = new Set<string>()
  /** Inside double quotes, how many expansions were open where they began: those inside must be closed within. */
  let outer: number | undefined
  let at = 0
  const take = () => {
    if (at > run) text += written.slice(run, at)
  }
  const flush = () => {
    if (text !== '') parts.push(text)
    text = ''
  }
  while (at < written.length) {
    const char = written[at] as string
    const quoted = outer !== undefined
    const next = written[at + 1]
    if (style !== 'bare' && !quoted && char === "'") {
      take()
      const close = written.indexOf("'", at + 1)
      text += written.slice(at + 1, close).replaceAll('\r\n', '\n')
      at = close + 1
      run = at
    } else if (style !== 'bare' && char === '"') {
      // Inside double quotes a word has none of its own: the quote would end the piece before the expansion ends.
      if (outer !== undefined && open.length > outer) return { flawAt: (open.at(-1) as Frame).start }
      take()
      outer = quoted ? undefined : open.length
      at++
      run = at
    } else if (style !== 'bare' && char === '\\' && next !== undefined && (!quoted || next in escapes)) {
      take()
      text += quoted ? escapes[next] : next
      at += 2
      run = at
    } else if (quoted && char === '\r' && next === '\n') {
      take()
      at++
      run = at
    } else if (char === '$' && next === '{') {
      head.lastIndex = at
      const [all, name, operator] = head.exec(written) ?? []
      if (all === undefined || name === undefined || open.length === nestingMax) return { flawAt: at }
      onExpansion?.(name, at)
      take()
      flush()
      open.push({ start: at, name, operator: operator as Operator, parts })
      parts = []
      at += all.length
      run = at
    } else if (char === '}' && open.length > (outer ?? 0)) {
      take()
      flush()
      const { name, operator, parts: before } = open.pop() as Frame
      before.push({ name, operator, word: parts })
      parts = before
      at++
      run = at
    } else if (char === '$') {
      bareName.lastIndex = at + 1
      const name = names.size < bareMax ? bareName.exec(written)?.[0] : undefined
      // One of each name is enough to say what is wrong.
      if (name && !names.has(name)) bare.push({ name, start: at })
      if (name) names.add(name)
      at++
    } else {
      // One that means nothing here, and all up to the next that could mean something.
      meaningful.lastIndex = at + 1
      at = meaningful.test(written) ? meaningful.lastIndex - 1 : written.length
    }
  }
  take()
  flush()
  const unclosed = open[0]
  return unclosed ? { flawAt: unclosed.start } : { parts, bare }
}

/** The text of a value with its expansions left as they stand; for values that hold none, and for editing. */
export function unexpanded(parts: readonly Part[]): string {
  return parts
    .map((part) => (typeof part === 'string' ? part : `\${${part.name}${part.operator}${unexpanded(part.word)}}`))
    .join('')
}
