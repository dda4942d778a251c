import type { ChildProcess } from 'node:child_process'
import { constants } from 'node:os'
import { setTimeout as wait } from 'node:timers/promises'
import spawn from 'cross-spawn'
import { notRun } from './child.js'

/** How a child ended: as a shell would show it, with 128 and its number for a signal. */
export type Ending = { readonly code: number } | { readonly error: Error }

/** Windows has no process groups and no signals: there the child alone is ended. */
const groups = process.platform !== 'win32'
/** How often a group is asked whether it is still there. Milliseconds. */
const pollEvery = 20

/**
 * A program that is kept running and started again. It and what it starts form a group of their own, so that stopping
 * it leaves nothing behind that holds its port.
 */
export class KeptChild {
  #child: ChildProcess | undefined
  #ended: Promise<Ending> | undefined

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
    const stdin = process.stdin.isTTY ? 'ignore' : 'inherit'
    const child = spawn(name, args, { stdio: [stdin, 'inherit', 'inherit'], env: environment, detached: groups })
    this.#child = child
    const ended = new Promise<Ending>((resolve) => {
      child.once('error', (error) => resolve({ error: notRun(name, error) }))
      child.once('exit', (code, signal) => resolve({ code: signal ? 128 + constants.signals[signal] : (code ?? 0) }))
    })
    this.#ended = ended.then((ending) => {
      if (this.#child === child) this.#child = undefined
      return ending
    })
    return this.#ended
  }

  signal(signal: NodeJS.Signals): void {
    const { pid } = this.#child ?? {}
    if (pid === undefined) return
    try {
      if (groups) process.kill(-pid, signal)
      else this.#child?.kill(signal)
    } catch {
      // It has just ended.
    }
  }

  /** Asks it to end, and after the grace period makes it. */
  async stop(signal: NodeJS.Signals = 'SIGTERM'): Promise<Ending | undefined> {
    const child = this.#child
    if (!child || !this.#ended) return undefined
    const until = Date.now() + this.grace
    this.signal(signal)
    const ending = await Promise.race([this.#ended, wait(this.grace, undefined, { ref: false })])
    while (isThere(child.pid) && Date.now() < until) await wait(pollEvery)
    if (isThere(child.pid) || !ending) kill(child)
    return ending ?? this.#ended
  }
}

/** Whether anything of a group is left. */
function isThere(pid: number | undefined): boolean {
  if (!groups || pid === undefined) return false
  try {
    process.kill(-pid, 0)
    return true
  } catch (error) {
    return (error as NodeJS.ErrnoException).code === 'EPERM'
  }
}

function kill(child: ChildProcess): void {
  try {
    if (groups && child.pid !== undefined) process.kill(-child.pid, 'SIGKILL')
    else child.kill('SIGKILL')
  } catch {
    // It has just ended.
  }
}
