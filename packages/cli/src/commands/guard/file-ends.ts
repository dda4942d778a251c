import { closeSync, fstatSync, openSync, readSync, statSync } from 'node:fs'
import { headBytes } from './packings.js'

/** Limit for the end of a zip's directory, its comment included (APPNOTE 4.3.16). Bytes. */
export const endingMax = 0xffff + 22

/** How a file begins and ends, which tells how it is packed. */
export interface FileEnds {
  readonly head: Uint8Array
  /** A zip has its directory's end and a comment there. */
  readonly end: Buffer
}

const room = Buffer.alloc(headBytes + endingMax)

/** The ends of a regular file that can be read, until the next one is asked for. */
export function endsOf(path: string): FileEnds | undefined {
  let handle: number | undefined
  try {
    // A pipe would be waited for.
    if (!statSync(path).isFile()) return undefined
    handle = openSync(path, 'r')
    const { size } = fstatSync(handle)
    const head = room.subarray(0, readSync(handle, room, 0, headBytes, 0))
    if (size <= headBytes) return { head, end: head }
    const length = Math.min(size, endingMax)
    return { head, end: room.subarray(headBytes, headBytes + readSync(handle, room, headBytes, length, size - length)) }
  } catch {
    return undefined
  } finally {
    if (handle !== undefined) closeSync(handle)
  }
}
