import spawn from 'cross-spawn'
import { printable } from 'mappa'
import { withoutCredentials } from 'mappa/command'
import { UsageError } from '../terminal/usage-error.js'
import { inPlace } from './in-place.js'

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
  try {
    return await inPlace(child)
  } catch (error) {
    throw notRun(command, error as NodeJS.ErrnoException)
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
  if (error.code === 'ENOENT') return new UsageError(`Command not found: ${shown} is neither a file nor in PATH.`)
  if (error.code === 'EACCES') return new UsageError(`Cannot run ${shown}: this user may not execute it.`)
  if (error.code === 'E2BIG') return new UsageError(`Cannot run ${shown}: its arguments and environment are too large.`)
  return new UsageError(`Cannot run ${shown}: the system says ${error.code ?? error.message}.`)
}
