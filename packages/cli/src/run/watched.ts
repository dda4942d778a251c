import { changesBetween, type Fault, reportText, type Survey } from 'mappa'
import { childEnvironment, watchFiles } from 'mappa/command'
import type { Project, Surveyed } from '../project/project.js'
import type { Terminal } from '../terminal/terminal.js'
import { exitCodes } from '../terminal/usage-error.js'
import { passedOn } from './in-place.js'
import type { KeptChild } from './kept.js'
import { tooLongFor } from './limits.js'

/** Signals that are the child's own; the others end it, and this process with it. */
const childsOwn: ReadonlySet<NodeJS.Signals> = new Set(['SIGUSR1', 'SIGUSR2'])

/** A project and its settings as they are at one time. */
export interface WatchedProject {
  readonly project: Project
  readonly surveyed: Surveyed
}

/**
 * A program that is run with a project's values, and started again whenever they change. While the new values have
 * faults, the old one goes on.
 */
export class WatchedRun {
  readonly #child: KeptChild
  readonly #name: string
  readonly #read: () => Promise<WatchedProject | Fault>
  readonly #terminal: Terminal
  readonly #handlers = new Map<NodeJS.Signals, () => void>()
  #state: WatchedProject
  /** The survey whose values the child has. */
  #given: Survey | undefined
  #faulty = false
  /** True while the child ends because it is to be started again. */
  #restarting = false
  /** True from the moment that a signal asks this process to end: nothing is started after it. */
  #leaving = false
  /** Called once, when nothing is watched any more. */
  #leave: ((exitCode: number) => void) | undefined
  #close = () => {}
  #busy = false
  #again = false
  /** True if a file has changed for sure since the last look. */
  #isSure = false

  /** `first` is the project as it is now. `read` reads it again, and gives a fault while it is not there. */
  constructor(
    child: KeptChild,
    first: WatchedProject,
    read: () => Promise<WatchedProject | Fault>,
    terminal: Terminal,
  ) {
    this.#child = child
    this.#name = child.command[0]
    this.#state = first
    this.#read = read
    this.#terminal = terminal
  }

  /** Runs until a signal ends it, or the program cannot be started. Resolves to the exit code. */
  run(): Promise<number> {
    return new Promise((resolve) => {
      this.#leave = resolve
      const files = () => [...this.#state.project.files, ...this.#state.surveyed.files]
      this.#close = watchFiles(files, (isSure) => void this.#round(true, isSure), { persistent: true })
      for (const signal of passedOn) {
        const handle = childsOwn.has(signal) ? () => this.#child.signal(signal) : () => void this.#endBy(signal)
        this.#handlers.set(signal, handle)
        process.on(signal, handle)
      }
      // Whatever else ends this process ends the program, too.
      process.on('exit', this.#kill)
      void this.#round(false)
    })
  }

  readonly #kill = () => this.#child.kill()

  /** One change after the other; those that come meanwhile are one. */
  async #round(changed: boolean, isSure = true): Promise<void> {
    this.#isSure ||= isSure
    if (this.#busy) {
      this.#again = true
      return
    }
    this.#busy = true
    let reads = changed
    do {
      this.#again = false
      const read = reads ? await this.#read() : this.#state
      reads = true
      if (this.#leaving) break
      if ('kind' in read) this.#refuse([read], this.#state.surveyed.found.stage)
      else {
        this.#state = read
        const isCertain = this.#isSure
        this.#isSure = false
        await this.#settle(isCertain)
      }
    } while (this.#again && !this.#leaving)
    this.#busy = false
  }

  /** Gives the child the values as they are now, if they are others than it has and have no faults. */
  async #settle(isSure: boolean): Promise<void> {
    const { found } = this.#state.surveyed
    const { stage } = found
    const faults = found.ok ? tooLongFor(found) : found.faults
    const isRunning = this.#child.isRunning
    if (faults.length > 0) return this.#refuse(faults, stage)
    const changes = this.#given ? changesBetween(this.#given, found) : []
    const wasFaulty = this.#faulty
    this.#faulty = false
    // One that has ended is started again by any change of a file, but not by the first look at them.
    if (this.#given && changes.length === 0 && (isRunning || !isSure)) {
      if (wasFaulty && isRunning) this.#say(`No faults now, and no value has changed: ${this.#name} keeps running.`)
      return
    }
    if (this.#given) this.#say([...changes.map(({ message }) => message), `Restarting ${this.#name}.`].join('\n'))
    this.#restarting = true
    await this.#child.stop()
    this.#restarting = false
    if (!this.#leaving) void this.#start()
  }

  #refuse(faults: readonly Fault[], stage: Survey['stage']): void {
    this.#faulty = true
    const consequence = this.#child.isRunning
      ? `The old ${this.#name} keeps running.`
      : 'Nothing was started. Waiting for a change.'
    this.#say(reportText({ stage, faults, notices: [] }, { ...this.#terminal, consequence }))
  }

  async #start(): Promise<void> {
    const { project, surveyed } = this.#state
    const { found, asked } = surveyed
    this.#given = found
    const end = await this.#child.start(childEnvironment(found, process.env, project.root, { asked }))
    if (this.#restarting || this.#leaving) return
    if ('error' in end) {
      this.#ended(exitCodes.usage)
      this.#say(end.error.message)
    } else this.#say(`${this.#name} exited with ${end.code}. It restarts when a value changes.`)
  }

  /** Ends the program with the signal that came, also while it is being restarted; a second one ends it at once. */
  async #endBy(signal: NodeJS.Signals): Promise<void> {
    if (this.#leaving) return this.#child.kill()
    this.#leaving = true
    const end = await this.#child.stop(signal)
    this.#ended(end && 'code' in end ? end.code : 0)
  }

  #ended(exitCode: number): void {
    const leave = this.#leave
    this.#leave = undefined
    this.#close()
    for (const [signal, handle] of this.#handlers) process.off(signal, handle)
    process.off('exit', this.#kill)
    leave?.(exitCode)
  }

  #say(text: string): void {
    this.#terminal.write(`${text.trimEnd()}\n`)
  }
}
