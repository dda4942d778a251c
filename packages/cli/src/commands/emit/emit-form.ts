import type { FaultKind } from 'mappa'
import type { DeliveredValue } from 'mappa/command'

/** Facts about an output beside its values. */
export interface OutputOptions {
  /** Name of the cluster's objects. */
  readonly name: string
  readonly namespace?: string | undefined
  readonly stage: string
  /** True if data is text alone, as an environment has it. */
  readonly asText: boolean
}

/** A value that a form cannot hold, and why; the sentence goes on behind the variable's name. */
export interface Unheld {
  readonly kind: FaultKind
  readonly name: string
  readonly why: string
}

/** A form in which values are passed on. */
export interface EmitForm {
  /** Why it cannot hold a value: `holds a line end`; undefined if it can. */
  readonly unheld?: (value: DeliveredValue) => string | undefined
  /** The comment sign of the form; undefined if it has no comments. */
  readonly remark?: '#'
  /** True if it becomes the environment of a program, which then also gets its stage. */
  readonly isEnvironment?: boolean
  readonly write: (values: readonly DeliveredValue[], options: OutputOptions) => string | Promise<string>
}
