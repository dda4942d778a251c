import { isLegend, isRecord } from './check.js'
import type { AnyEntry } from './entry.js'
import type { Legend } from './legend.js'
import type { Entries } from './types.js'

/** Before Mappa's own words in a JSON legend. */
const prefix = 'x-mappa-'

/** Words of the document that say where values come from, and the options they stand for. */
const sourceWords = [
  [`${prefix}directories`, 'directories'],
  [`${prefix}remotes`, 'remotes'],
  [`${prefix}top-layers`, 'topLayers'],
] as const

/**
 * A legend from a JSON Schema document (2020-12): its `properties` are the entries, `required` lists those that must
 * have a value, and Mappa's own words stand under `x-mappa-`. A property whose type JSON Schema does not know says it
 * twice: `"type": "integer", "x-mappa-type": "port"`.
 * @throws {TypeError} with a sentence for a person, if the document is not of this shape.
 */
export function legendFromJsonSchema(document: unknown): Legend<Entries> {
  if (isLegend(document))
    throw new TypeError('A JSON legend is a JSON Schema document: put the entries under "properties".')
  const { properties, required, ...words } = record(document, 'A JSON legend')
  const stages = words[`${prefix}stages`]
  const needed = new Set(Array.isArray(required) ? required : [])
  // Without a prototype, so that an entry called __proto__ is an entry and gets its fault.
  const entries: Record<string, AnyEntry> = Object.create(null)
  const declared = record(properties, '"properties" of a JSON legend')
  for (const name of Object.keys(declared)) {
    const property = declared[name]
    if (!isRecord(property)) throw new TypeError(`"properties" → ${JSON.stringify(name)} must be an object.`)
    const entry = withoutPrefix(property)
    const open = !needed.has(name) && entry.default === undefined && entry.optional === undefined
    entries[name] = (open ? { ...entry, optional: true } : entry) as unknown as AnyEntry
  }
  if (stages !== undefined && !(Array.isArray(stages) && stages.every((stage) => typeof stage === 'string')))
    throw new TypeError(`"${prefix}stages" of a JSON legend must be a list of names.`)
  const sources = Object.fromEntries(
    sourceWords.flatMap(([word, option]) => (words[word] === undefined ? [] : [[option, words[word]]])),
  )
  return { entries: entries as Entries, stages: stages ?? [], ...sources }
}

function withoutPrefix(property: Record<string, unknown>): Record<string, unknown> {
  // Most properties are entries as they stand.
  if (!hasOwnWords(property)) return property
  const entry: Record<string, unknown> = {}
  for (const word of Object.keys(property)) {
    const value = property[word]
    if (!word.startsWith(prefix)) entry[word] ??= value
    else if (word === `${prefix}stages` && isRecord(value))
      entry.stages = Object.fromEntries(
        Object.entries(value).map(([stage, words]) => [stage, withoutPrefix(record(words, `"${word}" → "${stage}"`))]),
      )
    else entry[word.slice(prefix.length)] = value
  }
  return entry
}

function hasOwnWords(property: Record<string, unknown>): boolean {
  for (const word in property) if (word.startsWith(prefix)) return true
  return false
}

function record(value: unknown, what: string): Record<string, unknown> {
  if (isRecord(value)) return value
  throw new TypeError(`${what} must be an object.`)
}
