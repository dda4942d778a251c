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

const threads = process.getBuiltinModule('node:worker_threads')

/** The folder of the run that this process or thread belongs to. Nothing of it stays in the environment, which the program sees. */
export function takenFolder(real: Record<string, string | undefined>): string | undefined {
  const given = real[folderName] ?? threads.getEnvironmentData(folderName)
  delete real[folderName]
  if (typeof given !== 'string') return undefined
  // Each thread gets this from the one that starts it.
  if (threads.isMainThread) threads.setEnvironmentData(folderName, given)
  return given
}

export const { isMainThread } = threads

/** Has threads watched that do not take what their process was started with. */
export function watchThreads(observer: string): void {
  const { Worker: Started } = threads
  class Worker extends Started {
    constructor(from: string | URL, options?: WorkerOptions) {
      const { env, execArgv } = options ?? {}
      const isApart = Array.isArray(execArgv) || (typeof env === 'object' && env !== null)
      super(
        from,
        isApart ? { ...options, execArgv: [...(execArgv ?? process.execArgv), '--require', observer] } : options,
      )
    }
  }
  inPlaceOf(threads, 'Worker', Worker)
}

/** The words of Node for this thread, without the two that were added for it. */
export function ownArguments(observer: string): readonly string[] {
  const words = process.execArgv
  if (words.at(-1) === observer && words.at(-2) === '--require') words.splice(-2)
  return words
}
