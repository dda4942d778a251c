import { asLegend } from '../legend/check.js'
import { must, mustHaveLegend, whatIs } from '../legend/given.js'
import type { Legend } from '../legend/legend.js'
import type { Settings } from '../legend/types.js'
import { type Change, changesBetween } from '../settle/changes.js'
import { type Survey, surveyLayers } from '../settle/survey.js'
import { fs, path } from './files/builtins.js'
import { isDirectory } from './files/files.js'
import { type Gathered, gather, type MachineOptions, mustBeMachine } from './machine.js'

/** Editors and copying write several times in a row: so long nothing may happen before files are read again. Milliseconds. */
const quiet = 60
/** Even if something happens all the time, files are read again after so long. Milliseconds. */
const patience = 500
/** Network drives report no changes, and a directory that is made again must be found: files are looked at so often. Milliseconds. */
const look = 2000

/** Something that goes on until it is closed. */
export interface Watching<E> {
  /** The settings as they are now, or what is wrong with them. */
  readonly survey: Survey<Settings<E>>
  close(): void
}

/**
 * Watches this machine's layers. `onChange` gets what the settings have become, with each change masked where it is
 * secret, once for a burst of writes and only if a value or a fault is another; while there are faults,
 * `found.settings` is undefined, and the program should go on with what it has. What the legend declares is not read
 * again, and remote sources are not asked. Does not keep the process alive.
 *
 * ```ts
 * const watching = watch(definition, { from: import.meta.url }, (found, changes) => {
 *   if (found.ok) log.level = found.settings.logLevel
 *   for (const change of changes) console.log(change.message)
 * })
 * ```
 */
export function watch<E>(
  given: Legend<E>,
  options: MachineOptions,
  onChange: (found: Survey<Settings<E>>, changes: readonly Change[]) => void,
): Watching<E> {
  mustWatch(given, options, onChange, 'watch')
  const definition = asLegend(given)
  let gathered: Gathered = gather(definition, options)
  let now = surveyLayers(definition, gathered)
  let good = now.ok ? now : undefined
  const close = watchFiles(
    () => gathered.files,
    () => {
      const before = now
      gathered = gather(definition, options)
      now = surveyLayers(definition, gathered)
      const changes = now.ok ? changesBetween(good ?? before, now) : []
      if (now.ok) good = now
      if (changes.length > 0 || faultsOf(now) !== faultsOf(before)) onChange(now, changes)
    },
  )
  return {
    get survey() {
      return now
    },
    close,
  }
}

function faultsOf({ faults }: Survey): string {
  return JSON.stringify(faults)
}

/**
 * Calls back once after each burst of changes to files: also when one is replaced, deleted, or made again with its
 * directory. `files` is asked again after each call; what it names need not be there. A first call may come without a change, since
 * it is not known what was there before; it is not sure. Returns a function that ends watching.
 */
export function watchFiles(
  files: () => readonly string[],
  onChange: (isSure: boolean) => void,
  { persistent = false }: { readonly persistent?: boolean } = {},
): () => void {
  let timer: NodeJS.Timeout | undefined
  let firstAt = 0
  let watched = files()
  // Not known: what was written since the caller read the files must not be missed.
  let last = ''
  const watchers = new Map<string, { readonly watcher: import('node:fs').FSWatcher; readonly inode: number }>()

  const schedule = () => {
    const now = Date.now()
    if (!timer) firstAt = now
    clearTimeout(timer)
    timer = setTimeout(fire, Math.max(0, Math.min(quiet, firstAt + patience - now)))
    if (!persistent) timer.unref()
  }
  const fire = () => {
    timer = undefined
    const signature = signatureOf(watched)
    const [changed, isSure] = [signature !== last, last !== '']
    last = signature
    if (changed) {
      onChange(isSure)
      const others = files()
      // Writes to new files since the last read must not be missed either.
      if (others.join() !== watched.join()) last = ''
      watched = others
    }
    arm()
  }
  const arm = () => {
    const wanted = new Map(watched.flatMap(directoriesOf).map((directory) => [directory, inodeOf(directory)]))
    for (const [directory, { watcher, inode }] of watchers)
      if (wanted.get(directory) !== inode) {
        watcher.close()
        watchers.delete(directory)
      }
    for (const [directory, inode] of wanted) {
      if (inode === undefined || watchers.has(directory)) continue
      try {
        const watcher = fs.watch(directory, { persistent }, schedule)
        // A watcher that fails is made again at the next look; until then that look finds changes.
        watcher.on('error', () => {
          watcher.close()
          watchers.delete(directory)
        })
        watchers.set(directory, { watcher, inode })
      } catch {}
    }
  }
  arm()
  const beat = setInterval(() => {
    if (signatureOf(watched) !== last) schedule()
    arm()
  }, look)
  if (!persistent) beat.unref()
  return () => {
    clearTimeout(timer)
    clearInterval(beat)
    for (const { watcher } of watchers.values()) watcher.close()
    watchers.clear()
  }
}

/** The directories that tell of a path: the one it is in, or the nearest above that is there; and itself if it is one. */
function directoriesOf(file: string): string[] {
  let directory = path.dirname(file)
  while (inodeOf(directory) === undefined && path.dirname(directory) !== directory) directory = path.dirname(directory)
  return isDirectory(file) ? [directory, file] : [directory]
}

/** A fingerprint of the files: their identities, write times and sizes. */
function signatureOf(files: readonly string[]): string {
  return files.map((file) => `${stateOf(file)}${isDirectory(file) ? insideOf(file) : ''}`).join()
}

function insideOf(directory: string): string {
  try {
    return fs
      .readdirSync(directory)
      .map((name) => `${name} ${stateOf(path.join(directory, name))}`)
      .join()
  } catch {
    return ''
  }
}

function stateOf(file: string): string {
  try {
    const { ino, mtimeMs, ctimeMs, size } = fs.statSync(file)
    return `${ino} ${mtimeMs} ${ctimeMs} ${size}`
  } catch {
    return ''
  }
}

function inodeOf(directory: string): number | undefined {
  try {
    return fs.statSync(directory).ino
  } catch {
    return undefined
  }
}

/** @throws {TypeError} with a sentence, unless there are a legend, options, and what is called on a change. */
export function mustWatch(given: unknown, options: MachineOptions, onChange: unknown, call: string): void {
  mustHaveLegend(given, call)
  mustBeMachine(options, call)
  must(
    typeof onChange === 'function',
    `${call} takes a function to call when settings change, but got ${whatIs(onChange)}. Write: ${call}(definition, { from: import.meta.url }, (found, changes) => …)`,
  )
}
