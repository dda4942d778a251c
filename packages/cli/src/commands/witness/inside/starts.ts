import type { WorkerOptions } from 'node:worker_threads'
import { folderName } from '../protocol.js'
import { inPlaceOf } from './in-place-of.js'
import type { Notes } from './notes.js'

/** A start as Node's own code asks for it: one object, or from Node 24 on its parts one after another. */
type StartArguments =
  | readonly [StartOptions]
  | readonly [file: string, args: unknown, folder: unknown, envPairs: unknown, ...unknown[]]
interface StartOptions {
  readonly envPairs?: unknown
  readonly file?: string
}
interface Starting {
  spawn(...asked: StartArguments): unknown
}

/**
 * Has every process that is started watched, too. However it is started, it comes by one of two calls of Node, which are reached by a
 * way that Node advises against, and speaks of only where it is asked to.
 */
export function watchChildren(notes: Notes): void {
  const { binding } = process as unknown as { binding(name: string): unknown }
  const before = Object.getOwnPropertyDescriptor(process, 'noDeprecation')
  const started = (pid: number | undefined, [first]: StartArguments) => {
    const program = (typeof first === 'string' ? first : first.file)?.split(/[\\/]/).at(-1)
    if (pid !== undefined && program !== undefined) notes.write({ kind: 'child', pid, program })
  }
  try {
    Object.defineProperty(process, 'noDeprecation', { value: true, configurable: true, writable: true })
    const { prototype } = (binding.call(process, 'process_wrap') as { Process: { prototype: Starting } }).Process
    const sync = binding.call(process, 'spawn_sync') as Starting
    const [spawn, spawnSync] = [prototype.spawn, sync.spawn]
    prototype.spawn = function (this: { pid?: number }, ...asked) {
      const result = spawn.apply(this as never, [...withWatch(asked, notes)] as never)
      started(this.pid, asked)
      return result
    }
    sync.spawn = (...asked) => {
      const result = spawnSync.apply(sync, [...withWatch(asked, notes)] as never) as { pid?: number }
      started(result.pid, asked)
      return result
    }
  } finally {
    if (before) Object.defineProperty(process, 'noDeprecation', before)
    else delete (process as { noDeprecation?: boolean }).noDeprecation
  }
}

/** The same start with an environment that has the new process watched, whatever it is given. */
function withWatch(asked: StartArguments, notes: Notes): StartArguments {
  const [first, args, folder, envPairs, ...rest] = asked
  return typeof first === 'string'
    ? [first, args, folder, watchedPairs(envPairs, notes), ...rest]
    : [{ ...first, envPairs: watchedPairs(first.envPairs, notes) }]
}

function watchedPairs(pairs: unknown, { folder, asked: { ours } }: Notes): unknown {
  if (!Array.isArray(pairs) || pairs.some((pair) => pair.startsWith(`${folderName}=`))) return pairs
  const at = pairs.findIndex((pair) => pair.startsWith('NODE_OPTIONS='))
  const own = at < 0 ? '' : (pairs[at] as string).slice('NODE_OPTIONS='.length)
  const others = pairs.filter((_, index) => index !== at)
  return [...others, `NODE_OPTIONS=${own === '' ? ours : `${ours} ${own}`}`, `${folderName}=${folder}`]
}

/**
 * Has threads watched that do not take what their process was started with. Their module is loaded only where the program asks for it,
 * since it is large; where modules of the newer kind may ask, nothing tells in time.
 */
export function watchThreads(observer: string, folder: string): void {
  // What makes modules of the older kind.
  const modules = module.constructor as unknown as { _load(...given: unknown[]): unknown }
  let isWatched = false
  const watch = () => {
    if (isWatched) return
    isWatched = true
    const threads = process.getBuiltinModule('node:worker_threads')
    inPlaceOf(threads, 'Worker', watchedWorker(threads, observer, folder))
  }
  if (mayImport(process.argv[1])) {
    watch()
    return
  }
  const isThreads = (name: unknown) => name === 'worker_threads' || name === 'node:worker_threads'
  const { _load: load } = modules
  inPlaceOf(modules, '_load', function (this: unknown, ...given: unknown[]) {
    if (isThreads(given[0])) watch()
    return load.apply(this, given)
  })
  const { getBuiltinModule } = process
  inPlaceOf(process, 'getBuiltinModule', (name: string) => {
    if (isThreads(name)) watch()
    return getBuiltinModule(name)
  })
}

/** Tells whether a program may be one of modules that import: anything but a script of the older kind. */
function mayImport(script: string | undefined): boolean {
  if (script === undefined) return process.execArgv.length > 0
  if (!script.endsWith('.js')) return !script.endsWith('.cjs')
  const { readFileSync } = process.getBuiltinModule('node:fs')
  const { dirname, join } = process.getBuiltinModule('node:path')
  for (let folder = dirname(script); ; folder = dirname(folder)) {
    try {
      return JSON.parse(readFileSync(join(folder, 'package.json'), 'utf8')).type === 'module'
    } catch (error) {
      if ((error as NodeJS.ErrnoException).code !== 'ENOENT' || folder === dirname(folder)) return false
    }
  }
}

type Threads = typeof import('node:worker_threads')

function watchedWorker({ Worker }: Threads, observer: string, folder: string): Threads['Worker'] {
  return class extends Worker {
    constructor(from: string | URL, options?: WorkerOptions) {
      const { env, execArgv } = options ?? {}
      const isOwn = typeof env === 'object' && env !== null
      super(
        from,
        isOwn || Array.isArray(execArgv)
          ? {
              ...options,
              ...(isOwn && { env: { ...env, [folderName]: folder } }),
              execArgv: [...(execArgv ?? process.execArgv), '--require', observer],
            }
          : options,
      )
    }
  }
}

/** The words of Node for this thread, without the two that were added for it. */
export function ownArguments(observer: string): readonly string[] {
  const words = process.execArgv
  if (words.at(-1) === observer && words.at(-2) === '--require') words.splice(-2)
  return words
}
