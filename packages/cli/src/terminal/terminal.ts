import { type Paint, printable } from 'mappa'
import pico from 'picocolors'

/** Where a command's text goes, and how wide and how coloured it may be. */
export interface Terminal {
  readonly width: number
  readonly paint: Paint
  write(text: string): void
}

/** Standard output: what a command was asked for. */
export const output = (): Terminal => terminalOf(process.stdout)
/** Standard error: talk, and everything of `mappa with`, whose standard output is its child's. */
export const talk = (): Terminal => terminalOf(process.stderr)

/** Hands a file's text on, sign for sign; only a terminal gets it without what that would obey. */
export function handOver(text: string): void {
  process.stdout.write(process.stdout.isTTY === true ? harmless(text) : text)
}

/** Whether a person is there to answer questions. */
export function isAsked(): boolean {
  return process.stdin.isTTY === true && process.stdout.isTTY === true
}

function terminalOf(stream: NodeJS.WriteStream): Terminal {
  const coloured = stream.isTTY === true && !process.env.NO_COLOR && process.env.TERM !== 'dumb'
  const { bold, dim, red, yellow } = pico.createColors(coloured)
  return {
    width: Math.min(stream.columns ?? 100, 100),
    paint: { bold, dim, red, yellow },
    write: (text) => stream.write(harmless(text)),
  }
}

/** What colours are switched with, and nothing else that begins with an escape sign. */
const ours = '(\\u001b\\[(?:1|2|22|31|33|39)m)'
const colours = new RegExp(ours)

/**
 * The one way out: nothing that a terminal obeys is written but line ends, tabs and our colours, whatever a value, a name or
 * a path holds.
 */
export function harmless(text: string): string {
  if (!/[^\n\t\x20-\x7e]/.test(text)) return text
  return text
    .split(colours)
    .map((part) => (colours.test(part) ? part : part.replace(/[^\n\t]+/g, printable)))
    .join('')
}

/** A document as JSON, in which no sign stands that a terminal obeys. */
export function jsonText(value: unknown): string {
  const text = JSON.stringify(value, null, 2)
  return `${text.replace(/[\u007f-\u009f\u061c\u200e\u200f\u2028-\u202e\u2066-\u2069]/g, escaped)}\n`
}

function escaped(sign: string): string {
  return `\\u${sign.charCodeAt(0).toString(16).padStart(4, '0')}`
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

/** A line on a terminal that says after a second how far something is; told often, and gone at the end. */
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
