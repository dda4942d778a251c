import { isName } from '../format/names.js'
import { isAcceptedList } from './accepted.js'
import { breachOf, defaultOf, hasType, leastOf, mostOf, numberOf, patternOf } from './constraints.js'
import { type AnyEntry, ancestryOf, entryIn, placeOf } from './entry.js'
import { entriesOf, type Legend, type Remote, stagesOf } from './legend.js'
import { isDeep, isRecord } from './records.js'
import { formats } from './text/formats.js'
import { isType, valueType } from './value-types.js'
import type { WordRule } from './words.js'
import { hasWord, wordOf } from './words.js'

/** The ways in which a legend contradicts itself. */
export type ContradictionKind =
  | 'no-legend'
  | 'stage-name'
  | 'stage-like'
  | 'entry-name'
  | 'no-entry'
  | 'no-type'
  | 'unknown-word'
  | 'word-of-other-type'
  | 'word-value'
  | 'secret-in-browser'
  | 'secret-at-build'
  | 'secret-default'
  | 'unknown-stage'
  | 'no-stage-words'
  | 'lasting-word'
  | 'pattern'
  | 'slow-default'
  | 'bounds'
  | 'enum-type'
  | 'default-outside'
  | 'place-form'
  | 'place-taken'
  | 'place-clash'
  | 'option'
  | 'remote-variable'
  | 'remote-token'
  | 'no-items'
  | 'former-name'
  | 'two-readers'
  | 'depth'

/**
 * Where a legend contradicts itself: the bare facts. Every start looks for them, so what puts them into words is in
 * `contradiction-texts.ts`, which a start that goes well never compiles.
 */
export interface Contradiction {
  readonly kind: ContradictionKind
  /** The entry; for `stage-name` and `stage-like` the stage, for `option` the option. */
  readonly name: string
  /** The stage whose words are at fault. */
  readonly stage?: string | undefined
  /** The word, the part of a place, or the other entry that is involved. */
  readonly detail?: string
  /** The value at fault, or the other word. */
  readonly value?: unknown
}

/** Names that objects give a meaning of their own, so that no setting may sit there. */
const takenPlaces = ['__proto__', 'constructor', 'prototype', 'toJSON', 'then']
const takenStages = ['local', 'example', 'sample']

const checked = new WeakMap<object, readonly Contradiction[]>()

/** Every contradiction of a legend; computed once for each legend. */
export function contradictionsOf(definition: Legend<unknown>): readonly Contradiction[] {
  let found = checked.get(definition)
  if (!found) {
    found = findContradictions(definition)
    checked.set(definition, found)
  }
  return found
}

/** Stands for what was given in place of a legend, so that it is a fault instead of an exception from within. */
const noLegend: Legend = { entries: {}, stages: [] }
checked.set(noLegend, [{ kind: 'no-legend', name: '' }])

/** A legend, or what stands for something that is not one. Undefined stays: there is none. */
export function asLegend<E>(given: Legend<E> | undefined): Legend<E> | undefined {
  return given === undefined || isLegend(given) ? given : (noLegend as unknown as Legend<E>)
}

/** Tells whether a value is a legend as `legend()` makes it; says nothing of whether it is right. */
export function isLegend(value: unknown): value is Legend {
  return isRecord(value) && isRecord(value.entries) && Array.isArray(value.stages)
}

function findContradictions(definition: Legend<unknown>): Contradiction[] {
  const found: Contradiction[] = []
  for (const name of definition.stages)
    if (takenStages.includes(name) || !/^[a-z][a-z0-9-]*$/.test(name)) found.push({ kind: 'stage-name', name })
  for (const [name, other] of Object.entries(definition.like ?? {}))
    if (!stagesOf(definition).includes(other) || ancestryOf(other, definition.like).includes(name))
      found.push({ kind: 'stage-like', name, value: other })
  checkSources(definition, found)
  checkRules(definition, found)
  const entries = entriesOf(definition)
  const isPlaced = (name: string) => entries[name]?.as !== undefined
  const former = new Map<string, string>()
  const names = Object.keys(entries)
  // Names are different anyhow: where all are seen under their own, no two can be at one place.
  const places: Places | undefined = names.some(isPlaced) ? { settings: new Map(), groups: new Map() } : undefined
  for (let at = 0; at < names.length; at++) {
    const name = names[at] as string
    const entry = entries[name] as AnyEntry
    if (!isName(name)) found.push({ kind: 'entry-name', name })
    if (!isRecord(entry)) found.push({ kind: 'no-entry', name })
    else {
      checkEntry(name, entry, definition, found)
      if (Array.isArray(entry.formerly)) checkFormer(name, entry, entries, former, found)
      if (!places) checkStep(name, name, found)
      else if (entry.as === undefined || typeof entry.as === 'string') checkPlace(name, entry, places, found)
    }
  }
  return found
}

function checkRules({ rules }: Legend<unknown>, found: Contradiction[]): void {
  if (rules === undefined) return
  if (!isRecord(rules) || !Object.values(rules).every((rule) => typeof rule === 'function'))
    found.push({ kind: 'option', name: 'rules', detail: 'an object that maps sentences to functions' })
}

/** A former name that means something else by now would be read for both. */
function checkFormer(
  name: string,
  { formerly = [] }: AnyEntry,
  entries: Readonly<Record<string, AnyEntry>>,
  former: Map<string, string>,
  found: Contradiction[],
): void {
  for (const old of formerly) {
    const other = Object.hasOwn(entries, old) ? old : former.get(old)
    if (other !== undefined) found.push({ kind: 'former-name', name, detail: old, value: other })
    former.set(old, name)
  }
}

/** The options that say where values come from. A legend in JSON or JavaScript may hold anything there. */
function checkSources(definition: Legend<unknown>, found: Contradiction[]): void {
  const { directories, remotes, topLayers, accepted } = definition
  const declared = entriesOf(definition)
  if (directories !== undefined && !(Array.isArray(directories) && directories.every(isText)))
    found.push({ kind: 'option', name: 'directories', detail: 'a list of paths' })
  if (topLayers !== undefined && typeof topLayers !== 'boolean')
    found.push({ kind: 'option', name: 'topLayers', detail: 'true or false' })
  if (accepted !== undefined && !isAcceptedList(accepted))
    found.push({ kind: 'option', name: 'accepted', detail: acceptedForm })
  if (remotes === undefined) return
  if (!Array.isArray(remotes) || !remotes.every(isRemote)) {
    found.push({ kind: 'option', name: 'remotes', detail: "a list of { name: '…', url: 'NAME', token: 'NAME' }" })
    return
  }
  for (const { name: detail, url, token } of remotes)
    for (const name of token === undefined ? [url] : [url, token]) {
      if (!Object.hasOwn(declared, name)) found.push({ kind: 'remote-variable', name, detail })
      else if (name === token && !declared[name]?.secret) found.push({ kind: 'remote-token', name, detail })
    }
}

const acceptedForm =
  "a list of { kind: '…', name: 'NAME', because: '…', until: '2027-06-30' }, each kind one that may be accepted"

function isText(value: unknown): boolean {
  return typeof value === 'string' && value !== ''
}

/** The rule of each word of a remote. */
const remoteWords: Readonly<Record<keyof Remote, (value: unknown) => boolean>> = {
  name: isText,
  url: isText,
  token: (value) => value === undefined || isText(value),
  etcd: (value) => value === undefined || typeof value === 'string',
}

function isRemote(value: unknown): boolean {
  return isRecord(value) && Object.entries(remoteWords).every(([word, isRight]) => isRight(value[word]))
}

function checkEntry(name: string, entry: AnyEntry, definition: Legend<unknown>, found: Contradiction[]): void {
  if (!isType(entry.type)) found.push({ kind: 'no-type', name, value: entry.type })
  else if (checkWords(name, entry, entry.type, undefined, found)) {
    if (entry.type === 'array' && !checkItems(name, entry, found)) return
    if (entry.read && entry.schema) found.push({ kind: 'two-readers', name })
    if (entry.secret && entry.reach === 'browser') found.push({ kind: 'secret-in-browser', name })
    if (entry.secret && entry.fixed === 'build') found.push({ kind: 'secret-at-build', name })
    if (entry.secret && entry.default !== undefined) found.push({ kind: 'secret-default', name })
    checkValues(name, entry, undefined, found)
    if (entry.stages) checkStages(name, entry, definition, found)
  }
}

/** Tells whether every word is known to the type and holds what it must. */
function checkWords(
  name: string,
  given: object,
  type: string,
  stage: string | undefined,
  found: Contradiction[],
): boolean {
  const before = found.length
  // So, or by number, loops go that each start runs for each entry: walking along a list makes an object a step.
  for (const word in given) {
    const value = Object.hasOwn(given, word) ? (given as Record<string, unknown>)[word] : undefined
    if (value === undefined) continue
    const known = wordOf(word)
    if (!known) found.push({ kind: 'unknown-word', name, stage, detail: word })
    else if (!hasWord(type, known)) found.push({ kind: 'word-of-other-type', name, stage, detail: word })
    else if (typeof value === 'object' && isDeep(value)) found.push({ kind: 'depth', name, stage, detail: word })
    else if (!holds(known.rule, value, type)) found.push({ kind: 'word-value', name, stage, detail: word })
  }
  return found.length === before
}

function holds(rule: WordRule, value: unknown, type: string): boolean {
  switch (rule) {
    case 'text':
      return typeof value === 'string'
    case 'switch':
      return typeof value === 'boolean'
    case 'number':
      return typeof value === 'number' && Number.isFinite(value)
    case 'positive':
      return typeof value === 'number' && Number.isFinite(value) && value > 0
    case 'count':
      return Number.isSafeInteger(value) && (value as number) >= 0
    case 'list':
      return Array.isArray(value)
    case 'filled-list':
      return Array.isArray(value) && value.length > 0
    case 'record':
    case 'stages':
      return isRecord(value)
    case 'reach':
      return value === 'server' || value === 'browser'
    case 'fixed':
      return value === 'build' || value === 'start'
    case 'format':
      return typeof value === 'string' && Object.hasOwn(formats, value)
    case 'limit':
      return Number.isFinite(numberOf(value, { type: type as AnyEntry['type'] }))
    case 'names':
      return Array.isArray(value) && value.every((each) => typeof each === 'string' && isName(each))
    case 'texts':
      return Array.isArray(value) && value.length > 0 && value.every(isText)
    case 'keep':
      return value === 'keep'
    case 'delimiter':
      return typeof value === 'string' && /^[^A-Za-z0-9"'[\]{}\n\r.+-]+$/.test(value)
    case 'generate':
      return isGenerate(value)
    case 'function':
      return typeof value === 'function'
    case 'validator':
      return isValidator(value)
    case 'any':
      return true
  }
}

function isGenerate(value: unknown): boolean {
  if (!isRecord(value)) return false
  const { bytes, text, ...others } = value
  const counts = Number.isSafeInteger(bytes) && (bytes as number) >= 16 && (bytes as number) <= 1024
  return counts && ['hex', 'base64', 'base64url'].includes(text as string) && Object.keys(others).length === 0
}

/** A validator may be a function too, with the interface among its members. */
function isValidator(value: unknown): boolean {
  const interfaceOf = (value as { '~standard'?: { validate?: unknown } } | null | undefined)?.['~standard']
  return typeof interfaceOf?.validate === 'function'
}

/** Contradictions in the words of a list's items. */
function checkItems(name: string, { items }: AnyEntry, found: Contradiction[]): boolean {
  const type = isRecord(items) ? items.type : undefined
  if (!isRecord(items) || !(isType(type) && valueType(type).item)) {
    found.push({ kind: 'no-items', name })
    return false
  }
  const others = Object.keys(items).filter((word) => !wordOf(word)?.item)
  for (const word of others) found.push({ kind: 'word-of-other-type', name, detail: `items.${word}` })
  if (others.length > 0 || !checkWords(name, items, type as string, undefined, found)) return false
  const before = found.length
  checkValues(name, items as AnyEntry, undefined, found)
  return found.length === before
}

function checkStages(name: string, entry: AnyEntry, definition: Legend<unknown>, found: Contradiction[]): void {
  for (const [stage, overrides] of Object.entries(entry.stages ?? {})) {
    if (!stagesOf(definition).includes(stage)) found.push({ kind: 'unknown-stage', name, stage })
    if (!isRecord(overrides)) {
      found.push({ kind: 'no-stage-words', name, stage })
      continue
    }
    for (const word of Object.keys(overrides))
      if (wordOf(word)?.lasting) found.push({ kind: 'lasting-word', name, stage, detail: word })
    if (!checkWords(name, overrides, entry.type, stage, found)) continue
    if (entry.secret && overrides.default !== undefined) found.push({ kind: 'secret-default', name, stage })
    checkValues(name, entryIn(entry, stage, definition.like), stage, found)
  }
}

/** Bounds the wrong way round, patterns that do not compile, and values that break the entry's own words. */
function checkValues(name: string, entry: AnyEntry, stage: string | undefined, found: Contradiction[]): void {
  if (entry.pattern !== undefined && !compiles(entry.pattern)) {
    found.push({ kind: 'pattern', name, stage, detail: entry.pattern })
    return
  }
  if (entry.maxLength !== undefined && (entry.minLength ?? 0) > entry.maxLength)
    found.push({ kind: 'bounds', name, stage, detail: 'minLength', value: 'maxLength' })
  if ((entry.minimum !== undefined || entry.maximum !== undefined) && isEmptyRange(entry))
    found.push({ kind: 'bounds', name, stage, detail: 'minimum', value: 'maximum' })
  if (entry.maxItems !== undefined && (entry.minItems ?? 0) > entry.maxItems)
    found.push({ kind: 'bounds', name, stage, detail: 'minItems', value: 'maxItems' })
  if (entry.enum)
    for (const value of entry.enum) if (!hasType(entry, value)) found.push({ kind: 'enum-type', name, stage, value })
  const breach = entry.default === undefined ? undefined : breachOf(entry, defaultOf(entry))
  if (breach === 'slow-pattern')
    found.push({ kind: 'slow-default', name, stage, detail: entry.pattern ?? entry.items?.pattern ?? '' })
  else if (breach) found.push({ kind: 'default-outside', name, stage, value: entry.default })
}

function isEmptyRange(entry: AnyEntry): boolean {
  return leastOf(entry) > mostOf(entry)
}

function compiles(pattern: string): boolean {
  try {
    patternOf(pattern)
    return true
  } catch {
    return false
  }
}

/** The places of entries so far: settings by place, and groups by place with the entry that opened them. */
interface Places {
  readonly settings: Map<string, string>
  readonly groups: Map<string, string>
}

/** Two entries seen at one place, or one seen inside another. */
function checkPlace(name: string, entry: AnyEntry, { settings, groups }: Places, found: Contradiction[]): void {
  const place = entry.as ?? name
  const steps = placeOf(name, entry)
  if (entry.as !== undefined && !steps.every(isName)) {
    found.push({ kind: 'place-form', name })
    return
  }
  for (const step of steps) checkStep(name, step, found)
  let other = settings.get(place) ?? groups.get(place)
  for (let dot = place.indexOf('.'); dot >= 0; dot = place.indexOf('.', dot + 1)) {
    const group = place.slice(0, dot)
    other ??= settings.get(group)
    groups.set(group, name)
  }
  if (other !== undefined) found.push({ kind: 'place-clash', name, detail: other })
  settings.set(place, name)
}

function checkStep(name: string, step: string, found: Contradiction[]): void {
  if (takenPlaces.includes(step)) found.push({ kind: 'place-taken', name, detail: step })
}
