import { isLegend } from './check.js'
import { defaultOf, numberOf } from './constraints.js'
import type { AnyEntry } from './entry.js'
import { mustBeLegend } from './given.js'
import { entriesOf, type Legend, stagesIn } from './legend.js'
import { isRecord } from './records.js'
import type { Entries } from './types.js'
import { isType, valueType } from './value-types.js'
import { wordOf } from './words.js'

/** Before Mappa's own words in a JSON legend. */
const prefix = 'x-mappa-'

/** Words of the document that say where values come from, and the options they stand for. */
const sourceWords = [
  [`${prefix}directories`, 'directories'],
  [`${prefix}remotes`, 'remotes'],
  [`${prefix}top-layers`, 'topLayers'],
  [`${prefix}accepted`, 'accepted'],
] as const

/** A JSON Schema document: an object of plain data. */
export interface JsonSchema {
  readonly [word: string]: unknown
}

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
  const isList = Array.isArray(stages) && stages.every((stage) => typeof stage === 'string')
  const isNamed = isRecord(stages) && Object.values(stages).every(isStageRecord)
  if (stages !== undefined && !isList && !isNamed)
    throw new TypeError(
      `"${prefix}stages" of a JSON legend must be a list of names, or { "preview": { "like": "staging" } }.`,
    )
  const sources = Object.fromEntries(
    sourceWords.flatMap(([word, option]) => (words[word] === undefined ? [] : [[option, words[word]]])),
  )
  return { entries: entries as Entries, ...stagesIn((stages ?? []) as string[]), ...sources }
}

/** The JSON Schema of a stage's words in a JSON legend. */
function isStageRecord(words: unknown): boolean {
  return isRecord(words) && Object.entries(words).every(([word, value]) => word === 'like' && typeof value === 'string')
}

/**
 * A legend as a JSON Schema document (2020-12) of the checked values, which `legendFromJsonSchema` reads back. What JSON
 * cannot hold is left out: `read`, `schema`, and rules.
 *
 * ```ts
 * JSON.stringify(toJsonSchema(definition), null, 2)
 * ```
 */
export function toJsonSchema(definition: Legend<unknown>): JsonSchema {
  mustBeLegend(definition, 'toJsonSchema')
  const { stages, like, entries: _, ...options } = definition
  const own = like
    ? Object.fromEntries(stages.map((name) => [name, like[name] === undefined ? {} : { like: like[name] }]))
    : stages
  const declared = Object.entries(entriesOf(definition))
  const needed = declared.filter(([, { optional, default: value }]) => !optional && value === undefined)
  return {
    $schema: 'https://json-schema.org/draft/2020-12/schema',
    type: 'object',
    properties: Object.fromEntries(declared.map(([name, entry]) => [name, propertyOf(entry)])),
    ...(needed.length > 0 && { required: needed.map(([name]) => name) }),
    ...(stages.length > 0 && { [`${prefix}stages`]: own }),
    ...Object.fromEntries(
      sourceWords.flatMap(([word, option]) => (options[option] === undefined ? [] : [[word, options[option]]])),
    ),
  }
}

function propertyOf(entry: AnyEntry): JsonSchema {
  const own = valueType(entry.type).schema
  const { type, ...limits } = own
  const schema: Record<string, unknown> = { type }
  if (type !== entry.type) schema[`${prefix}type`] = entry.type
  Object.assign(schema, limits, wordsOf(entry))
  // A limit of the type itself is lost in JSON Schema, unless it is marked.
  for (const word of ['minimum', 'maximum'] as const)
    if (own[word] !== undefined && entry[word] === own[word]) schema[prefix + word] = own[word]
  // Required is for the document to say; only what it cannot say stays here.
  const implied = entry.default === undefined && entry.optional === true
  if (entry.optional !== undefined && !implied) schema[`${prefix}optional`] = entry.optional
  return schema
}

function wordsOf(entry: Partial<AnyEntry> & Pick<AnyEntry, 'type'>): Record<string, unknown> {
  const words: Record<string, unknown> = {}
  for (const [word, value] of Object.entries(entry)) {
    if (value === undefined || typeof value === 'function') continue
    if (word === 'type' || word === 'optional' || word === 'schema') continue
    if (word === 'stages') words[`${prefix}stages`] = stageWordsOf(entry)
    else if (word === 'items') {
      const items = value as AnyEntry
      words.items = { type: items.type, ...wordsOf(items) }
    } else if (wordOf(word)?.schema) Object.assign(words, schemaWord(word, value, entry))
    else words[prefix + word] = value
  }
  return words
}

/** An amount as people write it stands beside its number, so that other readers of the document see what counts. */
function schemaWord(word: string, value: unknown, entry: Pick<AnyEntry, 'type'>): Record<string, unknown> {
  const amount =
    typeof value === 'string' && ['minimum', 'maximum', 'default'].includes(word) ? numberOf(value, entry) : undefined
  if (amount !== undefined) return { [word]: amount, [prefix + word]: value }
  const isPem = word === 'default' && entry.type === 'pem'
  return isPem ? { default: defaultOf({ ...entry, default: value }), [`${prefix}default`]: value } : { [word]: value }
}

function stageWordsOf({ stages = {}, type }: Partial<AnyEntry> & Pick<AnyEntry, 'type'>): Record<string, unknown> {
  return Object.fromEntries(
    Object.entries(stages).map(([stage, { optional, ...words }]) => [
      stage,
      { ...wordsOf({ ...words, type }), ...(optional !== undefined && { [`${prefix}optional`]: optional }) },
    ]),
  )
}

function withoutPrefix(property: Record<string, unknown>): Record<string, unknown> {
  // Most properties are entries as they stand.
  if (!hasOwnWords(property) && !(isRecord(property.items) && hasOwnWords(property.items))) return property
  const type = property[`${prefix}type`]
  const { minimum, maximum } = isType(type) ? valueType(type).schema : {}
  const entry: Record<string, unknown> = {}
  for (const word of Object.keys(property)) {
    const value = property[word]
    // The range that every value of the type has need not be said.
    if (value !== undefined && value === (word === 'minimum' ? minimum : word === 'maximum' ? maximum : undefined))
      continue
    if (!word.startsWith(prefix)) entry[word] ??= value
    else if (word === `${prefix}stages` && isRecord(value))
      entry.stages = Object.fromEntries(
        Object.entries(value).map(([stage, words]) => [stage, withoutPrefix(record(words, `"${word}" → "${stage}"`))]),
      )
    else entry[word.slice(prefix.length)] = value
  }
  if (isRecord(entry.items)) entry.items = withoutPrefix(entry.items)
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
