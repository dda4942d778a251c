import fs from 'node:fs'
import path from 'node:path'
import { besideName } from './lock.js'

/** The mode and owner of a file. */
export interface FileStats {
  readonly mode: number
  readonly uid: number
  readonly gid: number
}

/** A name for a temporary file beside a file. */
export function freshBeside(target: string): string {
  return path.join(path.dirname(target), besideName(`${process.pid}-${Math.random().toString(36).slice(2)}`))
}

/** Writes a new file with a text, on the disk and with its mode; `stats` are those of the file that it will replace. */
export function writeFresh(
  fresh: string,
  content: string | Uint8Array,
  mode: number,
  stats?: Pick<FileStats, 'uid' | 'gid'>,
): void {
  const file = fs.openSync(fresh, 'wx', 0o600)
  try {
    fs.writeFileSync(file, content)
    if (stats) keepOwner(file, stats)
    fs.fchmodSync(file, mode)
    fs.fsyncSync(file)
  } catch (error) {
    fs.rmSync(fresh, { force: true })
    throw error
  } finally {
    fs.closeSync(file)
  }
}

/** Gives a file a content in one step, or removes it with null. */
export function put(target: string, content: Uint8Array | null, mode: number): void {
  if (content === null) {
    fs.rmSync(target, { force: true })
    return
  }
  const fresh = freshBeside(target)
  writeFresh(fresh, content, mode, fs.statSync(target, { throwIfNoEntry: false }))
  try {
    fs.renameSync(fresh, target)
  } catch (error) {
    fs.rmSync(fresh, { force: true })
    throw error
  }
}

/** Only the superuser may give files away; another's file that one may write to becomes one's own, as editors do it. */
function keepOwner(file: number, { uid, gid }: Pick<FileStats, 'uid' | 'gid'>): void {
  try {
    fs.fchownSync(file, uid, gid)
  } catch {}
}
