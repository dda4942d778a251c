import { printable } from '../settle/faults.js'
import { fs, path } from './builtins.js'

/** A file that is to hold a text. */
export interface FileWrite {
  /** Absolute, or from the working directory. Where a link leads is written, and the link stays. */
  readonly path: string
  readonly text: string
  /** The text that the new one was made from, null if there was no file; if the file holds another one now, nothing is written. */
  readonly before?: string | null
  /** Whether the text holds secrets: then a new file is for this user alone (mode 0600). */
  readonly secret?: boolean
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
  readonly fresh: string
  /** What the target held; undefined if it was not there. */
  readonly old: Buffer | undefined
  readonly stats: { readonly mode: number; readonly uid: number; readonly gid: number } | undefined
}

/**
 * Writes files, all or none. Each is replaced in one step, so that whoever reads it, and whoever pulls the plug, finds
 * the old text or the new one and never a part; modes and owners stay. If one cannot be written, those before it get
 * their old text back.
 * @throws {WriteError} naming the file that could not be written.
 */
export function writeFiles(writes: readonly FileWrite[]): void {
  const prepared: Prepared[] = []
  const done: Prepared[] = []
  try {
    for (const write of writes) prepared.push(prepare(write, prepared))
    for (const each of prepared) {
      withSentence(each.target, () => fs.renameSync(each.fresh, each.target))
      done.push(each)
    }
  } catch (error) {
    for (const { target, old, stats } of done.reverse()) restore(target, old, stats)
    throw error
  } finally {
    for (const { fresh } of prepared) fs.rmSync(fresh, { force: true })
  }
  for (const directory of new Set(prepared.map(({ target }) => path.dirname(target)))) sync(directory)
}

function prepare({ path: given, text, before, secret }: FileWrite, others: readonly Prepared[]): Prepared {
  const target = withSentence(given, () => targetOf(path.resolve(given)))
  if (others.some((other) => other.target === target))
    throw new WriteError(`${given} is to be written twice at once.`, given)
  const stats = withSentence(given, () => fs.statSync(target, { throwIfNoEntry: false }))
  if (stats && !stats.isFile()) throw new WriteError(`${given} must be a file, and is none.`, given)
  // Replacing it would work all the same, but somebody has said that it must not change.
  if (stats) withSentence(given, () => fs.accessSync(target, fs.constants.W_OK))
  const old = stats && withSentence(given, () => fs.readFileSync(target))
  if (before !== undefined && (old?.toString('utf8') ?? null) !== before)
    throw new WriteError(`${given} was changed by someone else meanwhile; nothing was written.`, given)
  removeLeftovers(target)
  const fresh = withSentence(given, () => writeBeside(target, text, stats, secret ? 0o600 : 0o666 & ~process.umask()))
  return { target, fresh, old, stats }
}

/** Where a path leads. A link that leads nowhere is followed as far as it goes. */
function targetOf(file: string, hops = 0): string {
  const stats = fs.lstatSync(file, { throwIfNoEntry: false })
  if (!stats?.isSymbolicLink()) return file
  if (hops > 40) throw Object.assign(new Error(), { code: 'ELOOP' })
  return targetOf(path.resolve(path.dirname(file), fs.readlinkSync(file)), hops + 1)
}

/** A file beside the target that holds the text, on the disk and with the mode it is to have. */
function writeBeside(target: string, text: string | Buffer, stats: Prepared['stats'], mode: number): string {
  const fresh = `${leadOf(target)}${process.pid}-${Math.random().toString(36).slice(2)}`
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

/** Named as no layer file is, so that nothing reads it. */
function leadOf(target: string): string {
  return path.join(path.dirname(target), `.mappa-${path.basename(target)}-`)
}

/** Only the superuser may give files away; another's file that one may write to becomes one's own, as editors do it. */
function keepOwner(file: number, { uid, gid }: NonNullable<Prepared['stats']>): void {
  try {
    fs.fchownSync(file, uid, gid)
  } catch {}
}

/** What a process that was killed has left behind may hold secrets. Its number tells whether it still runs. */
function removeLeftovers(target: string): void {
  const lead = path.basename(leadOf(target))
  for (const name of withSentence(target, () => fs.readdirSync(path.dirname(target)))) {
    const [, pid] = name.startsWith(lead) ? (/^(\d+)-[a-z0-9]+$/.exec(name.slice(lead.length)) ?? []) : []
    if (pid !== undefined && Number(pid) !== process.pid && !runs(Number(pid)))
      fs.rmSync(path.join(path.dirname(target), name), { force: true })
  }
}

function runs(pid: number): boolean {
  try {
    process.kill(pid, 0)
    return true
  } catch (error) {
    return (error as NodeJS.ErrnoException).code === 'EPERM'
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
    const { code } = error as NodeJS.ErrnoException
    const why =
      {
        EACCES: 'this user may not write to it',
        EPERM: 'this user may not write to it',
        EROFS: 'the file system is read-only',
        ENOSPC: 'the disk is full',
        EDQUOT: 'the quota is used up',
        ENOENT: 'its directory is not there',
        ENOTDIR: 'its directory is not there',
        ELOOP: 'it is a link that leads to itself',
      }[code ?? ''] ?? `the system says ${code ?? 'nothing'}`
    throw new WriteError(`${file} cannot be written: ${why}. Nothing was written.`, file)
  }
}
