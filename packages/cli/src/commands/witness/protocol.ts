/** What the observer in a watched process and the command say to each other. */

/** The environment variable with the folder of a run, in each process that is watched. */
export const folderName = 'MAPPA_WITNESS'
/** The file in that folder that says what may be written down. */
export const askedFile = 'asked.json'

/** What an observer may write down: the values of `plain`, and a checksum of those of `secret`; of all others only that they are set. */
export interface NotingRules {
  /** Key of the checksums, for this run only. Hexadecimal. */
  readonly key: string
  readonly plain: readonly string[]
  readonly secret: readonly string[]
  /** What stands in front of the program's own NODE_OPTIONS. */
  readonly ours: string
  /** Ways of seeing that are left out: for tests of each. */
  readonly without?: readonly Way[]
}

/** The ways in which a process is seen to ask. */
export type Way =
  | 'reads'
  | 'membership'
  | 'descriptors'
  | 'walks'
  | 'assignments'
  | 'loaded-files'
  | 'children'
  | 'threads'
  | 'settings'
  | 'preload'

/** A place in code as it runs: an address or a path, with a line and a column from 1. */
export interface RawPlace {
  readonly file: string
  readonly line: number
  readonly column: number
}

/** What a name had when it was asked for. */
export interface GotValue {
  readonly is: 'unset' | 'empty' | 'set'
  /** Only of names that may be shown. */
  readonly text?: string
  /** Of secrets, and of values that hold one. Hexadecimal. */
  readonly checksum?: string
}

/** One line of a record. */
export type RecordLine =
  | {
      readonly kind: 'process'
      /** Milliseconds since 1970. */
      readonly at: number
      readonly pid: number
      readonly isThread: boolean
      /** The program's file; undefined for code on the command line. */
      readonly script: string | undefined
      readonly folder: string
      /** Layer files that Node itself was told to read. */
      readonly envFiles: readonly string[]
      /** The stage of a `mappa with` around it. */
      readonly withStage: string | undefined
    }
  | { readonly kind: 'read'; readonly name: string; readonly place?: RawPlace; readonly got: GotValue }
  | {
      readonly kind: 'setting'
      readonly name: string
      readonly place?: RawPlace
      readonly got: GotValue
      readonly from: string
    }
  | { readonly kind: 'settled'; readonly stage: string; readonly frames: readonly RawPlace[] }
  | { readonly kind: 'preloaded'; readonly stage: string; readonly names: readonly string[] }
  | {
      readonly kind: 'set'
      readonly name: string
      readonly place?: RawPlace
      readonly by: 'code' | 'loadEnvFile'
      /** True if the same file asked for the name just before, as readers do that keep what is set. */
      readonly asked?: boolean
    }
  | { readonly kind: 'whole'; readonly for: 'code' | 'child'; readonly place?: RawPlace }
  | { readonly kind: 'child'; readonly pid: number; readonly program: string }
