import { valueTypes } from 'mappa/command'
import type { Words } from '../../declared/legend-edits.js'
import { choose, typed } from '../../terminal/ask.js'

/** What a person says of a new variable. */
export interface AskedEntry {
  readonly words: Words
  readonly description?: string | undefined
  readonly value?: string | undefined
}

/** Asks what a new variable is: its type, whether it is secret, what it is for, and its value. */
export async function askEntry(name: string, given: AskedEntry): Promise<AskedEntry> {
  const types = Object.keys(valueTypes)
  const type = await choose(
    `The type of ${name}`,
    types.map((value) => ({ name: value, value })),
  )
  const kind = await choose<'needed' | 'optional' | 'secret' | 'browser'>('What it is', [
    { name: 'A value that there must be', value: 'needed' },
    { name: 'A value that may be left out', value: 'optional' },
    { name: 'A secret', value: 'secret' },
    { name: 'A value that pages may see', value: 'browser' },
  ])
  const description = given.description ?? (await typed('What it is for (Enter: nothing)'))
  const value = kind === 'secret' ? undefined : (given.value ?? (await typed('Its value (Enter: none yet)')))
  return {
    words: {
      ...given.words,
      type,
      ...(type === 'array' && { items: { type: 'string' } }),
      ...(kind === 'secret' && { secret: true }),
      ...(kind === 'optional' && { optional: true }),
      ...(kind === 'browser' && { reach: 'browser' }),
    },
    ...(description && { description }),
    ...(value && { value }),
  }
}
