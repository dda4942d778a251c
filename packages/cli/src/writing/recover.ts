import fs from 'node:fs'
import path from 'node:path'
import { livenessOf } from './owner.js'
import { put } from './put.js'
import {
  contentAt,
  type FileRecord,
  lastFile,
  openRecords,
  type Recorded,
  sumOf,
  syncFolder,
  type TransactionRecord,
  writeRecord,
} from './record.js'

/** Where a file stands: as before the transaction, as after it, or as somebody has made it since. */
export type FileState = 'before' | 'after' | 'other'

export function stateOf({ path: file, sums }: FileRecord): FileState {
  let sum: string | null
  try {
    const content = contentAt(file)
    sum = content === undefined ? null : sumOf(content)
  } catch {
    // No file any more, or not for this user.
    return 'other'
  }
  return sum === sums[1] ? 'after' : sum === sums[0] ? 'before' : 'other'
}

/** Folders of all files of a record, which must be locked before it is ended. */
export function foldersOf({ files }: TransactionRecord): string[] {
  return [...new Set(files.map((each) => path.dirname(each.path)))].filter((folder) => fs.existsSync(folder))
}

/** What became of a transaction that somebody left open. */
export interface Recovered {
  readonly command: string
  readonly outcome: 'taken back' | 'finished'
  readonly files: number
  /** Files that somebody has changed since; they stay. */
  readonly left: readonly string[]
}

/** Transactions in a folder whose process is gone; those of which nobody here can say whether it runs are apart. */
export function abandonedIn(
  folder: string,
  within: string,
): { readonly gone: Recorded[]; readonly elsewhere: Recorded[] } {
  // The user's state folder has those of other projects, too.
  const own = openRecords(folder).filter(({ record }) => `${record.root}${path.sep}`.startsWith(within + path.sep))
  const all = own.map((each) => ({ each, liveness: livenessOf(each.record.owner) }))
  const of = (wanted: string) => all.flatMap(({ each, liveness }) => (liveness === wanted ? [each] : []))
  return { gone: of('gone'), elsewhere: of('elsewhere') }
}

/**
 * Ends a transaction that was left open, whole or not at all: taken back, or finished where all of it is there, or where a part
 * that cannot be taken back is. May be broken off and called again.
 */
export function recover({ file, record }: Recorded): Recovered {
  const { files } = record
  const states = files.map((each) => ({ each, state: stateOf(each) }))
  const isForward =
    states.every(({ state }) => state === 'after') ||
    states.some(({ each, state }) => each.forgets && state === 'after')
  const left: string[] = []
  let moved = 0
  for (const { each, state } of states) {
    if (state === 'other') left.push(each.path)
    else if ((state === 'before') === isForward) {
      const content = isForward ? each.after : each.before
      if (content !== undefined)
        put(each.path, content === null ? null : Buffer.from(content, 'base64'), each.mode ?? 0o600)
      moved++
    }
  }
  for (const { fresh } of files) if (fresh !== undefined) fs.rmSync(fresh, { force: true })
  if (isForward) endRecord(file, record)
  else {
    removeFolders(record.folders)
    fs.rmSync(file, { force: true })
  }
  for (const folder of foldersOf(record)) syncFolder(folder)
  const outcome = isForward ? 'finished' : 'taken back'
  return { command: record.command, outcome, files: moved, left: left.map((each) => path.relative(record.root, each)) }
}

/** Makes the record of a transaction that is done the last one of its project, without what is never kept. */
export function endRecord(file: string, record: TransactionRecord): void {
  const target = lastFile(path.dirname(file), record.root)
  writeRecord(target, joinedRecord(target, record))
  fs.rmSync(file, { force: true })
}

/** Several transactions of one run are taken back together. */
function joinedRecord(target: string, record: TransactionRecord): TransactionRecord {
  const files = record.files.map(({ fresh: _, after: __, ...each }) => each)
  const earlier = earlierOf(target)
  if (earlier?.run !== record.run) return { ...record, files }
  const kept = earlier.files.map((each): FileRecord => {
    const again = files.find((later) => later.path === each.path)
    return again ? { ...each, sums: [each.sums[0], again.sums[1]], ...(again.forgets && { forgets: true }) } : each
  })
  const others = files.filter((later) => kept.every((each) => each.path !== later.path))
  return {
    ...record,
    files: [...kept, ...others].map((each) => (each.forgets ? withoutOld(each) : each)),
    folders: [...new Set([...earlier.folders, ...record.folders])],
  }
}

function withoutOld({ before: _, ...each }: FileRecord): FileRecord {
  return each
}

function earlierOf(target: string): TransactionRecord | undefined {
  try {
    return JSON.parse(fs.readFileSync(target, 'utf8')) as TransactionRecord
  } catch {
    return undefined
  }
}

/** Removes folders that were made, the innermost first, as far as they are empty. */
export function removeFolders(folders: readonly string[]): void {
  for (const folder of [...folders].reverse())
    try {
      fs.rmdirSync(folder)
    } catch {}
}
