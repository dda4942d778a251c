import fs from 'node:fs'
import path from 'node:path'
import { setTimeout as wait } from 'node:timers/promises'
import { livenessOf, type Owner, ownerFrom, thisOwner } from './owner.js'

/** So long another writer is waited for. Milliseconds. */
const lockWaitMax = 10_000
/** Pause between two looks at the lock. Milliseconds. */
const lookEvery = 10

/** Temporary and lock files lie beside what they are for, under names that every rule for layer files of one machine covers. */
export function besideName(id: string): string {
  return `.env.~${id}.local`
}

/** Why a directory could not be locked. */
export class Locked extends Error {
  constructor(
    /** The lock's file. */
    readonly file: string,
    readonly owner: Owner | undefined,
  ) {
    super(file)
  }
}

/** A lock that is held. */
export interface Lock {
  /** Tells whether it still is: a process that sleeps for long may be taken for one that is gone. */
  isHeld(): boolean
  release(): void
}

/**
 * Locks directories for writing, one process at a time. Takes a lock from a process that is gone, and waits ten seconds for
 * one that runs. Our own: kept packages (proper-lockfile, lockfile) know a holder only by the age of its file, so a killed
 * one blocks for ten seconds and a busy one loses its lock, and cannot wait in code that does not; others need a compiler.
 * `look` is called while it waits, and may throw.
 * @throws {Locked} if another process holds one all the time.
 */
export async function lockDirectories(directories: readonly string[], look: () => void = () => {}): Promise<Lock> {
  const held: { readonly file: string; readonly text: string }[] = []
  const release = () => {
    for (const { file, text } of held.splice(0)) if (contentOf(file) === text) fs.rmSync(file, { force: true })
  }
  try {
    // In one order, so that no two wait for each other.
    for (const directory of [...new Set(directories)].sort())
      held.push(await lockFile(path.join(directory, besideName('lock')), look))
  } catch (error) {
    release()
    throw error
  }
  return { isHeld: () => held.every(({ file, text }) => contentOf(file) === text), release }
}

async function lockFile(file: string, look: () => void): Promise<{ readonly file: string; readonly text: string }> {
  const text = JSON.stringify({ ...thisOwner(), word: Math.random().toString(36).slice(2) })
  const last = Date.now() + lockWaitMax
  for (;;) {
    look()
    if (create(file, text)) return { file, text }
    const found = contentOf(file)
    if (found !== undefined && isGone(found)) takeAway(file, found)
    else if (Date.now() > last) throw new Locked(file, ownerOf(found ?? ''))
    else await wait(lookEvery)
  }
}

/** Makes the file with its text in one step, so that nobody finds it empty; false if it is there. */
function create(file: string, text: string): boolean {
  const fresh = path.join(path.dirname(file), besideName(`${process.pid}-${Math.random().toString(36).slice(2)}`))
  try {
    fs.writeFileSync(fresh, text, { flag: 'wx', mode: 0o600 })
    // Some file systems know no second names; there the file is empty for a moment, which counts as held.
    if (!linked(fresh, file)) fs.writeFileSync(file, text, { flag: 'wx', mode: 0o600 })
    return true
  } catch (error) {
    const { code } = error as NodeJS.ErrnoException
    // Another one that clears up may have taken the temporary file.
    if (code === 'EEXIST' || (code === 'ENOENT' && fs.existsSync(path.dirname(file)))) return false
    throw error
  } finally {
    fs.rmSync(fresh, { force: true })
  }
}

function linked(from: string, to: string): boolean {
  try {
    fs.linkSync(from, to)
    return true
  } catch (error) {
    if (['EPERM', 'ENOTSUP', 'EOPNOTSUPP', 'ENOSYS', 'EMLINK'].includes((error as NodeJS.ErrnoException).code ?? ''))
      return false
    throw error
  }
}

/** Takes a lock away whose owner is gone; if another has taken it meanwhile, that one gets it back. */
function takeAway(file: string, found: string): void {
  const aside = path.join(path.dirname(file), besideName(`${process.pid}-${Math.random().toString(36).slice(2)}`))
  try {
    fs.renameSync(file, aside)
    if (contentOf(aside) !== found) linked(aside, file)
  } catch {
    // Someone else was faster.
  } finally {
    fs.rmSync(aside, { force: true })
  }
}

function contentOf(file: string): string | undefined {
  try {
    return fs.lstatSync(file).isFile() ? fs.readFileSync(file, 'utf8') : ''
  } catch {
    return undefined
  }
}

function ownerOf(text: string): Owner | undefined {
  try {
    return ownerFrom(JSON.parse(text))
  } catch {
    return undefined
  }
}

/** Of another machine or container nobody here can say. What is not a lock of ours stays as well. */
function isGone(text: string): boolean {
  const owner = ownerOf(text)
  return owner !== undefined && livenessOf(owner) === 'gone'
}
