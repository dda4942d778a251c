import type { ChildProcess } from 'node:child_process'

const { constants } = process.getBuiltinModule('node:os')
const { isatty } = process.getBuiltinModule('node:tty')

/** Signals that ask a program to do something, so that they are the child's and not ours. */
export const passedOn: readonly NodeJS.Signals[] = ['SIGTERM', 'SIGHUP', 'SIGINT', 'SIGQUIT', 'SIGUSR1', 'SIGUSR2']
/** A terminal sends these to every process in its foreground, so that passing them on would make the child get them twice. */
const fromTerminal: ReadonlySet<NodeJS.Signals> = new Set(['SIGINT', 'SIGQUIT'])

/**
 * Lets a child are in this process's place: signals are passed on to it. Resolves to its exit code; where a signal ended
 * it, the same signal ends this process. Rejects with the error of one that could not be started. `onEnd` is called in between.
 */
export async function inPlace(
  child: ChildProcess,
  onEnd?: () => Promise<void>,
  /** Tells whether the signal that ended it came from here, so that it is no end of this process. */
  isOurs: () => boolean = () => false,
): Promise<number> {
  // Of the descriptor: looking at a stream would make a pipe of the child's non-blocking.
  const atTerminal = isatty(0) || isatty(1)
  const pass = (signal: NodeJS.Signals) => {
    if (!(atTerminal && fromTerminal.has(signal))) child.kill(signal)
  }
  for (const signal of passedOn) process.on(signal, pass)
  try {
    const { code, signal } = await new Promise<{ code: number | null; signal: NodeJS.Signals | null }>(
      (resolve, reject) => {
        child.once('error', reject)
        child.once('exit', (code, signal) => resolve({ code, signal }))
      },
    )
    await onEnd?.()
    if (signal === null) return code ?? 0
    if (isOurs()) return 128 + constants.signals[signal]
    for (const each of passedOn) process.off(each, pass)
    process.kill(process.pid, signal)
    // A signal that this process survives still has to show in its exit code, as shells show it.
    return 128 + constants.signals[signal]
  } finally {
    for (const signal of passedOn) process.off(signal, pass)
  }
}
