import type { Fault } from '../settle/faults.js'
import { fs } from './builtins.js'

/** A layer file holds settings, not data: one over this size is a mistake, such as a dump under the wrong name. */
const fileBytesMax = 8 * 1024 * 1024

/**
 * A file's text: undefined if there is none, a fault if there is one that cannot be read as text.
 * `name` is what messages call it.
 */
export function readTextFile(path: string, name: string): string | Fault | undefined {
  try {
    // Asking first is cheaper than an exception for each layer file that a project does not have.
    const stats = fs.statSync(path, { throwIfNoEntry: false })
    if (!stats) return undefined
    if (stats.isDirectory()) return directory(name)
    if (stats.size > fileBytesMax) return tooLarge(name)
    const text = stats.isFile() ? fs.readFileSync(path, 'utf8') : undefined
    // U+FFFD stands in the file itself, or for bytes that are no UTF-8; only then are the bytes looked at.
    return text === undefined || text.includes('\ufffd') ? readCarefully(path, name) : text
  } catch (error) {
    const code = codeOf(error)
    return code === 'ENOENT' || code === 'ENOTDIR' ? undefined : unopened(name, code)
  }
}

function readCarefully(path: string, name: string): string | Fault {
  const file = fs.openSync(path, 'r')
  try {
    const bytes = readBytes(file, 64 * 1024)
    if (bytes.length > fileBytesMax) return tooLarge(name)
    return isUtf8(bytes) ? bytes.toString('utf8') : notText(name, bytes)
  } finally {
    fs.closeSync(file)
  }
}

/** Reads to the end, one byte past the limit at most: a named pipe does not say its size, and a device has no end. */
function readBytes(file: number, expected: number): Buffer {
  let bytes = Buffer.allocUnsafe(expected + 1)
  let length = 0
  for (;;) {
    const read = fs.readSync(file, bytes, length, bytes.length - length, null)
    length += read
    if (read === 0 || length > fileBytesMax) return bytes.subarray(0, length)
    if (length === bytes.length) bytes = Buffer.concat([bytes, Buffer.allocUnsafe(bytes.length)])
  }
}

function directory(name: string): Fault {
  return unreadableFault(name, `${name} must be a file, and is a directory.`, `Rename it: mv ${name} ${name}.d`)
}

function tooLarge(name: string): Fault {
  return unreadableFault(
    name,
    `${name} must be at most 8 MiB, and is larger.`,
    'Keep settings in it, and data elsewhere.',
  )
}

function unopened(name: string, code: string): Fault {
  const why = {
    EACCES: 'this user may not read it',
    EPERM: 'this user may not read it',
    ELOOP: 'it is a link that leads to itself',
  }[code]
  return unreadableFault(
    name,
    `${name} cannot be read: ${why ?? `the system says ${code}`}.`,
    code === 'EACCES' ? `Let this user read it: chmod u+r ${name}` : 'Mend or remove it.',
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
      `${name} must be UTF-8 text, and is not${wide ? '; it looks like UTF-16' : ''}.`,
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

/** The names in a directory, sorted; none for one that is not there or may not be listed. */
export function namesIn(directory: string): readonly string[] {
  try {
    return fs.readdirSync(directory).sort()
  } catch {
    return []
  }
}

/** Whether a path leads to a directory. */
export function isDirectory(file: string): boolean {
  try {
    return fs.statSync(file, { throwIfNoEntry: false })?.isDirectory() ?? false
  } catch {
    return false
  }
}
