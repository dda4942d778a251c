import { changesBetween, reportText, type Survey } from 'mappa'
import { childEnvironment, watchFiles } from 'mappa/node'
import { openProject, type Project, type ProjectOptions, type Surveyed, surveyProject } from '../project.js'
import { type Ending, KeptChild } from '../run/kept.js'
import { talk } from '../terminal.js'
import { exitCodes } from '../usage.js'

/** Options of `mappa with --watch`. */
export interface WatchOptions extends ProjectOptions {
  /** Seconds that the child gets to end by itself; 5 unless said. */
  readonly grace?: number
}

/** Signals that end the child, and this process with it. */
const ending: readonly NodeJS.Signals[] = ['SIGINT', 'SIGTERM', 'SIGHUP', 'SIGQUIT']
/** Signals that are the child's own. */
const passedOn: readonly NodeJS.Signals[] = ['SIGUSR1', 'SIGUSR2']

interface State {
  readonly project: Project
  readonly surveyed: Surveyed
}

/**
 * `mappa with --watch [stage] -- command …`: runs a program, and starts it again whenever its values change. While the
 * new values have faults, the old one goes on.
 */
export async function watchSettings(
  command: readonly [string, ...string[]],
  options: WatchOptions,
): Promise<{ exitCode: number; cause?: unknown }> {
  const child = new KeptChild(command, (options.grace ?? 5) * 1000)
  const read = async (): Promise<State> => {
    const project = await openProject({ ...options, fresh: true })
    return { project, surveyed: await surveyProject(project, options) }
  }
  let state = await read()
  /** The survey whose values the child has. */
  let given: Survey | undefined
  let faulty = false

  return new Promise((resolve) => {
    let leaving = false
    const leave = (exitCode: number, error?: Error) => {
      if (leaving) return
      leaving = true
      close()
      for (const signal of [...ending, ...passedOn]) process.removeAllListeners(signal)
      if (error) say(error.message)
      resolve({ exitCode })
    }
    const start = () => {
      const { project, surveyed } = state
      const { found, asked } = surveyed
      given = found
      const started = child.start(childEnvironment(found, process.env, project.root, { asked }))
      started.then((end) => {
        // Asked to end, it is started again or left by whoever asked.
        if (stopping || leaving) return
        if ('error' in end) leave(exitCodes.usage, end.error)
        else say(`${command[0]} ended with exit code ${end.code}. It is started again when a value changes.`)
      })
    }
    let stopping = false
    const stop = async (signal?: NodeJS.Signals): Promise<Ending | undefined> => {
      stopping = true
      const end = await child.stop(signal)
      stopping = false
      return end
    }
    const settled = async () => {
      const { found } = state.surveyed
      if (!found.ok) {
        faulty = true
        const keeps = child.isRunning ? `The old ${command[0]} goes on.` : 'Nothing was started; waiting for a change.'
        say(reportText({ stage: found.stage, faults: found.faults, notices: [] }, { ...talk(), consequence: keeps }))
        return
      }
      const changes = given ? changesBetween(given, found) : []
      if (given && child.isRunning && changes.length === 0) {
        if (faulty) say(`All is well again, and no value has changed: ${command[0]} goes on.`)
        faulty = false
        return
      }
      faulty = false
      if (given) say([...changes.map(({ message }) => message), `Starting ${command[0]} again.`].join('\n'))
      await stop()
      if (!leaving) start()
    }

    /** One change after the other; those that come meanwhile are one. */
    let busy = false
    let again = false
    const changed = async () => {
      again = true
      if (busy) return
      busy = true
      while (again && !leaving) {
        again = false
        state = await read()
        await settled()
      }
      busy = false
    }
    const files = () => [...state.project.files, ...state.surveyed.files]
    const close = watchFiles(files, () => void changed(), { persistent: true })
    for (const signal of ending)
      process.on(signal, async () => {
        // Asked twice, nobody wants to wait.
        if (stopping) child.signal('SIGKILL')
        const end = await stop(signal)
        leave(end && 'code' in end ? end.code : 0)
      })
    for (const signal of passedOn) process.on(signal, () => child.signal(signal))
    busy = true
    void settled().then(() => {
      busy = false
      if (again) void changed()
    })
  })
}

function say(text: string): void {
  talk().write(`${text.trimEnd()}\n`)
}
