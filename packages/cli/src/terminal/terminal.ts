import type { Paint } from 'mappa'
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

function terminalOf(stream: NodeJS.WriteStream): Terminal {
  const coloured = stream.isTTY === true && !process.env.NO_COLOR && process.env.TERM !== 'dumb'
  const { bold, dim, red, yellow } = pico.createColors(coloured)
  return {
    width: Math.min(stream.columns ?? 100, 100),
    paint: { bold, dim, red, yellow },
    write: (text) => stream.write(text),
  }
}

/** Milliseconds after which a person wonders whether anything happens. */
const patience = 1000
const step = 100

/** Hands items on, and after a second says on a terminal how many there were; the line is gone at the end. */
export function* counting<T>(items: Iterable<T>, text: (count: number) => string): Generator<T> {
  const { stderr } = process
  let next = Date.now() + patience
  let [count, shown] = [0, false]
  for (const item of items) {
    yield item
    count++
    if (!stderr.isTTY || Date.now() < next) continue
    next = Date.now() + step
    shown = true
    stderr.write(`\r${text(count)}`)
  }
  if (shown) stderr.write('\r\u001b[K')
}
