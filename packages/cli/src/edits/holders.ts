import { Needles } from 'mappa/command'

/** A text in which a value may still stand. */
export interface Searched {
  readonly path: string
  readonly text: string
}

/** Finds where texts still hold one of these values, in any spelling: `compose.yaml:12`, and no text of any. */
export function holdersOf(values: readonly string[], searched: Iterable<Searched>): string[] {
  const needles = new Needles()
  for (const value of values) needles.add(value, '')
  const found: string[] = []
  for (const { path, text } of searched) {
    const lines = new Set(needles.in(text).map(({ start }) => text.slice(0, start).split('\n').length))
    for (const line of lines) found.push(`${path}:${line}`)
  }
  return found
}
