import { flawAt, type LayerFlaw } from './flaws.js'
import { cursorAt, scanItem } from './scan.js'
import { decodeValue } from './value.js'

/** Names with their values, the last of a repeated name winning, and the flaws, in the order of the text. */
export interface LayerValues {
  readonly values: ReadonlyMap<string, string>
  readonly flaws: readonly LayerFlaw[]
}

/** Reads names and values only: the fast way, for settling. `readLayer` gives the document. */
export function readValues(text: string): LayerValues {
  const cursor = cursorAt(text)
  const values = new Map<string, string>()
  const flaws: LayerFlaw[] = []
  while (scanItem(cursor)) {
    if (cursor.kind === 'assignment') {
      const written = text.slice(cursor.valueStart, cursor.valueEnd)
      const value = cursor.style === 'bare' ? written : decodeValue(written, cursor.style)
      values.set(text.slice(cursor.nameStart, cursor.nameEnd), value)
    } else if (cursor.kind === 'fault') flaws.push(flawAt(cursor))
  }
  return { values, flaws }
}
