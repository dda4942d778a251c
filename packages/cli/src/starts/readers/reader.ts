/** What a reader makes of the text of a file. */
export interface ReaderAnswer {
  /** Values by name; undefined where the text does not tell it: a shell would run a command, or a value does not end. */
  readonly values: ReadonlyMap<string, string | undefined>
  /** The line from which on the text does not tell what it does, from 1. */
  readonly untoldAt?: number | undefined
  /** The line that makes it refuse the whole file, from 1. */
  readonly refusedAt?: number | undefined
}

/** Reads a text as another program does; `around` is the environment that it runs in. */
export type ReadAs = (text: string, around: ReadonlyMap<string, string>) => ReaderAnswer
