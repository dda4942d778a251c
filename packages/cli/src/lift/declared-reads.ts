import { type AnyEntry, fixedAt, reachesBrowser } from 'mappa'
import type { Candidate, Finding, VariableEntry } from '../guess/finding.js'

/** Words with which a setting is another value than code made of the text, or is elsewhere in the settings. */
const changing = ['as', 'read', 'schema', 'formerly', 'delimiter', 'empty'] as const

/** Tells whether a finding is a read in code of a name that the legend declares. */
export function isDeclaredRead({ variable, form }: Finding, entries: Readonly<Record<string, AnyEntry>>): boolean {
  return variable !== undefined && /^(?:expression|pattern)$/.test(form) && Object.hasOwn(entries, variable.name)
}

/**
 * A candidate whose entry the legend has: its reads move if the entry is what code asks for, so that code gets what it got. Else it
 * stays, with what differs.
 */
export function asDeclared(candidate: Candidate, entries: Readonly<Record<string, AnyEntry>>): Candidate {
  const entry = entries[candidate.name]
  if (!entry) return candidate
  const blocked = candidate.blocked ?? differenceFrom(candidate, entry)
  // A literal that looks like a secret is hidden, whatever the legend says.
  const secret = candidate.secret || entry.secret === true
  return {
    ...candidate,
    declared: true,
    secret,
    value: undefined,
    stages: {},
    entry: { ...candidate.entry, secret, type: entry.type as VariableEntry['type'] },
    reason: `${candidate.reason.replace(/\.$/, '')}; the legend declares it.`,
    ...(blocked !== undefined && { blocked }),
  }
}

const numbers = /^(?:port|integer|number)$/

function differenceFrom({ entry: asked, value, reach, stages }: Candidate, entry: AnyEntry): string | undefined {
  const word = changing.find((each) => entry[each] !== undefined)
  if (word !== undefined) return `Its entry has the word ${word}, so settings hold it in another form.`
  if (Object.keys(entry.stages ?? {}).length > 0) return 'Its entry differs between stages.'
  if (reach === 'browser' && (!reachesBrowser(entry) || fixedAt(entry) !== 'build'))
    return 'Browser code reads it, but its entry is not for the browser.'
  if (value !== undefined || Object.keys(stages).length > 0) return 'Code has a value of its own for it.'
  const isNumber = numbers.test(entry.type)
  if (entry.type !== asked.type && !(isNumber && numbers.test(asked.type)))
    return `The legend declares it as ${entry.type}, but code makes a ${asked.type} of it.`
  if (entry.default === undefined && asked.default !== undefined)
    return 'Code has a fallback, but the legend has no default.'
  if (entry.default !== undefined && asked.default === undefined)
    return 'The legend has a default, but code has no fallback.'
  if (JSON.stringify(entry.default) !== JSON.stringify(asked.default))
    return 'Code falls back to another value than the default in the legend.'
  if ((entry.optional === true) !== asked.optional)
    return entry.optional
      ? 'The legend has it as optional, but code needs a value.'
      : 'The legend requires it, but code goes on without it.'
  return undefined
}
