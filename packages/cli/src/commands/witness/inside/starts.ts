import type { WorkerOptions } from 'node:worker_threads'
import { folderName } from '../protocol.js'
import { inPlaceOf } from './in-place-of.js'
import type { Notes } from './notes.js'

interface StartOptions {
  envPairs?: string[]
  readonly file?: string
}
interface Starting {
  spawn(options: StartOptions): unknown
}

/**
 * Has every process that is started watched, too. However it is started, it comes by one of two calls of Node, which are reached by a
 * way that Node advises against, and speaks of only where it is asked to.
 */
export function watchChildren(notes: Notes): void {
  const { binding } = process as unknown as { binding(name: string): unknown }
  const before = Object.getOwnPropertyDescriptor(process, 'noDeprecation')
  const started = (pid: number | undefined, file: string | undefined) => {
    const program = file?.split(/[\\/]/).at(-1)
    if (pid !== undefined && program !== undefined) notes.write({ kind: 'child', pid, program })
  }
  try {
    Object.defineProperty(process, 'noDeprecation', { value: true, configurable: true, writable: true })
    const { prototype } = (binding.call(process, 'process_wrap') as { Process: { prototype: Starting } }).Process
    const sync = binding.call(process, 'spawn_sync') as Starting
    const [spawn, spawnSync] = [prototype.spawn, sync.spawn]
    prototype.spawn = function (this: { pid?: number }, options) {
      passOn(options, notes)
      const result = spawn.call(this as never, options)
      started(this.pid, options.file)
      return result
    }
    sync.spawn = (options) => {
      passOn(options, notes)
      const result = spawnSync.call(sync, options) as { pid?: number }
      started(result.pid, options.file)
      return result
    }
  } finally {
    if (before) Object.defineProperty(process, 'noDeprecation', before)
    else delete (process as { noDeprecation?: boolean }).noDeprecation
  }
}

/** Adds to a new process's environment what has it watched, whatever environment it is given. */
function passOn(options: StartOptions, { folder, asked: { ours } }: Notes): void {
  const pairs = options.envPairs
  if (!Array.isArray(pairs) || pairs.some((pair) => pair.startsWith(`${folderName}=`))) return
  const at = pairs.findIndex((pair) => pair.startsWith('NODE_OPTIONS='))
  const own = at < 0 ? '' : (pairs[at] as string).slice('NODE_OPTIONS='.length)
  const others = pairs.filter((_, index) => index !== at)
  options.envPairs = [...others, `NODE_OPTIONS=${own === '' ? ours : `${ours} ${own}`}`, `${folderName}=${folder}`]
}

/** Has threads watched that do not take what their process was started with. */
export function watchThreads(observer: string): void {
  const threads = process.getBuiltinModule('node:worker_threads')
  const { Worker, SHARE_ENV } = threads
  class WatchedWorker extends Worker {
    constructor(from: string | URL, options?: WorkerOptions) {
      const { env, execArgv } = options ?? {}
      const isApart = execArgv !== undefined || (env !== undefined && env !== null && env !== SHARE_ENV)
      const watched = [...(execArgv ?? process.execArgv), '--require', observer]
      super(from, isApart && Array.isArray(watched) ? { ...options, execArgv: watched } : options)
    }
  }
  inPlaceOf(threads, 'Worker', WatchedWorker)
}

/** The words of Node for this thread, without the two that were added for it. */
export function ownArguments(observer: string): readonly string[] {
  const words = process.execArgv
  if (words.at(-1) === observer && words.at(-2) === '--require') words.splice(-2)
  return words
}
