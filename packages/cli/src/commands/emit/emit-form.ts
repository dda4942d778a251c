import type { FaultKind } from 'mappa'
import type { HandedValue } from 'mappa/command'

/** What is written beside the values. */
export interface EmitTraits {
  /** What a cluster's objects are called. */
  readonly name: string
  readonly namespace?: string | undefined
  readonly stage: string
  /** Whether data is text alone, as an environment has it. */
  readonly asText: boolean
}

/** A value that a form cannot hold, and why; the sentence goes on behind the variable's name. */
export interface Unheld {
  readonly kind: FaultKind
  readonly name: string
  readonly why: string
}

/** A form in which values are handed on. */
export interface EmitForm {
  /** Why it cannot hold a value: `holds a line end`; undefined if it can. */
  readonly unheld?: (value: HandedValue) => string | undefined
  /** How the first line of a file begins that holds remarks; undefined where there is no room for one. */
  readonly remark?: '#'
  /** Whether it becomes the environment of a program, which then has to be told its stage. */
  readonly isEnvironment?: boolean
  readonly write: (values: readonly HandedValue[], traits: EmitTraits) => string | Promise<string>
}
