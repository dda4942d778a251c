import fs from 'node:fs'
import path from 'node:path'
import { printable } from 'mappa'
import { repositoryTop } from 'mappa/command'
import { besideName, isRunning, type Lock, Locked, lockDirectories } from './lock.js'

/** A file that is to hold a text. */
export interface FileWrite {
  /** Absolute, or from the working directory. Where a link leads is written, within the repository, and the link stays. */
  readonly path: string
  /** Null removes the file. */
  readonly text: string | Uint8Array | null
  /** The text that the new one was made from, null if there was no file; if the file holds another one now, nothing is written. */
  readonly before?: string | Uint8Array | null
  /** True if the text holds secrets: then a new file is only for this user (mode 0600). */
  readonly secret?: boolean
  /** True if a new file is a program. */
  readonly executable?: boolean
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

/** A write on its way: beside its target lies a file that holds the new text. */
interface Prepared {
  readonly target: string
  /** Undefined if the target is removed. */
  readonly fresh: string | undefined
  /** The former content of the target; undefined if it did not exist. */
  readonly old: Buffer | undefined
  readonly stats: { readonly mode: number; readonly uid: number; readonly gid: number } | undefined
}

/**
 * The one way in which files of a project are written, all or none. Each is replaced in one step, so that anyone who reads it, and
 * anyone who pulls the plug, finds the old text or the new one and never a part; modes and owners stay. If one cannot be
 * written, those before it get their old text back. Only one process writes to a directory at a time, and nothing is
 * written through a link that leads out of the repository of `root`.
 * @throws {WriteError} naming the file that could not be written.
 */
export function writeFiles(writes: readonly FileWrite[], root: string): void {
  if (writes.length === 0) return
  const within = realOf(repositoryTop(path.resolve(root)) ?? path.resolve(root))
  const targets = writes.map(({ path: given }) => targetWithin(given, within))
  const lock = locked(targets.map(({ target }) => path.dirname(target)))
  const prepared: Prepared[] = []
  const done: Prepared[] = []
  try {
    for (const [at, write] of writes.entries())
      prepared.push(prepare(write, (targets[at] as Destination).target, prepared))
    if (!lock.isHeld()) throw new WriteError('Another process took the lock. Nothing was written.', root)
    for (const each of prepared) {
      const { fresh, target } = each
      withSentence(target, () => (fresh === undefined ? fs.rmSync(target) : fs.renameSync(fresh, target)))
      done.push(each)
    }
  } catch (error) {
    for (const { target, old, stats } of done.reverse()) restore(target, old, stats)
    throw error
  } finally {
    for (const { fresh } of prepared) if (fresh !== undefined) fs.rmSync(fresh, { force: true })
    lock.release()
  }
  for (const directory of new Set(prepared.map(({ target }) => path.dirname(target)))) sync(directory)
}

function locked(directories: readonly string[]): Lock {
  try {
    return withSentence(directories[0] as string, () => lockDirectories(directories))
  } catch (error) {
    if (!(error instanceof Locked)) throw error
    const who = error.pid === undefined ? 'Another process' : `Process ${error.pid}`
    throw new WriteError(
      `${who} holds the lock for more than ten seconds. Nothing was written. If that process is gone, run: rm ${error.file}`,
      error.file,
    )
  }
}

interface Destination {
  readonly target: string
}

/** Finds where a path leads, which must be within a directory, also by the folders that it goes through. */
function targetWithin(given: string, within: string): Destination {
  const target = withSentence(given, () => destinationOf(path.resolve(given)))
  const folder = withSentence(given, () => fs.realpathSync(path.dirname(target)))
  if (folder !== within && !folder.startsWith(within + path.sep))
    throw new WriteError(`${given} is a link to a file outside the project. Nothing was written.`, given)
  return { target: path.join(folder, path.basename(target)) }
}

function prepare(
  { path: given, text, before, secret, executable }: FileWrite,
  target: string,
  others: readonly Prepared[],
): Prepared {
  if (others.some((other) => other.target === target))
    throw new WriteError(`${given} cannot be written twice at once.`, given)
  const stats = withSentence(given, () => fs.statSync(target, { throwIfNoEntry: false }))
  if (stats && !stats.isFile()) throw new WriteError(`${given} must be a file, but is not.`, given)
  // Replacing it would work all the same, but somebody has said that it must not change.
  if (stats) withSentence(given, () => fs.accessSync(target, fs.constants.W_OK))
  const old = stats && withSentence(given, () => fs.readFileSync(target))
  if (before !== undefined && !hasText(old, before))
    throw new WriteError(`${given} was changed by another process. Nothing was written.`, given)
  removeLeftovers(path.dirname(target))
  const mode = secret ? 0o600 : (executable ? 0o777 : 0o666) & ~process.umask()
  const fresh = text === null ? undefined : withSentence(given, () => writeBeside(target, text, stats, mode))
  return { target, fresh, old, stats }
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

/** A file beside the target that holds the text, on the disk and with the mode it is to have. */
function writeBeside(target: string, text: string | Uint8Array, stats: Prepared['stats'], mode: number): string {
  const id = `${process.pid}-${Math.random().toString(36).slice(2)}`
  const fresh = path.join(path.dirname(target), besideName(id))
  const file = fs.openSync(fresh, 'wx', 0o600)
  try {
    fs.writeFileSync(file, text)
    if (stats) keepOwner(file, stats)
    fs.fchmodSync(file, stats ? stats.mode & 0o7777 : mode)
    fs.fsyncSync(file)
  } catch (error) {
    fs.rmSync(fresh, { force: true })
    throw error
  } finally {
    fs.closeSync(file)
  }
  return fresh
}

/** Only the superuser may give files away; another's file that one may write to becomes one's own, as editors do it. */
function keepOwner(file: number, { uid, gid }: NonNullable<Prepared['stats']>): void {
  try {
    fs.fchownSync(file, uid, gid)
  } catch {}
}

/** Removes files that a killed process left behind: they may hold secrets. The process id in the name tells whether it still runs. */
function removeLeftovers(directory: string): void {
  for (const name of withSentence(directory, () => fs.readdirSync(directory))) {
    const [, pid] = /^\.env\.~(\d+)-[a-z0-9]+\.local$/.exec(name) ?? []
    if (pid !== undefined && Number(pid) !== process.pid && !isRunning(Number(pid)))
      fs.rmSync(path.join(directory, name), { force: true })
  }
}

function restore(target: string, old: Buffer | undefined, stats: Prepared['stats']): void {
  if (old === undefined) fs.rmSync(target, { force: true })
  else fs.renameSync(writeBeside(target, old, stats, 0o600), target)
}

/** Not every system can, and the files are whole all the same. */
function sync(directory: string): void {
  try {
    const handle = fs.openSync(directory, 'r')
    fs.fsyncSync(handle)
    fs.closeSync(handle)
  } catch {}
}

/** Turns what the system says into a sentence. */
function withSentence<T>(file: string, action: () => T): T {
  try {
    return action()
  } catch (error) {
    if (error instanceof Locked) throw error
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
