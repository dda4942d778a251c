import { constants } from 'node:os'
import spawn from 'cross-spawn'
import { printable, withoutCredentials } from 'mappa/command'
import { UsageError } from '../terminal/usage-error.js'

/** Signals that ask a program to do something, so that they are the child's and not ours. */
export const passedOn: readonly NodeJS.Signals[] = ['SIGTERM', 'SIGHUP', 'SIGINT', 'SIGQUIT', 'SIGUSR1', 'SIGUSR2']
/** A terminal sends these to every process in its foreground, so that passing them on would make the child get them twice. */
const fromTerminal: ReadonlySet<NodeJS.Signals> = new Set(['SIGINT', 'SIGQUIT'])

/**
 * Runs a program in this one's place: same terminal, its signals passed on. The exit code is its own; where a signal
 * ended it, the same signal ends this process.
 * @throws {UsageError} if there is no such program, or it cannot be run.
 */
export async function runChild(
  [command, ...args]: readonly [string, ...string[]],
  environment: NodeJS.ProcessEnv,
): Promise<number> {
  const child = startedBy(command, () => spawn(command, args, { stdio: 'inherit', env: environment }))
  const atTerminal = process.stdin.isTTY || process.stdout.isTTY
  const pass = (signal: NodeJS.Signals) => {
    if (!(atTerminal && fromTerminal.has(signal))) child.kill(signal)
  }
  for (const signal of passedOn) process.on(signal, pass)
  try {
    const { code, signal } = await new Promise<{ code: number | null; signal: NodeJS.Signals | null }>(
      (resolve, reject) => {
        child.once('error', (error) => reject(notRun(command, error)))
        child.once('exit', (code, signal) => resolve({ code, signal }))
      },
    )
    if (signal === null) return code ?? 0
    for (const each of passedOn) process.off(each, pass)
    process.kill(process.pid, signal)
    // A signal that this process survives still has to show in its exit code, as shells show it.
    return 128 + constants.signals[signal]
  } finally {
    for (const signal of passedOn) process.off(signal, pass)
  }
}

/** Some failures come at once, others as an event: here the former. */
export function startedBy<T>(command: string, start: () => T): T {
  try {
    return start()
  } catch (error) {
    throw notRun(command, error as NodeJS.ErrnoException)
  }
}

/** Says why a program could not be run. */
export function notRun(command: string, error: NodeJS.ErrnoException): Error {
  const shown = JSON.stringify(printable(withoutCredentials(command)))
  if (error.code === 'ENOENT')
    return new UsageError(`There is no command ${shown}: it is neither a file nor found in PATH.`)
  if (error.code === 'EACCES')
    return new UsageError(`The command ${shown} cannot be run: it is not executable for this user.`)
  if (error.code === 'E2BIG')
    return new UsageError(
      `The command ${shown} cannot be run: its arguments and its environment are too large together.`,
    )
  return new UsageError(`The command ${shown} cannot be run: the system says ${error.code ?? error.message}.`)
}
