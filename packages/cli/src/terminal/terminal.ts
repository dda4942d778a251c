import { writeSync } from 'node:fs'
import { isatty } from 'node:tty'
import { inspect } from 'node:util'
import { type Paint, printable } from 'mappa'
import { escapedCharacter, withEscapes } from './escapes.js'

/** A command's output, with its width and colours. */
export interface Terminal {
  readonly width: number
  readonly paint: Paint
  write(text: string): void
}

/** Standard output: what a command was asked for. */
export const output = (): Terminal => terminalOf(1, () => (hasPrinted = true))
/** Standard error: talk, and everything of `mappa with`, whose standard output is its child's. */
export const talk = (): Terminal => terminalOf(2, (text) => (said += text))

let [hasPrinted, said] = [false, '']
/** True while a child may use this process's descriptors. */
let isShared = false
let isGuarded = false

/**
 * From now on a child has this process's descriptors. Node makes a pipe non-blocking as soon as its stream is looked at, and
 * with it the child's end: programs that do not expect that lose what they read or write. So no stream is looked at any more.
 */
export function shareDescriptors(): void {
  isShared = true
}

/** The stream of a descriptor; only terminals and the command's own output need one. */
function streamOf(descriptor: 1 | 2): NodeJS.WriteStream {
  if (descriptor === 2) return process.stderr
  // A reader of the output may stop early, as head does; that is not an error.
  if (!isGuarded)
    process.stdout.on('error', (error: NodeJS.ErrnoException) => {
      if (error.code !== 'EPIPE') throw error
    })
  isGuarded = true
  return process.stdout
}

/** Writes all of a text to a descriptor that others use, too, and that one of them may have made non-blocking. */
function writeWhole(descriptor: number, text: string): void {
  for (let rest = Buffer.from(text); rest.length > 0; )
    try {
      rest = rest.subarray(writeSync(descriptor, rest))
    } catch (error) {
      // Nobody reads it any more.
      if ((error as NodeJS.ErrnoException).code !== 'EAGAIN') return
      Atomics.wait(new Int32Array(new SharedArrayBuffer(4)), 0, 0, 10)
    }
}

/** Text that this run has written so far. */
export function outputSoFar(): { readonly hasPrinted: boolean; readonly said: string } {
  return { hasPrinted, said }
}

/** Begins anew: one process may run the command many times. */
export function forget(): void {
  hasPrinted = false
  said = ''
  isShared = false
  isGuarded = false
}

/** Prints a file's text, character for character; only a terminal gets it without what that would obey. */
export function printExact(text: string): void {
  hasPrinted = true
  streamOf(1).write(isatty(1) ? harmless(text) : text)
}

/** Tells whether a person is there to answer questions. */
export function isAsked(): boolean {
  return isatty(0) && isatty(1)
}

function terminalOf(descriptor: 1 | 2, note: (text: string) => void): Terminal {
  const isTerminal = isatty(descriptor)
  const paint = isColoured(isTerminal) ? painted : (_: Colour) => (text: string) => text
  return {
    // A terminal that nobody has sized says 0.
    width: Math.min((isTerminal && streamOf(descriptor).columns) || 100, 100),
    // Both are readable on a white and on a black ground, as terminals draw them: yellow and green are not.
    paint: { bold: paint('bold'), dim: paint('dim'), fault: paint('red'), notice: paint('magenta') },
    write: (text) => {
      note(text)
      if (isShared && !isTerminal) writeWhole(descriptor, harmless(text))
      else streamOf(descriptor).write(harmless(text))
    },
  }
}

type Colour = 'bold' | 'dim' | 'red' | 'magenta'

function painted(colour: Colour): (text: string) => string {
  const [on, off] = inspect.colors[colour] as [number, number]
  return (text) => `\u001b[${on}m${text}\u001b[${off}m`
}

/** `NO_COLOR` and `FORCE_COLOR` decide, in this order; else a terminal that knows colours gets them. */
function isColoured(isTerminal: boolean): boolean {
  const { NO_COLOR: never, FORCE_COLOR: always, TERM: terminal } = process.env
  if (never) return false
  if (always !== undefined) return always !== '0' && always !== 'false'
  return isTerminal && terminal !== 'dumb'
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
  const isTerminal = isatty(2)
  if (!isTerminal && !lines) return yield* items
  const { stderr } = process
  const [before, after, pause] = isTerminal ? ['\r', '', step] : ['', '\n', patience]
  let next = Date.now() + patience
  let [count, shown] = [0, false]
  for (const item of items) {
    yield item
    count++
    if (Date.now() < next) continue
    next = Date.now() + pause
    shown = isTerminal
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
  const isTerminal = isatty(2)
  let next = Date.now() + patience
  let shown = false
  const tell = (count: number) => {
    if (!isTerminal || Date.now() < next) return
    next = Date.now() + step
    shown = true
    process.stderr.write(`\r${text(count)}`)
  }
  const end = () => {
    if (shown) process.stderr.write('\r\u001b[K')
  }
  return Object.assign(tell, { end })
}
