/** Wrong usage: its message is a sentence for the person who typed the command, and the exit code is 2. */
export class UsageError extends Error {
  override readonly name = 'UsageError'
}

/** Exit codes of every command. */
export const exitCodes = { fine: 0, faults: 1, usage: 2 } as const

/** The end of a command. */
export interface Ended {
  readonly exitCode: number
  /** The place where code of the project failed, shown with `--debug`. */
  readonly cause?: string | undefined
}
