import { constants } from 'node:os'

/** A signal asked this process to end while it wrote. */
export class Interrupted extends Error {
  override readonly name = 'Interrupted'
  constructor(
    readonly signal: NodeJS.Signals,
    /** True if it came too late to stop the write. */
    readonly isWritten: boolean,
  ) {
    super(`Interrupted. ${isWritten ? 'All changes were written.' : 'Nothing was written.'}`)
  }

  /** As a shell shows an end by a signal. */
  get exitCode(): number {
    return 128 + constants.signals[this.signal]
  }
}

const ending: readonly NodeJS.Signals[] = ['SIGINT', 'SIGTERM', 'SIGHUP', 'SIGQUIT']

/**
 * Runs what must be done whole or not at all: a signal that comes meanwhile is kept until it may be obeyed. `look` throws once
 * one has come.
 * @throws {Interrupted} if a signal came, also when all was done.
 */
export async function uninterrupted<T>(action: (look: () => void) => Promise<T>): Promise<T> {
  let came: NodeJS.Signals | undefined
  const keep = (signal: NodeJS.Signals) => {
    came ??= signal
  }
  for (const signal of ending) process.on(signal, keep)
  try {
    const done = await action(() => {
      if (came) throw new Interrupted(came, false)
    })
    // What came while nothing was awaited is heard now.
    await new Promise((resolve) => setImmediate(resolve))
    if (came) throw new Interrupted(came, true)
    return done
  } finally {
    for (const signal of ending) process.off(signal, keep)
  }
}
