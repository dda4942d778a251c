/** `NAME=value` in front of a command. */
export interface Assignment {
  readonly name: string
  readonly value: string
  /** The value with its quotes, and the whole. */
  readonly written: string
  readonly text: string
}

/** A word of a command. Offsets are into the command line. */
export interface ShellWord {
  /** The text without its quotes. */
  readonly text: string
  readonly start: number
  readonly end: number
  /** True if only a shell can tell its text. */
  readonly computed: boolean
}

/** One simple command, with what is set in front of it. Offsets are into the command line, `[start, end)`. */
export interface SimpleCommand {
  readonly start: number
  readonly commandStart: number
  readonly end: number
  /** The sign between the command before and this one: `&&`, `;`, `|`; empty for the first. */
  readonly joint: string
  /** A program that does nothing but set them, such as `env`. */
  readonly setter: readonly string[]
  readonly assignments: readonly Assignment[]
  readonly words: readonly ShellWord[]
  /** The source file that it starts, if it names one. */
  readonly program: string | undefined
}

/** A word of a shell command: pieces in quotes and out of them (POSIX.1-2017, Shell Command Language, 2.2). */
const word = /(?:\$\([^()]*\)|`[^`]*`|[^\s'"&|;()<>\\`]|\\.|'[^']*'|"(?:[^"\\]|\\.)*")+/y
const blank = /[ \t]*/y
const rest = /(?:\$\([^()]*\)|`[^`]*`|[^'"&|;\n`]|'[^']*'|"(?:[^"\\]|\\.)*")*/y
/** A redirection: not a word of the command. */
const redirection = /\d*(?:<<?|>>?)&?\s*(?:[^\s'"&|;()<>]|'[^']*'|"[^"]*")*/y

/** A longer script is made by a program, and its patterns would need as deep a stack. Characters. */
const commandMax = 100_000

/** The simple commands of a command line; those without words only set something. */
export function commandsIn(command: string): SimpleCommand[] {
  const found: SimpleCommand[] = []
  if (command.length > commandMax) return found
  let at = 0
  let joint = ''
  const read = (pattern: RegExp) => {
    pattern.lastIndex = at
    const text = pattern.exec(command)?.[0] ?? ''
    at += text.length
    return text
  }
  while (at < command.length) {
    read(blank)
    const start = at
    const assignments: Assignment[] = []
    let setter: string[] = []
    let commandStart = at
    for (let text = read(word); text !== ''; text = read(word)) {
      const [, name, written = ''] = /^([A-Za-z_][A-Za-z0-9_]*)=(.*)$/s.exec(text) ?? []
      if (name !== undefined) assignments.push({ name, written, value: unquoted(written), text })
      else if (assignments.length === 0 && setter.length === 0 && isSetter(text)) setter = [text]
      else break
      read(blank)
      commandStart = at
    }
    at = commandStart
    read(rest)
    const words = wordsIn(command, commandStart, at)
    const program = words.find(({ text }) => /^[^\s]+\.[cm]?[jt]sx?$/.test(text))?.text
    if (words.length + assignments.length > 0)
      found.push({
        start,
        commandStart,
        end: at,
        joint,
        setter,
        assignments,
        words,
        program: program?.replace(/^\.\//, ''),
      })
    // A sign between commands; or a quote that never closes.
    joint = read(/[&|;\n]+/y)
    if (joint === '') at++
  }
  return found
}

function isSetter(text: string): boolean {
  return /^(?:[a-z]+-)?env(?:-shell)?$/.test(text)
}

function wordsIn(command: string, start: number, end: number): ShellWord[] {
  const words: ShellWord[] = []
  let at = start
  const read = (pattern: RegExp) => {
    pattern.lastIndex = at
    const text = pattern.exec(command)?.[0] ?? ''
    at += text.length
    return text
  }
  while (at < end) {
    if (read(/[\s()]+/y) !== '' || read(redirection) !== '') continue
    const from = at
    const text = read(word)
    if (text === '') at++
    else words.push({ text: unquoted(text), start: from, end: at, computed: isComputed(text) })
  }
  return words
}

/** Tells whether only a shell can tell the text of a word: it expands a variable, runs a command, or names several files. */
export function isComputed(written: string): boolean {
  return /[$`]|(?<!\\)[*?]/.test(written.replace(/'[^']*'|\\./g, ''))
}

export function unquoted(written: string): string {
  return written.replace(
    /'([^']*)'|"((?:[^"\\]|\\.)*)"|\\(.)/g,
    (_, single?: string, double?: string, escaped?: string) =>
      single ?? double?.replace(/\\(["\\$`])/g, '$1') ?? escaped ?? '',
  )
}
