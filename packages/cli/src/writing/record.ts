import { createHash } from 'node:crypto'
import fs from 'node:fs'
import { homedir, tmpdir } from 'node:os'
import path from 'node:path'
import { repositoryTop } from 'mappa/command'
import { type Owner, ownerFrom, thisOwner } from './owner.js'

/** A file of a transaction. Contents are base64, since a file may be anything. */
export interface FileRecord {
  /** Absolute, links followed. */
  readonly path: string
  /** Null if there was no file; undefined if it is never kept, as the old value of a replaced secret. */
  readonly before?: string | null
  /** The new content, only in transactions that can but go forward; null if the file is removed. */
  readonly after?: string | null
  /** Digests of the old and the new content; null if there is no file. */
  readonly sums: readonly [before: string | null, after: string | null]
  readonly mode?: number
  /** The temporary file with the new content. */
  readonly fresh?: string
  /** True if the old content is never kept. */
  readonly forgets?: boolean
}

/** What a writing command changes or has changed. */
export interface TransactionRecord {
  readonly version: 1
  /** One for each run of the command: all that a run writes is taken back together. */
  readonly run: string
  /** `mappa rename`, without names or values. */
  readonly command: string
  readonly at: string
  readonly root: string
  readonly owner: Owner
  readonly files: readonly FileRecord[]
  /** Folders that were made, outermost first. */
  readonly folders: readonly string[]
  /** Where values were sent, which no one can take back. */
  readonly sent?: string
}

/** Records are kept so long. Milliseconds. */
export const keptFor = 24 * 60 * 60 * 1000

let now = { run: newId(), command: 'mappa' }

/** Begins a run of the command: what it writes belongs together. */
export function beginWriting(command: string): void {
  now = { run: newId(), command }
}

export function presentRun(): { readonly run: string; readonly command: string } {
  return now
}

export function newId(): string {
  return `${process.pid.toString(36)}-${Date.now().toString(36)}-${Math.random().toString(36).slice(2, 8)}`
}

/**
 * The folder for a project's records: in its repository's own folder, which no image or package takes, else in the user's state
 * folder. Undefined if it is not there; with `make`, it is made.
 */
export function recordFolder(root: string, make = false): string | undefined {
  for (const { folder, shared } of placesFor(root)) {
    if (make)
      try {
        makeFolder(folder)
      } catch {
        continue
      }
    if (isOwn(folder, shared) && (!make || isWritable(folder))) return folder
  }
  return undefined
}

/** Makes a folder and those above it, one by one: Node's own way never ends where a file system says that a folder is not there. */
function makeFolder(folder: string): void {
  if (fs.existsSync(folder)) return
  if (path.dirname(folder) !== folder) makeFolder(path.dirname(folder))
  fs.mkdirSync(folder, { mode: 0o700 })
}

function placesFor(root: string): { readonly folder: string; readonly shared: boolean }[] {
  const state = stateFolder()
  const repository = gitFolder(root)
  return [
    ...(repository === undefined ? [] : [{ folder: path.join(repository, 'mappa'), shared: false }]),
    ...(state !== undefined && path.isAbsolute(state) ? [{ folder: path.join(state, 'mappa'), shared: false }] : []),
    { folder: path.join(tmpdir(), `mappa-${process.getuid?.() ?? 'user'}`), shared: true },
  ]
}

/** Of the XDG Base Directory Specification. */
function stateFolder(): string | undefined {
  const isWindows = process.platform === 'win32'
  const named = isWindows ? process.env.LOCALAPPDATA : process.env.XDG_STATE_HOME
  try {
    return named || path.join(homedir(), isWindows ? 'AppData/Local' : '.local/state')
  } catch {
    // A user without a home, as in containers.
    return undefined
  }
}

/** The repository's own folder, also that of a work tree or submodule, whose `.git` is a file. */
function gitFolder(root: string): string | undefined {
  const top = repositoryTop(root)
  if (top === undefined) return undefined
  const found = path.join(top, '.git')
  try {
    if (fs.statSync(found).isDirectory()) return found
    const [, named] = /^gitdir: (.+)$/m.exec(fs.readFileSync(found, 'utf8')) ?? []
    const folder = named === undefined ? undefined : path.resolve(top, named)
    return folder !== undefined && fs.statSync(folder).isDirectory() ? folder : undefined
  } catch {
    return undefined
  }
}

/** Tells whether nobody else can have written a folder: its records are carried out. */
function isOwn(folder: string, shared: boolean): boolean {
  try {
    const stats = fs.lstatSync(folder)
    if (!stats.isDirectory()) return false
    if (process.getuid === undefined) return true
    return stats.uid === process.getuid() && (stats.mode & (shared ? 0o077 : 0o022)) === 0
  } catch {
    return false
  }
}

function isWritable(folder: string): boolean {
  try {
    fs.accessSync(folder, fs.constants.W_OK)
    return true
  } catch {
    return false
  }
}

/** A record and its file. */
export interface Recorded {
  readonly file: string
  readonly record: TransactionRecord
}

/** Transactions that began and have not ended, the oldest first. */
export function openRecords(folder: string): Recorded[] {
  return recordsIn(folder, /^open-.*\.json$/).sort((a, b) => (a.record.at < b.record.at ? -1 : 1))
}

/** The last transaction of a project, while it is kept. */
export function lastRecord(folder: string, root: string): Recorded | undefined {
  const [found] = recordsIn(folder, new RegExp(`^${path.basename(lastFile('', root)).replaceAll('.', '\\.')}$`))
  return found && Date.now() - Date.parse(found.record.at) < keptFor ? found : undefined
}

export function lastFile(folder: string, root: string): string {
  return path.join(folder, `last-${sumOf(root).slice(0, 16)}.json`)
}

export function openFile(folder: string, run: string): string {
  return path.join(folder, `open-${run}-${Math.random().toString(36).slice(2, 8)}.json`)
}

/** Keeps that the last command has sent values away, which no one can take back. */
export function recordSent(root: string, sent: string): void {
  const folder = recordFolder(root, true)
  if (folder === undefined) return
  const at = new Date().toISOString()
  writeRecord(lastFile(folder, root), {
    version: 1,
    ...now,
    at,
    root,
    owner: thisOwner(),
    files: [],
    folders: [],
    sent,
  })
}

/** Removes records that are older than they are kept. */
export function removeStale(folder: string): void {
  for (const { file, record } of recordsIn(folder, /^last-.*\.json$/))
    if (!(Date.now() - Date.parse(record.at) < keptFor)) fs.rmSync(file, { force: true })
}

function recordsIn(folder: string, pattern: RegExp): Recorded[] {
  let names: string[]
  try {
    names = fs.readdirSync(folder)
  } catch {
    return []
  }
  return names
    .filter((name) => pattern.test(name))
    .flatMap((name) => {
      const file = path.join(folder, name)
      const record = readRecord(file)
      return record ? [{ file, record }] : []
    })
}

/** A record that this user has written whole; undefined for anything else. */
function readRecord(file: string): TransactionRecord | undefined {
  try {
    const stats = fs.lstatSync(file)
    const isOurs = process.getuid === undefined || (stats.uid === process.getuid() && (stats.mode & 0o077) === 0)
    return stats.isFile() && isOurs ? recordFrom(JSON.parse(fs.readFileSync(file, 'utf8'))) : undefined
  } catch {
    return undefined
  }
}

function isObject(value: unknown): value is Readonly<Record<string, unknown>> {
  return typeof value === 'object' && value !== null
}

function recordFrom(value: unknown): TransactionRecord | undefined {
  if (!isObject(value) || value.version !== 1) return undefined
  const owner = ownerFrom(value.owner)
  const { run, command, at, root, files, folders } = value
  const texts = [run, command, at, root].every((each) => typeof each === 'string')
  if (!owner || !texts || !Array.isArray(files) || !Array.isArray(folders)) return undefined
  const areFiles = files.every(
    (each) =>
      isObject(each) &&
      typeof each.path === 'string' &&
      path.isAbsolute(each.path) &&
      Array.isArray(each.sums) &&
      [each.before, each.after].every((text) => text === undefined || text === null || typeof text === 'string'),
  )
  return areFiles && folders.every((each) => typeof each === 'string')
    ? ({ ...value, owner } as unknown as TransactionRecord)
    : undefined
}

/** Writes a record so that it is on the disk, whole, before anything that it is about. */
export function writeRecord(file: string, record: TransactionRecord): void {
  const folder = path.dirname(file)
  const fresh = path.join(folder, `.${newId()}`)
  const handle = fs.openSync(fresh, 'wx', 0o600)
  try {
    fs.writeFileSync(handle, JSON.stringify(record))
    fs.fsyncSync(handle)
  } finally {
    fs.closeSync(handle)
  }
  fs.renameSync(fresh, file)
  syncFolder(folder)
}

/** Not every system can, and the files are whole all the same. */
export function syncFolder(folder: string): void {
  try {
    const handle = fs.openSync(folder, 'r')
    fs.fsyncSync(handle)
    fs.closeSync(handle)
  } catch {}
}

export function sumOf(content: string | Uint8Array): string {
  return createHash('sha256').update(content).digest('hex')
}

/** The content of a file; undefined if there is none. */
export function contentAt(file: string): Buffer | undefined {
  try {
    return fs.readFileSync(file)
  } catch (error) {
    if (['ENOENT', 'ENOTDIR'].includes((error as NodeJS.ErrnoException).code ?? '')) return undefined
    throw error
  }
}
