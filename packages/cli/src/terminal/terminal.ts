import { type Paint, printable } from 'mappa'
import pico from 'picocolors'
import { escapedCharacter, withEscapes } from './escapes.js'

/** A command's output, with its width and colours. */
export interface Terminal {
  readonly width: number
  readonly paint: Paint
  write(text: string): void
}

/** Standard output: what a command was asked for. */
export const output = (): Terminal => terminalOf(process.stdout, () => (hasPrinted = true))
/** Standard error: talk, and everything of `mappa with`, whose standard output is its child's. */
export const talk = (): Terminal => terminalOf(process.stderr, (text) => (said += text))

let [hasPrinted, said] = [false, '']

/** Text that this run has written so far. */
export function outputSoFar(): { readonly hasPrinted: boolean; readonly said: string } {
  return { hasPrinted, said }
}

/** Begins anew: one process may run the command many times. */
export function forget(): void {
  hasPrinted = false
  said = ''
}

/** Hands a file's text on, sign for sign; only a terminal gets it without what that would obey. */
export function printExact(text: string): void {
  hasPrinted = true
  process.stdout.write(process.stdout.isTTY === true ? harmless(text) : text)
}

/** Tells whether a person is there to answer questions. */
export function isAsked(): boolean {
  return process.stdin.isTTY === true && process.stdout.isTTY === true
}

function terminalOf(stream: NodeJS.WriteStream, note: (text: string) => void): Terminal {
  const { bold, dim, red, magenta } = pico.createColors(isColoured(stream))
  return {
    // A terminal that nobody has sized says 0.
    width: Math.min(stream.columns || 100, 100),
    // Both are readable on a white and on a black ground, as terminals draw them: yellow and green are not.
    paint: { bold, dim, fault: red, notice: magenta },
    write: (text) => {
      note(text)
      stream.write(harmless(text))
    },
  }
}

/** `NO_COLOR` and `FORCE_COLOR` decide, in this order; else a terminal that knows colours gets them. */
function isColoured({ isTTY }: NodeJS.WriteStream): boolean {
  const { NO_COLOR: never, FORCE_COLOR: always, TERM: terminal } = process.env
  if (never) return false
  if (always !== undefined) return always !== '0' && always !== 'false'
  return isTTY === true && terminal !== 'dumb'
}

/** The escape sequences of our colours, and no others. */
const ours = '(\\u001b\\[(?:1|2|22|31|35|39)m)'
const colours = new RegExp(ours)

/**
 * The one way out: nothing that a terminal or a CI system obeys is written but line ends, tabs and our colours, whatever a
 * value, a name or a path holds.
 */
export function harmless(text: string): string {
  if (!/[^\n\t\x20-\x7e]|^\s*::|##/m.test(text)) return text
  return text
    .split(colours)
    .map((part) => (colours.test(part) ? part : part.replace(/[^\n\t]+/g, printable)))
    .join('')
}

/** A document as JSON, in which nothing stands that a terminal or a CI system obeys. */
export function jsonText(value: unknown): string {
  const text = JSON.stringify(value, null, 2)
  return `${withEscapes(text).replace(/#(?=#)/g, escapedCharacter)}\n`
}

/** Milliseconds after which a person wonders whether anything happens. */
const patience = 1000
const step = 100

/**
 * Hands items on, and after a second says on a terminal how many there were; the line is gone at the end. With `lines`, where
 * there is no terminal, a line is written each second.
 */
export function* counting<T>(items: Iterable<T>, text: (count: number) => string, lines = false): Generator<T> {
  const { stderr } = process
  if (!stderr.isTTY && !lines) return yield* items
  const [before, after, pause] = stderr.isTTY ? ['\r', '', step] : ['', '\n', patience]
  let next = Date.now() + patience
  let [count, shown] = [0, false]
  for (const item of items) {
    yield item
    count++
    if (Date.now() < next) continue
    next = Date.now() + pause
    shown = stderr.isTTY
    stderr.write(`${before}${text(count)}${after}`)
  }
  if (shown) stderr.write('\r\u001b[K')
}

/** A line on a terminal that says after a second how far something is; updated often, and removed at the end. */
export interface Progress {
  (count: number): void
  end(): void
}

export function progress(text: (count: number) => string): Progress {
  const { stderr } = process
  let next = Date.now() + patience
  let shown = false
  const tell = (count: number) => {
    if (!stderr.isTTY || Date.now() < next) return
    next = Date.now() + step
    shown = true
    stderr.write(`\r${text(count)}`)
  }
  const end = () => {
    if (shown) stderr.write('\r\u001b[K')
  }
  return Object.assign(tell, { end })
}
