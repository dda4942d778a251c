/**
 * Runs in each watched process before its program, by `--require`: notes what is asked for, and changes nothing else. Where it fails
 * the program goes on unwatched.
 */
import type { RawPlace } from '../protocol.js'
import { callsBehind, placeOf } from './calls.js'
import { WatchedEnvironment } from './environment.js'
import { inPlaceOf } from './in-place-of.js'
import { type Environment, Notes } from './notes.js'
import { isMainThread, ownArguments, takenFolder, watchChildren, watchThreads } from './starts.js'

try {
  start(process.env)
} catch {
  // The run is over, or this process may not write.
}
// The program's list of loaded modules does not name this one.
delete require.cache[__filename]

function start(real: Environment): void {
  const folder = takenFolder(real)
  if (folder === undefined) return
  const notes = new Notes(folder, real)
  takeBack(real, notes.asked.ours)
  const environment = new WatchedEnvironment(notes)
  // The module that imports see is made of this once it is asked for.
  Object.defineProperty(process, 'env', {
    ...Object.getOwnPropertyDescriptor(process, 'env'),
    value: environment.proxy,
  })
  cloneAsBefore(environment)
  if (notes.sees('loaded-files')) watchLoading(notes, environment)
  introduce(notes, ownArguments(__filename))
  introduceToLibrary(notes, environment)
  if (notes.sees('threads')) watchThreads(__filename)
  // Last, since a program that may start none may not reach what starts them either.
  if (notes.sees('children')) watchChildren(notes)
}

/** Takes out of the program's sight what has it watched. */
function takeBack(real: Environment, ours: string): void {
  const options = real.NODE_OPTIONS
  if (options === ours) delete real.NODE_OPTIONS
  else if (options?.startsWith(`${ours} `)) real.NODE_OPTIONS = options.slice(ours.length + 1)
}

/** Cloning refuses what stands for an environment, and takes an environment. */
function cloneAsBefore(watched: WatchedEnvironment): void {
  const { structuredClone: clone } = globalThis
  const cloning = (value: unknown, ...rest: never[]) =>
    clone(value === watched.proxy ? watched.all(cloning) : value, ...rest)
  inPlaceOf(globalThis, 'structuredClone', cloning)
}

/** Node reads such a file into its environment by itself. */
function watchLoading(notes: Notes, environment: WatchedEnvironment): void {
  const { loadEnvFile } = process
  if (typeof loadEnvFile !== 'function') return
  const loading = (...args: Parameters<typeof loadEnvFile>) => {
    const before = new Set(Object.keys(notes.real))
    loadEnvFile(...args)
    const place = Notes.place(loading)
    for (const name of Object.keys(notes.real).filter((each) => !before.has(each))) {
      environment.assign(name)
      notes.write({ kind: 'set', name, ...place, by: 'loadEnvFile' })
    }
  }
  inPlaceOf(process, 'loadEnvFile', loading)
}

function introduce(notes: Notes, words: readonly string[]): void {
  const { MAPPA_SET: mark, MAPPA_STAGE: stage } = notes.real
  notes.write({
    kind: 'process',
    at: performance.timeOrigin + performance.now(),
    pid: process.pid,
    isThread: !isMainThread,
    script: process.argv[1],
    folder: process.cwd(),
    envFiles: words.flatMap((word, at) => {
      const [isFile, inside] = /^--env-file(?:-if-exists)?(?:=([\s\S]*))?$/.exec(word) ?? []
      return isFile === undefined ? [] : [inside ?? words[at + 1] ?? '']
    }),
    withStage: mark === undefined ? undefined : stage,
  })
}

/** The library says by this what settings it makes, and which of them are read. */
function introduceToLibrary(notes: Notes, environment: WatchedEnvironment): void {
  const settled = (stage: string) => {
    const frames = callsBehind(settled, settledMax).flatMap((call): RawPlace[] => {
      const place = placeOf(call)
      return !place || place.file.startsWith('node:') ? [] : [place]
    })
    notes.write({ kind: 'settled', stage, frames })
    const read = new Set<string>()
    return (name: string, text: string | undefined, from: string, isCovered: boolean, getter: unknown) => {
      if (read.has(name)) return
      read.add(name)
      notes.write({ kind: 'setting', name, ...Notes.place(getter), got: notes.got(name, text, isCovered), from })
    }
  }
  const preloaded = (stage: string, names: readonly string[]) => {
    for (const name of [...names, 'MAPPA_STAGE', 'MAPPA_SET']) environment.assign(name)
    notes.write({ kind: 'preloaded', stage, names })
  }
  const value = {
    environment: notes.real,
    settled: notes.sees('settings') ? settled : () => () => {},
    preloaded: notes.sees('preload') ? preloaded : () => {},
  }
  Object.defineProperty(globalThis, Symbol.for('mappa.witness'), { value })
}

/** So many calls lie at most between code that asks for settings and where they are made. */
const settledMax = 24
