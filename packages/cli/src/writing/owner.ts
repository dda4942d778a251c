import fs from 'node:fs'
import { hostname } from 'node:os'

/**
 * Who writes: a process id alone says nothing where containers or machines share a folder. On Linux the kernel's start, the
 * space of process ids and the process's own start are known, too (proc(5), pid_namespaces(7)).
 */
export interface Owner {
  readonly pid: number
  readonly host: string
  /** The id that the kernel gave itself when it started. */
  readonly boot?: string
  /** The space that the process id belongs to. */
  readonly space?: string
  /** When the process started, in ticks since the kernel did. */
  readonly started?: string
  /** The id of the installation. */
  readonly machine?: string
}

/** `elsewhere` is an owner of whom this process cannot know whether it runs. */
export type Liveness = 'running' | 'gone' | 'elsewhere'

export function thisOwner(): Owner {
  const boot = trimmedText('/proc/sys/kernel/random/boot_id')
  const started = startOf(process.pid)
  const machine = trimmedText('/etc/machine-id')
  let space: string | undefined
  try {
    space = fs.readlinkSync('/proc/self/ns/pid')
  } catch {}
  return {
    pid: process.pid,
    host: hostname(),
    ...(boot && { boot }),
    ...(space && { space }),
    ...(started && { started }),
    ...(machine && { machine }),
  }
}

/** Tells whether an owner still runs, as far as this process can know. */
export function livenessOf(owner: Owner): Liveness {
  const own = thisOwner()
  // What only one of both knows says nothing.
  const isAlike = (word: 'boot' | 'space') => !owner[word] || !own[word] || owner[word] === own[word]
  if (owner.host === own.host && isAlike('boot') && isAlike('space')) return livenessHere(owner)
  // After a new start of the same machine nothing of it runs any more.
  const isSameMachine = owner.machine !== undefined && owner.machine === own.machine && owner.host === own.host
  return isSameMachine && owner.boot !== undefined && own.boot !== undefined && owner.boot !== own.boot
    ? 'gone'
    : 'elsewhere'
}

function livenessHere({ pid, started }: Owner): Liveness {
  if (!isRunning(pid)) return 'gone'
  const now = startOf(pid)
  // The number may belong to another process by now.
  return started !== undefined && now !== undefined && started !== now ? 'gone' : 'running'
}

/** Tells whether there is a process of this number. */
export function isRunning(pid: number): boolean {
  try {
    process.kill(pid, 0)
    return true
  } catch (error) {
    return (error as NodeJS.ErrnoException).code === 'EPERM'
  }
}

/** An owner from outside; undefined if it is not one. */
export function ownerFrom(value: unknown): Owner | undefined {
  const { pid, host, ...rest } = (typeof value === 'object' && value !== null ? value : {}) as Partial<Owner>
  if (!Number.isSafeInteger(pid) || (pid as number) <= 0 || typeof host !== 'string') return undefined
  const words = ['boot', 'space', 'started', 'machine'] as const
  return {
    pid: pid as number,
    host,
    ...Object.fromEntries(words.flatMap((word) => (typeof rest[word] === 'string' ? [[word, rest[word]]] : []))),
  }
}

function startOf(pid: number): string | undefined {
  const text = trimmedText(`/proc/${pid}/stat`)
  // The command in brackets may hold anything; behind it, the start is the 20th field.
  return text?.slice(text.lastIndexOf(')') + 2).split(' ')[19]
}

function trimmedText(path: string): string | undefined {
  try {
    return fs.readFileSync(path, 'latin1').trim() || undefined
  } catch {
    return undefined
  }
}
