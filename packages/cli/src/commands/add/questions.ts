import { valueTypes } from 'mappa/command'
import type { Words } from '../../declared/legend-edits.js'
import { choose, typed } from '../../terminal/ask.js'

/** Answers about a new variable. */
export interface AskedEntry {
  readonly words: Words
  readonly description?: string | undefined
  readonly value?: string | undefined
}

/** Asks what a new variable is called. */
export function askName(): Promise<string> {
  return typed('Name of the variable')
}

/** Asks what a new variable is: its type, whether it is secret, what it is for, and its value. */
export async function askEntry(name: string, given: AskedEntry): Promise<AskedEntry> {
  const types = Object.keys(valueTypes)
  const type = await choose(
    `The type of ${name}`,
    types.map((value) => ({ name: value, value })),
  )
  const kind = await choose<'needed' | 'optional' | 'secret' | 'browser'>('Kind of value', [
    { name: 'Required', value: 'needed' },
    { name: 'Optional', value: 'optional' },
    { name: 'A secret', value: 'secret' },
    { name: 'Visible in the browser', value: 'browser' },
  ])
  const description = given.description ?? (await typed('What it is for (Enter to skip)'))
  const value = kind === 'secret' ? undefined : (given.value ?? (await typed('Its value (Enter to skip)')))
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
