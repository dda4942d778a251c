import type { Place } from 'mappa'
import type { Gets } from './gets.js'
import type { StartGets } from './told.js'

/** What a start gives code instead of what the layers of its stage give. */
export interface Deviation {
  /** The start as a person knows it. */
  readonly start: string
  readonly place: Place
  readonly gets: 'nothing' | 'fallback' | 'other' | 'set' | 'unknown'
  /** A fallback's text, or that which the start sets. It may be a secret. */
  readonly text?: string | undefined
  /** Where code reads it. */
  readonly read?: Place | undefined
  /** The reader that gives another value, and its file; or why it is not known. */
  readonly by?: string | undefined
  readonly file?: string | undefined
}

/** The starts in which code gets another value of a variable, or in which that is not known. */
export function deviationsOf(all: readonly StartGets[], name: string): readonly Deviation[] {
  return all.flatMap(({ start, gets, unknown }): Deviation[] => {
    const own = gets.get(name)
    if (!own || own.is === 'same') return []
    const known = { start: start.name, place: start.place }
    const read = 'read' in own ? own.read?.place : undefined
    if (own.is === 'set') return [{ ...known, gets: 'set', text: own.text }]
    if (own.is === 'unknown') return [{ ...known, gets: 'unknown', by: own.why, read }]
    // Where something else may set it, nothing is certain.
    if (unknown !== undefined) return [{ ...known, gets: 'unknown', by: unknown.replace(/\.$/, ''), read }]
    return [{ ...known, read, ...instead(own) }]
  })
}

function instead(own: Gets): Pick<Deviation, 'gets' | 'text' | 'by' | 'file'> {
  if (own.is === 'other') return { gets: 'other', by: own.by, file: own.file }
  const fallback = own.is === 'lost' ? own.read.fallback : undefined
  if (fallback === undefined) return { gets: 'nothing' }
  return { gets: 'fallback', ...(fallback !== 'computed' && { text: fallback.text }) }
}
