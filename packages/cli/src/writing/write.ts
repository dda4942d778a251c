import fs from 'node:fs'
import path from 'node:path'
import { printable } from 'mappa'
import { repositoryTop } from 'mappa/command'
import { uninterrupted } from './interrupt.js'
import { type Lock, Locked, lockDirectories } from './lock.js'
import { isRunning, type Owner, thisOwner } from './owner.js'
import { type FileStats, freshBeside, put, writeFresh } from './put.js'
import {
  type FileRecord,
  openFile,
  presentRun,
  recordFolder,
  removeStale,
  sumOf,
  syncFolder,
  type TransactionRecord,
  writeRecord,
} from './record.js'
import { abandonedIn, endRecord, foldersOf, type Recovered, recover, removeFolders, stateOf } from './recover.js'

/** A file that is to hold a text. */
export interface FileWrite {
  /** Absolute, or from the working directory. Where a link leads is written, within the repository, and the link stays. */
  readonly path: string
  /** Null removes the file. */
  readonly text: string | Uint8Array | null
  /** The text that the new one was made from, null if there was no file; if the file holds another one now, nothing is written. */
  readonly before: string | Uint8Array | null
  /** True if the text holds secrets: then a new file is only for this user (mode 0600). */
  readonly secret?: boolean
  /** True if a new file is a program. */
  readonly executable?: boolean
  /** The mode that the file gets, if not its own. */
  readonly mode?: number
  /** True if the path was named by a person, so that it may lie outside the repository. */
  readonly outside?: boolean
  /** True if the old content is never kept: it holds a secret that is replaced. */
  readonly forgets?: boolean
}

export interface WriteOptions {
  /** Files that the texts were made from, as they were read: if one has changed, nothing is written. */
  readonly madeFrom?: readonly Pick<FileWrite, 'path' | 'before'>[]
  /** Folders that are made if they are not there, outermost first. */
  readonly folders?: readonly string[]
  /** Called with what became of a transaction that another process had left open. */
  readonly onRecovered?: (recovered: Recovered) => void
  /** Called with a file that got secrets, was there before, and keeps a mode by which others may read it. */
  readonly onReadable?: (path: string) => void
  /** True if a transaction that was left open elsewhere is taken back, too: a person has said so. */
  readonly endsElsewhere?: boolean
}

/** Why files could not be written. None of them was changed. */
export class WriteError extends Error {
  override readonly name = 'WriteError'
  constructor(
    message: string,
    readonly path: string,
  ) {
    super(printable(message))
  }
}

/** A write on its way: beside its target comes a file that holds the new text. */
interface Prepared {
  readonly given: FileWrite
  readonly record: FileRecord
  readonly mode: number
  readonly stats: FileStats | undefined
}

/**
 * The one way in which files of a project are written, all or none. Each is replaced in one step, so that anyone who reads it, and
 * anyone who pulls the plug, finds the old text or the new one and never a part; modes and owners stay. What is written is on
 * record until all of it is there: if this process is killed, the next one that writes takes the rest back, and with `undo` a
 * person can. A signal that comes meanwhile is heard before or after, never between. Only one process writes to a directory at a
 * time, and nothing is written through a link that leads out of the repository of `root`.
 * @throws {WriteError} naming the file that could not be written.
 * @throws {Interrupted} if a signal asked this process to end.
 */
export async function writeFiles(
  writes: readonly FileWrite[],
  root: string,
  options: WriteOptions = {},
): Promise<void> {
  if (writes.length === 0) return
  await uninterrupted(async (look) => {
    const top = path.resolve(root)
    const within = realOf(repositoryTop(top) ?? top)
    const made = (options.folders ?? []).filter((folder) => !fs.existsSync(folder))
    for (const folder of made) withSentence(folder, () => fs.mkdirSync(folder))
    let isDone = false
    try {
      await writeAll(writes, { root: realOf(top), within, made, look, options })
      isDone = true
      if (process.getuid === undefined) return
      for (const { path: file, secret, text } of writes)
        if (secret && text !== null && (fs.statSync(file).mode & 0o044) !== 0) options.onReadable?.(file)
    } finally {
      if (!isDone) removeFolders(made)
    }
  })
}

/** Tells whether a process that is gone has left something half written in a project. */
export function hasLeftOpen(root: string): boolean {
  const top = path.resolve(root)
  const folder = recordFolder(top)
  return folder !== undefined && abandonedIn(folder, realOf(repositoryTop(top) ?? top)).gone.length > 0
}

/** Ends what other processes have left open in a project, and writes nothing else. */
export async function endOpenWrites(root: string, options: WriteOptions): Promise<void> {
  await uninterrupted(async (look) => {
    const within = realOf(repositoryTop(path.resolve(root)) ?? path.resolve(root))
    const folder = recordFolder(root)
    if (folder === undefined) return
    const lock = await lockedAround([], folder, { root: realOf(path.resolve(root)), within, made: [], look, options })
    lock.release()
  })
}

interface WriteContext {
  readonly root: string
  readonly within: string
  readonly made: readonly string[]
  /** Throws once a signal has come. */
  readonly look: () => void
  readonly options: WriteOptions
}

async function writeAll(writes: readonly FileWrite[], context: WriteContext): Promise<void> {
  const { root, within, made, look, options } = context
  const targets = writes.map((write) => destinationWithin(write, within))
  const folder = withSentence(root, () => recordFolder(root, true))
  if (folder === undefined)
    throw new WriteError('No folder for a record of the changes can be written. Nothing was written.', root)
  const lock = await lockedAround(targets, folder, context)
  try {
    const prepared: Prepared[] = []
    for (const [at, write] of writes.entries()) prepared.push(prepare(write, targets[at] as string, prepared))
    for (const { path: given, before } of options.madeFrom ?? [])
      if (!hasText(bytesNow(given), before)) throw changedMeanwhile(given)
    // What stays the same is not written, so that undo still has what was.
    const changing = prepared.filter(({ record: { sums } }) => sums[0] !== sums[1])
    if (changing.length === 0) return
    // One that cannot be taken back comes last: as long as it is not there, all others can.
    const ordered = changing.sort((a, b) => Number(a.record.forgets ?? false) - Number(b.record.forgets ?? false))
    removeStale(folder)
    const record: TransactionRecord = {
      version: 1,
      ...presentRun(),
      at: new Date().toISOString(),
      root,
      owner: thisOwner(),
      files: ordered.map((each) => recordOf(each, ordered)),
      folders: made,
    }
    const file = openFile(folder, record.run)
    withSentence(file, () => writeRecord(file, record))
    try {
      for (const { given, record: own, mode, stats } of ordered) {
        // A signal that has come is heard here: so far only temporary files are there.
        await new Promise((resolve) => setImmediate(resolve))
        look()
        if (own.fresh !== undefined && given.text !== null)
          withSentence(given.path, () => writeFresh(own.fresh as string, given.text as string, mode, stats))
      }
      if (!lock.isHeld()) throw new WriteError('Another process took the lock. Nothing was written.', root)
      replaceAll(ordered)
    } catch (error) {
      for (const { record: own } of ordered) if (own.fresh !== undefined) fs.rmSync(own.fresh, { force: true })
      // What could not be taken back now stays on record, and the next one that writes tries again.
      if (ordered.every(({ record: own }) => stateOf(own) !== 'after')) fs.rmSync(file, { force: true })
      throw error
    }
    for (const each of new Set(targets.map((target) => path.dirname(target)))) syncFolder(each)
    endRecord(file, record)
  } finally {
    lock.release()
  }
}

/** Puts all files in their places, without a pause; those before one that cannot be get their old text back. */
function replaceAll(prepared: readonly Prepared[]): void {
  const done: Prepared[] = []
  try {
    for (const each of prepared) {
      const { fresh, path: target, sums } = each.record
      // Once more at the last moment: an editor knows of no lock.
      const now = bytesNow(target)
      if ((now === undefined ? null : sumOf(now)) !== sums[0]) throw changedMeanwhile(each.given.path)
      withSentence(each.given.path, () =>
        fresh === undefined ? fs.rmSync(target, { force: true }) : fs.renameSync(fresh, target),
      )
      done.push(each)
    }
  } catch (error) {
    for (const { record } of done.reverse())
      try {
        const { before } = record
        put(record.path, typeof before === 'string' ? Buffer.from(before, 'base64') : null, record.mode ?? 0o600)
      } catch {}
    throw error
  }
}

/** Locks the folders of the targets, and ends abandoned transactions there. */
async function lockedAround(targets: readonly string[], folder: string, context: WriteContext): Promise<Lock> {
  const { within, look, options, root } = context
  for (;;) {
    const open = abandonedIn(folder, within)
    const ending = [...open.gone, ...(options.endsElsewhere ? open.elsewhere : [])]
    const own = targets.map((target) => path.dirname(target))
    // All that write within a project wait for each other.
    const all = targets.some((target) => isWithin(target, root)) ? [...own, root] : own
    const folders = [...all, ...ending.flatMap(({ record }) => foldersOf(record))]
    const lock = await locked(folders, look)
    const now = abandonedIn(folder, within)
    const left = [...now.gone, ...(options.endsElsewhere ? now.elsewhere : [])]
    const [other] = options.endsElsewhere ? [] : now.elsewhere.filter(({ record }) => touches(record, targets))
    try {
      if (other) throw openElsewhere(other.record)
      // One that began to be abandoned meanwhile has other folders.
      if (left.every(({ file }) => ending.some((each) => each.file === file))) {
        for (const each of left) {
          const recovered = withSentence(each.record.root, () => recover(each))
          options.onRecovered?.(recovered)
        }
        for (const each of new Set(folders)) removeLeftovers(each)
        return lock
      }
    } catch (error) {
      lock.release()
      throw error
    }
    lock.release()
  }
}

function touches({ files }: TransactionRecord, targets: readonly string[]): boolean {
  const folders = new Set(targets.map((target) => path.dirname(target)))
  return files.some((each) => folders.has(path.dirname(each.path)))
}

function openElsewhere({ command, at, owner }: TransactionRecord): WriteError {
  return new WriteError(
    `${command} began to write on ${owner.host} at ${at.slice(0, 16).replace('T', ' ')}, but did not finish. Nothing was written. If it no longer runs there, run: mappa undo`,
    owner.host,
  )
}

async function locked(directories: readonly string[], look: () => void): Promise<Lock> {
  try {
    return await lockDirectories(directories, look)
  } catch (error) {
    if (error instanceof Locked)
      throw new WriteError(
        `${holder(error.owner)} holds the lock for more than ten seconds. Nothing was written. If that process is gone, run: rm ${error.file}`,
        error.file,
      )
    return withSentence(directories[0] as string, () => {
      throw error
    })
  }
}

function holder(owner: Owner | undefined): string {
  if (owner === undefined) return 'Another process'
  return owner.host === thisOwner().host ? `Process ${owner.pid}` : `Process ${owner.pid} of ${owner.host}`
}

/** Finds where a path leads. It must be within the repository, also by the folders that it goes through. */
function destinationWithin({ path: given, outside }: FileWrite, within: string): string {
  const target = withSentence(given, () => destinationOf(path.resolve(given)))
  const folder = withSentence(given, () => fs.realpathSync(path.dirname(target)))
  const limit = outside && !isWithin(path.resolve(given), within) ? realOf(path.dirname(path.resolve(given))) : within
  if (!isWithin(path.join(folder, 'x'), limit))
    throw new WriteError(`${given} is a link to a file outside the project. Nothing was written.`, given)
  return path.join(folder, path.basename(target))
}

function isWithin(file: string, folder: string): boolean {
  return file.startsWith(folder.endsWith(path.sep) ? folder : folder + path.sep)
}

function prepare(given: FileWrite, target: string, others: readonly Prepared[]): Prepared {
  const { path: shown, text, before, secret, executable, forgets } = given
  if (others.some(({ record }) => record.path === target))
    throw new WriteError(`${shown} cannot be written twice at once.`, shown)
  const stats = withSentence(shown, () => fs.statSync(target, { throwIfNoEntry: false }))
  if (stats && !stats.isFile()) throw new WriteError(`${shown} must be a file, but is not.`, shown)
  // Replacing it would work all the same, but somebody has said that it must not change.
  if (stats) withSentence(shown, () => fs.accessSync(target, fs.constants.W_OK))
  else withSentence(shown, () => fs.accessSync(path.dirname(target), fs.constants.W_OK))
  const old = stats && withSentence(shown, () => fs.readFileSync(target))
  if (!hasText(old, before)) throw changedMeanwhile(shown)
  const fresh = secret ? 0o600 : (executable ? 0o777 : 0o666) & ~process.umask()
  const record: FileRecord = {
    path: target,
    before: old === undefined ? null : old.toString('base64'),
    sums: [old === undefined ? null : sumOf(old), text === null ? null : sumOf(text)],
    ...(stats && { mode: stats.mode & 0o7777 }),
    ...(text !== null && { fresh: freshBeside(target) }),
    ...(forgets && old !== undefined && { forgets }),
  }
  return { given, record, mode: given.mode ?? (stats ? stats.mode & 0o7777 : fresh), stats }
}

/** A file on record: what can only go forward keeps the new content, and never the old one of a replaced secret. */
function recordOf({ record, given }: Prepared, all: readonly Prepared[]): FileRecord {
  if (!all.some((each) => each.record.forgets)) return record
  const { before, ...rest } = record
  const after = given.text === null ? null : Buffer.from(given.text as string).toString('base64')
  return { ...rest, ...(!record.forgets && { before }), after }
}

function changedMeanwhile(given: string): WriteError {
  return new WriteError(`${given} was changed by another process. Nothing was written.`, given)
}

function bytesNow(given: string): Buffer | undefined {
  try {
    return fs.readFileSync(given)
  } catch {
    return undefined
  }
}

function hasText(old: Buffer | undefined, before: string | Uint8Array | null): boolean {
  return before instanceof Uint8Array ? old?.equals(before) === true : (old?.toString('utf8') ?? null) === before
}

/** Finds where a path leads. A link that leads nowhere is followed as far as it goes. */
function destinationOf(file: string, hops = 0): string {
  const stats = fs.lstatSync(file, { throwIfNoEntry: false })
  if (!stats?.isSymbolicLink()) return file
  if (hops > 40) throw Object.assign(new Error(), { code: 'ELOOP' })
  return destinationOf(path.resolve(path.dirname(file), fs.readlinkSync(file)), hops + 1)
}

/** Removes files that a killed process left behind: they may hold secrets. The process id in the name tells whether it still runs. */
function removeLeftovers(directory: string): void {
  for (const name of withSentence(directory, () => fs.readdirSync(directory))) {
    const [, pid] = /^\.env\.~(\d+)-[a-z0-9]+\.local$/.exec(name) ?? []
    if (pid !== undefined && Number(pid) !== process.pid && !isRunning(Number(pid)))
      fs.rmSync(path.join(directory, name), { force: true })
  }
}

/** Turns what the system says into a sentence. */
function withSentence<T>(file: string, action: () => T): T {
  try {
    return action()
  } catch (error) {
    if (error instanceof WriteError) throw error
    const { code } = error as NodeJS.ErrnoException
    const why =
      {
        EACCES: 'this user may not write to it',
        EPERM: 'this user may not write to it',
        EROFS: 'the file system is read-only',
        ENOSPC: 'the disk is full',
        EDQUOT: 'the quota is used up',
        ENOENT: 'its directory does not exist',
        ENOTDIR: 'its directory does not exist',
        ELOOP: 'it is a link to itself',
      }[code ?? ''] ?? `the system says ${code ?? 'nothing'}`
    throw new WriteError(`${file} cannot be written: ${why}. Nothing was written.`, file)
  }
}

/** Finds where a path leads, its links followed; the path itself if it leads nowhere. */
function realOf(file: string): string {
  try {
    return fs.realpathSync(file)
  } catch {
    return file
  }
}
