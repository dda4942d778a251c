import type { ChildProcess, StdioOptions } from 'node:child_process'
import { readdirSync, readFileSync } from 'node:fs'
import { constants } from 'node:os'
import { setTimeout as wait } from 'node:timers/promises'
import { isatty } from 'node:tty'
import spawn from 'cross-spawn'
import { notRun, startedBy } from './child.js'

/** The end of a child, as a shell shows it: 128 and the number for a signal. */
export type Ending = { readonly code: number } | { readonly error: Error }

/** Windows has no process groups and no signals: there the child alone is ended. */
const groups = process.platform !== 'win32'
/** How long a killed process is waited for, so that its port is free. Milliseconds. */
const killedMax = 1000
/** Pause between two looks at a group. Milliseconds. */
const pollEvery = 20

/**
 * A program that is kept running and started again. It and what it starts form a group of their own, so that stopping
 * it leaves nothing behind that holds its port.
 */
export class KeptChild {
  #child: ChildProcess | undefined
  #ended: Promise<Ending> | undefined
  /** Number of the group that was started last, while something of it may still run. */
  #group: number | undefined

  constructor(
    readonly command: readonly [string, ...string[]],
    /** Milliseconds that it gets to end by itself. */
    readonly grace: number,
  ) {}

  get isRunning(): boolean {
    return this.#child !== undefined
  }

  /** Starts it; how it ends comes later. */
  start(environment: NodeJS.ProcessEnv): Promise<Ending> {
    const [name, ...args] = this.command
    // A group in the background that reads from the terminal would be stopped by it.
    const stdin = isatty(0) ? 'ignore' : 'inherit'
    const options = { stdio: [stdin, 'inherit', 'inherit'] as StdioOptions, env: environment, detached: groups }
    let child: ChildProcess
    try {
      child = startedBy(name, () => spawn(name, args, options))
    } catch (error) {
      return Promise.resolve({ error: error as Error })
    }
    this.#child = child
    this.#group = child.pid
    const ended = new Promise<Ending>((resolve) => {
      child.once('error', (error) => resolve({ error: notRun(name, error) }))
      child.once('exit', (code, signal) => resolve({ code: signal ? 128 + constants.signals[signal] : (code ?? 0) }))
    })
    this.#ended = ended.then((ending) => {
      if (this.#child === child) this.#child = undefined
      // What it started may go on. A number whose group is gone may be given to another.
      if (this.#group === child.pid && !isThere(child.pid)) this.#group = undefined
      return ending
    })
    return this.#ended
  }

  signal(signal: NodeJS.Signals): void {
    const pid = groups ? this.#group : this.#child?.pid
    if (pid === undefined) return
    try {
      if (groups) process.kill(-pid, signal)
      else this.#child?.kill(signal)
    } catch {
      // It has just ended.
    }
  }

  /** Ends it and what it has started, at once. */
  kill(): void {
    this.signal('SIGKILL')
  }

  /** Asks it to end, and after the grace period makes it: also what a program that has ended has left behind. */
  async stop(signal: NodeJS.Signals = 'SIGTERM'): Promise<Ending | undefined> {
    const [child, group] = [this.#child, this.#group]
    if (!child && group === undefined) return undefined
    const until = Date.now() + this.grace
    this.signal(signal)
    const ending = child && (await Promise.race([this.#ended, wait(this.grace, undefined, { ref: false })]))
    await gone(group, until)
    if (isThere(group) || (child && !ending)) {
      this.kill()
      await gone(group, Date.now() + killedMax)
    }
    if (this.#group === group && !isThere(group)) this.#group = undefined
    return child && (ending ?? this.#ended)
  }
}

async function gone(pid: number | undefined, until: number): Promise<void> {
  while (isThere(pid) && Date.now() < until) await wait(pollEvery)
}

/** Tells whether anything of a group still runs. */
function isThere(pid: number | undefined): boolean {
  if (!groups || pid === undefined) return false
  try {
    process.kill(-pid, 0)
    return process.platform !== 'linux' || hasLiving(pid)
  } catch (error) {
    return (error as NodeJS.ErrnoException).code === 'EPERM'
  }
}

/**
 * Whether a group has a process that has not ended. In containers the first process is often no init, and then what has
 * ended stays listed for long, or for ever.
 */
function hasLiving(group: number): boolean {
  return readdirSync('/proc')
    .filter((name) => /^\d+$/.test(name))
    .some((pid) => groupOfLiving(pid) === group)
}

/** The group of a process; undefined once it has ended. proc(5): behind the command in brackets stand state, parent and group. */
function groupOfLiving(pid: number | string): number | undefined {
  try {
    const text = readFileSync(`/proc/${pid}/stat`, 'latin1')
    const [state, , group] = text.slice(text.lastIndexOf(')') + 2).split(' ')
    return state === 'Z' || state === 'X' ? undefined : Number(group)
  } catch {
    return undefined
  }
}

/** Asks processes to end, and after the grace period makes them. Milliseconds. */
export async function endAll(pids: readonly number[], grace: number): Promise<void> {
  const living = () => pids.filter(isAlive)
  for (const pid of living()) signalled(pid, 'SIGTERM')
  for (const until = Date.now() + grace; living().length > 0 && Date.now() < until; ) await wait(pollEvery)
  for (const pid of living()) signalled(pid, 'SIGKILL')
}

function isAlive(pid: number): boolean {
  return signalled(pid, 0) && (process.platform !== 'linux' || groupOfLiving(pid) !== undefined)
}

function signalled(pid: number, signal: NodeJS.Signals | 0): boolean {
  try {
    return process.kill(pid, signal)
  } catch {
    return false
  }
}
