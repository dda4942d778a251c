import type { Fault } from '../../settle/faults/faults.js'
import { fs } from './builtins.js'

/** A pipe that somebody names is waited for so long, until all has come. Milliseconds. */
const waitUsual = 5000
/** Pause between two looks at an empty pipe. Milliseconds. */
const pipePause = 5

/** Options of reading a file. */
export interface ReadOptions {
  /** True if a pipe will do, since the host or the command line names it: what is found must be a file. */
  readonly pipe?: boolean
  /** The most that is read, in bytes; what layer files may have by default. */
  readonly most?: number
  /** Limit for reading a pipe. Milliseconds; 5,000 by default. */
  readonly wait?: number
}

/**
 * What is in an open file that is not a plain text file: a pipe, something that does not say its size, or text with bytes that
 * are not UTF-8; or why it is not read.
 */
export function oddText(
  handle: number,
  name: string,
  { pipe = false, most, wait = waitUsual }: ReadOptions & { readonly most: number },
): string | Fault {
  const stats = fs.fstatSync(handle)
  if (stats.isDirectory()) return directory(name)
  if (!stats.isFile() && !(pipe && (stats.isFIFO() || stats.isSocket()))) return noFile(name)
  if (stats.size > most) return tooLarge(name, most)
  const bytes = readBytes(handle, most, stats.isFile() ? undefined : wait)
  if (bytes === undefined) return lateFault(name, wait)
  if (bytes.length > most) return tooLarge(name, most)
  return isUtf8(bytes) ? bytes.toString('utf8') : notText(name, bytes)
}

/**
 * Reads to the end, one byte past the limit at most: what a system makes up as it is read, and a pipe, do not say their
 * size. Undefined for a pipe that does not come to an end in time.
 */
function readBytes(handle: number, most: number, wait: number | undefined): Buffer | undefined {
  const isFile = wait === undefined
  const last = Date.now() + (wait ?? 0)
  let bytes = Buffer.allocUnsafe(64 * 1024)
  let length = 0
  for (;;) {
    // A file that was read already is read again from its start.
    const read = readSome(handle, bytes, length, isFile ? length : null)
    length += read ?? 0
    if (length > most) return bytes.subarray(0, length)
    if (read === undefined || (read === 0 && !isFile && length === 0)) {
      // Nobody writes to it yet, or nothing has come.
      if (Date.now() > last) return undefined
      Atomics.wait(new Int32Array(new SharedArrayBuffer(4)), 0, 0, pipePause)
    } else if (read === 0) return bytes.subarray(0, length)
    if (length === bytes.length) bytes = Buffer.concat([bytes, Buffer.allocUnsafe(bytes.length)])
  }
}

/** Tells how many bytes came; undefined if there is nothing yet. */
function readSome(handle: number, bytes: Buffer, at: number, position: number | null): number | undefined {
  try {
    return fs.readSync(handle, bytes, at, bytes.length - at, position)
  } catch (error) {
    if (codeOf(error) === 'EAGAIN') return undefined
    if (codeOf(error) === 'EOF') return 0
    throw error
  }
}

/** Why something that is waited for is given up. */
export function lateFault(name: string, wait: number): Fault {
  return unreadableFault(
    name,
    `${name} was not closed within ${wait / 1000} s.`,
    'Name a file, or a pipe that a program writes to and closes.',
  )
}

function noFile(name: string): Fault {
  return unreadableFault(name, `${name} must be a file, but is a device, a pipe or the like.`, 'Replace it by a file.')
}

function directory(name: string): Fault {
  return unreadableFault(name, `${name} must be a file, but is a directory.`, `Run: mv ${name} ${name}.d`)
}

/** Why something is not read to its end. */
export function tooLarge(name: string, most: number): Fault {
  const size = `${Math.round(most / 1024 / 1024)} MiB`
  return unreadableFault(name, `${name} is larger than ${size}.`, 'Keep only settings in it, and data elsewhere.')
}

/** Why a file cannot be opened, by what the system says. */
export function unopened(name: string, code = 'an unknown error'): Fault {
  const why = {
    EACCES: 'this user may not read it',
    EPERM: 'this user may not read it',
    ELOOP: 'it is a link to itself',
  }[code]
  return unreadableFault(
    name,
    `${name} cannot be read: ${why ?? `the system says ${code}`}.`,
    code === 'EACCES' ? `Run: chmod u+r ${name}` : 'Correct or remove it.',
  )
}

function notText(name: string, bytes: Buffer): Fault {
  const offset = firstBad(bytes)
  const before = bytes.subarray(0, offset)
  const line = before.toString('latin1').split('\n').length
  const column = before.subarray(before.lastIndexOf(10) + 1).toString('utf8').length + 1
  const wide = ['fffe', 'feff'].includes(bytes.toString('hex', 0, 2))
  return {
    ...unreadableFault(
      name,
      `${name} must be UTF-8 text, but ${wide ? 'looks like UTF-16' : 'is not'}.`,
      'Save it as UTF-8 in your editor.',
    ),
    place: { file: name, line, column, endColumn: column + 1 },
  }
}

/** The offset of the first byte that is not UTF-8, by halving: a prefix may end inside a character, so up to 3 bytes back count too. */
function firstBad(bytes: Buffer): number {
  let good = 0
  let bad = bytes.length
  while (bad - good > 1) {
    const middle = (good + bad) >> 1
    const fits = [0, 1, 2, 3].some((less) => middle - less >= good && isUtf8(bytes.subarray(0, middle - less)))
    if (fits) good = middle
    else bad = middle
  }
  while (good > 0 && !isUtf8(bytes.subarray(0, good))) good--
  return good
}

function unreadableFault(name: string, message: string, remedy: string): Fault {
  return { kind: 'unreadable', message, layer: name, remedy }
}

function codeOf(error: unknown): string {
  return (error as NodeJS.ErrnoException)?.code ?? 'an unknown error'
}

function isUtf8(bytes: Uint8Array): boolean {
  try {
    new TextDecoder('utf-8', { fatal: true }).decode(bytes)
    return true
  } catch {
    return false
  }
}
