import type { Flaw } from './item-kinds.js'
import type { Cursor } from './scan.js'

/** A place in layer text that could not be understood. Offsets are UTF-16 code units, `[start, end)`. */
export interface LayerFlaw {
  readonly flaw: Flaw
  readonly start: number
  readonly end: number
  /** The name being assigned, where the line got that far, and where its value starts. */
  readonly name: string | undefined
  readonly nameStart: number
  readonly valueStart: number
}

export function flawAt(cursor: Cursor): LayerFlaw {
  const { text, flaw, flawStart: start, flawEnd: end, nameStart, nameEnd, valueStart } = cursor
  const name = nameEnd > 0 ? text.slice(nameStart, nameEnd) : undefined
  return { flaw: flaw as Flaw, start, end, name, nameStart, valueStart }
}
