import type { Fault } from '../../settle/faults/faults.js'
import { fs } from './builtins.js'
import { oddText, type ReadOptions, unopened } from './unreadable.js'

export type { ReadOptions } from './unreadable.js'

/** A layer file holds settings, not data: one over this size is a mistake, such as a dump under the wrong name. */
export const fileBytesMax = 8 * 1024 * 1024

/**
 * The one way in which files are read: undefined if there is none, a fault if there is one that cannot be read as text.
 * `name` is what messages call it. Nothing that lies in a project makes it wait or read for ever: its kind and size are
 * looked at once it is open, and it is opened without waiting for anyone who else has it.
 */
export function readTextFile(file: string, name: string, options: ReadOptions = {}): string | Fault | undefined {
  try {
    // Asking first is cheaper than an exception for each layer file that a project does not have. What is there costs no more
    // than a yes, and what is not said to be may be out of reach.
    if (!fs.existsSync(file) && !fs.statSync(file, { throwIfNoEntry: false })) return undefined
    const { O_RDONLY, O_NONBLOCK = 0, O_NOCTTY = 0 } = fs.constants
    const handle = fs.openSync(file, O_RDONLY | O_NONBLOCK | O_NOCTTY)
    try {
      return textOf(handle, name, options)
    } finally {
      fs.closeSync(handle)
    }
  } catch (error) {
    const { code } = error as NodeJS.ErrnoException
    return code === 'ENOENT' || code === 'ENOTDIR' ? undefined : unopened(name, code)
  }
}

function textOf(handle: number, name: string, options: ReadOptions): string | Fault {
  const { most = fileBytesMax } = options
  const stats = fs.fstatSync(handle)
  if (stats.isFile() && stats.size > 0 && stats.size <= most) {
    const text = fs.readFileSync(handle, 'utf8')
    // U+FFFD is in the file itself, or for bytes that are not UTF-8; only then are the bytes looked at.
    if (!text.includes('\ufffd')) return text
  }
  // Files that a system makes up as they are read do not tell their size.
  if (stats.isFile() && stats.size === 0 && fs.readSync(handle, new Uint8Array(1), 0, 1, 0) === 0) return ''
  return oddText(handle, name, { ...options, most })
}

/** The text of a file as it is found; undefined for one that is not there, is not one, or cannot be read as text. */
export function textAt(file: string, most?: number): string | undefined {
  const text = readTextFile(file, file, most === undefined ? {} : { most })
  return typeof text === 'string' ? text : undefined
}

/** The bytes of a regular file, whatever it holds; undefined for one that is not there, is not one, or cannot be read. */
export function bytesAt(file: string): Uint8Array | undefined {
  try {
    return fs.statSync(file).isFile() ? fs.readFileSync(file) : undefined
  } catch {
    return undefined
  }
}

/** Finds where a path leads, its links followed; the path itself if it leads nowhere. */
export function realOf(file: string): string {
  try {
    return fs.realpathSync(file)
  } catch {
    return file
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

/** Tells whether a path leads to a directory. */
export function isDirectory(file: string): boolean {
  try {
    return fs.statSync(file, { throwIfNoEntry: false })?.isDirectory() ?? false
  } catch {
    return false
  }
}
