import { breachOf, describeEntry, hasType, patternOf } from './constraints.js'
import { type AnyEntry, entryIn, isName, placeOf } from './entry.js'
import { type Legend, stagesOf } from './legend.js'
import { masked } from './mask.js'

/** Where a legend contradicts itself. `name` is the entry's, if it is one entry's fault. */
export interface Contradiction {
  readonly name?: string
  readonly message: string
  readonly remedy: string
}

type Check = (value: unknown) => boolean
const isText: Check = (value) => typeof value === 'string'
const isSwitch: Check = (value) => typeof value === 'boolean'
const isNumber: Check = (value) => typeof value === 'number' && Number.isFinite(value)
const isCount: Check = (value) => Number.isSafeInteger(value) && (value as number) >= 0
const isPositive: Check = (value) => isNumber(value) && (value as number) > 0
const isList: Check = Array.isArray
export function isRecord(value: unknown): value is Record<string, unknown> {
  return typeof value === 'object' && value !== null && !Array.isArray(value)
}

type Word = readonly [check: Check, expected: string]
const anyType: Readonly<Record<string, Word>> = {
  type: [isText, 'one of string, integer, number, boolean, port'],
  description: [isText, 'text'],
  obtain: [isText, 'text'],
  examples: [isList, 'a list'],
  secret: [isSwitch, 'true or false'],
  reach: [(value) => value === 'server' || value === 'browser', 'server or browser'],
  optional: [isSwitch, 'true or false'],
  as: [isText, 'text such as collector.port'],
  enum: [(value) => Array.isArray(value) && value.length > 0, 'a list that is not empty'],
  default: [() => true, 'a value'],
  stages: [isRecord, 'an object of words by stage'],
}
const textWords: Readonly<Record<string, Word>> = {
  minLength: [isCount, 'a count'],
  maxLength: [isCount, 'a count'],
  pattern: [isText, 'a regular expression as text'],
  format: [(value) => value === 'uri', 'uri'],
}
const numberWords: Readonly<Record<string, Word>> = {
  minimum: [isNumber, 'a number'],
  maximum: [isNumber, 'a number'],
  exclusiveMinimum: [isNumber, 'a number'],
  exclusiveMaximum: [isNumber, 'a number'],
  multipleOf: [isPositive, 'a number above 0'],
}

type Words = ReadonlyMap<string, Word>
function wordsOf(...tables: Readonly<Record<string, Word>>[]): Words {
  return new Map(tables.flatMap((table) => Object.entries(table)))
}
const ofNumbers = wordsOf(anyType, numberWords)
const typeWords: ReadonlyMap<unknown, Words> = new Map([
  ['string', wordsOf(anyType, textWords)],
  ['integer', ofNumbers],
  ['number', ofNumbers],
  ['boolean', wordsOf(anyType)],
  ['port', ofNumbers],
])
const lasting = new Set(['type', 'stages', 'as', 'reach', 'secret'])

/** Names that objects give a meaning of their own, so that no setting may sit there. */
const takenPlaces = new Set(['__proto__', 'constructor', 'prototype', 'toJSON', 'then'])
const takenStages = new Set(['local', 'example', 'sample'])

const checked = new WeakMap<object, readonly Contradiction[]>()

/** Every contradiction of a legend; worked out once for each legend. */
export function contradictionsOf(definition: Legend<unknown>): readonly Contradiction[] {
  let found = checked.get(definition)
  if (!found) {
    found = findContradictions(definition)
    checked.set(definition, found)
  }
  return found
}

/** Whether a value is a legend as `legend()` makes it; says nothing of whether it is right. */
export function isLegend(value: unknown): value is Legend {
  return isRecord(value) && isRecord(value.entries) && Array.isArray(value.stages)
}

/** Every start comes through here, so it is plain loops: a right legend must cost next to nothing. */
function findContradictions(definition: Legend<unknown>): Contradiction[] {
  const found: Contradiction[] = []
  for (const stage of definition.stages) {
    if (!/^[a-z][a-z0-9-]*$/.test(stage) || takenStages.has(stage))
      found.push({
        message: `The legend names a stage ${JSON.stringify(stage)}, which cannot be one.`,
        remedy: 'A stage is written in small letters, digits and hyphens; local, example and sample are taken.',
      })
  }
  const stages = stagesOf(definition)
  const places: Places = { settings: new Map(), groups: new Map() }
  const entries = definition.entries as Record<string, AnyEntry>
  for (const name of Object.keys(entries)) {
    const report: Report = (message, remedy) => found.push({ name, message, remedy })
    const entry = entries[name] as AnyEntry
    checkEntry(name, entry, stages, report)
    if (isRecord(entry) && (entry.as === undefined || typeof entry.as === 'string'))
      checkPlace(name, entry, places, report)
  }
  return found
}

type Report = (message: string, remedy: string) => void

function checkEntry(name: string, entry: AnyEntry, stages: readonly string[], report: Report): void {
  if (!isName(name))
    report(
      `The legend has an entry ${JSON.stringify(name)}, which cannot be a variable's name.`,
      'Use letters, digits and underscores.',
    )
  if (!isRecord(entry)) {
    report(`${name} must be an object of words in the legend.`, `Write: ${name}: { type: 'string' }`)
    return
  }
  const known = typeWords.get(entry.type)
  if (!known) {
    report(
      `${name} must have a type in the legend: one of ${[...typeWords.keys()].join(', ')}.`,
      `Write: ${name}: { type: 'string' }`,
    )
    return
  }
  if (!checkWords(name, entry, known, '', report)) return
  if (entry.secret && entry.reach === 'browser')
    report(
      `${name} is secret and reaches the browser, where everyone can read it.`,
      'Remove secret or reach: a browser can keep no secret.',
    )
  if (entry.secret && entry.default !== undefined) secretDefault(name, '', report)
  // An entry of a type and nothing else has no values to look at.
  if (Object.keys(entry).length > 1) checkValues(name, entry, '', report)
  if (entry.stages) checkStages(name, entry, known, stages, report)
}

function checkStages(name: string, entry: AnyEntry, known: Words, stages: readonly string[], report: Report): void {
  for (const [stage, overrides] of Object.entries(entry.stages ?? {})) {
    const where = ` in stage ${stage}`
    if (!stages.includes(stage))
      report(
        `${name} has words for stage ${JSON.stringify(stage)}, which the legend does not name.`,
        `Known: ${stages.join(', ')}. More are named with legend(…, { stages: [${JSON.stringify(stage)}] }).`,
      )
    if (!isRecord(overrides)) {
      report(`${name}${where} must be an object of words.`, `Write: stages: { ${stage}: { optional: true } }`)
      continue
    }
    for (const word of Object.keys(overrides))
      if (lasting.has(word))
        report(
          `${name} has the word ${word}${where}, which must be the same in all stages.`,
          `Move ${word} out of stages.`,
        )
    if (!checkWords(name, overrides, known, where, report)) continue
    if (entry.secret && overrides.default !== undefined) secretDefault(name, where, report)
    checkValues(name, entryIn(entry, stage), where, report)
  }
}

/** Whether every word is known and holds what it must. */
function checkWords(name: string, given: Partial<AnyEntry>, known: Words, where: string, report: Report): boolean {
  let right = true
  for (const word of Object.keys(given)) {
    const value = given[word as keyof AnyEntry]
    const rule = known.get(word)
    if (value === undefined || rule?.[0](value)) continue
    right = false
    if (rule) report(`${word} of ${name}${where} must be ${rule[1]}.`, 'Mend it in the legend.')
    else if (Object.hasOwn(textWords, word) || Object.hasOwn(numberWords, word))
      report(
        `${name} has the word ${word}${where}, which its type does not have.`,
        `Remove ${word}, or change the type.`,
      )
    else
      report(
        `${name} has the word ${JSON.stringify(word)}${where}, which no entry has.`,
        `Known: ${[...known.keys()].join(', ')}.`,
      )
  }
  return right
}

function secretDefault(name: string, where: string, report: Report): void {
  report(
    `${name} is secret and has a default${where}, so the secret stands in the code.`,
    'Remove the default and replace the secret.',
  )
}

/** Bounds the wrong way round, patterns that do not compile, and values that break the entry's own words. */
function checkValues(name: string, entry: AnyEntry, where: string, report: Report): void {
  if (entry.pattern !== undefined && !compiles(entry.pattern)) {
    report(
      `The pattern of ${name}${where} does not compile: ${entry.pattern}`,
      'It must be a regular expression in Unicode mode.',
    )
    return
  }
  if ((entry.minLength ?? 0) > (entry.maxLength ?? Number.POSITIVE_INFINITY))
    report(`minLength of ${name}${where} is above its maxLength.`, 'Swap them.')
  if ((entry.minimum ?? Number.NEGATIVE_INFINITY) > (entry.maximum ?? Number.POSITIVE_INFINITY))
    report(`minimum of ${name}${where} is above its maximum.`, 'Swap them.')
  for (const value of entry.enum ?? [])
    if (!hasType(entry, value))
      report(
        `The enum of ${name}${where} holds ${show(value, entry)}, which is not of type ${entry.type}.`,
        'Mend the enum.',
      )
  if (entry.default !== undefined && breachOf(entry, entry.default))
    report(
      `The default of ${name}${where} must be ${describeEntry(entry)}, and is ${show(entry.default, entry)}.`,
      'Mend the default or the limits.',
    )
}

function compiles(pattern: string): boolean {
  try {
    patternOf(pattern)
    return true
  } catch {
    return false
  }
}

function show(value: unknown, entry: AnyEntry): string {
  return entry.secret ? masked : (JSON.stringify(value) ?? String(value))
}

/** Where entries are seen so far: settings by place, and groups by place with the entry that opened them. */
interface Places {
  readonly settings: Map<string, string>
  readonly groups: Map<string, string>
}

/** Two entries seen at one place, or one seen inside another. */
function checkPlace(name: string, entry: AnyEntry, { settings, groups }: Places, report: Report): void {
  const place = entry.as ?? name
  const steps = placeOf(name, entry)
  if (entry.as !== undefined && !steps.every(isName)) {
    report(`as of ${name} must be names joined by dots, such as collector.port.`, `Write: as: '${name.toLowerCase()}'`)
    return
  }
  for (const step of steps)
    if (takenPlaces.has(step))
      report(
        `${name} would be seen as ${place}, and JavaScript gives ${step} a meaning of its own.`,
        'Choose another place with as.',
      )
  let other = settings.get(place) ?? groups.get(place)
  for (let dot = place.indexOf('.'); dot >= 0; dot = place.indexOf('.', dot + 1)) {
    const group = place.slice(0, dot)
    other ??= settings.get(group)
    groups.set(group, name)
  }
  if (other !== undefined)
    report(
      `${name} is seen as ${place}, which collides with where ${other} is seen.`,
      'Give one of them another place with as.',
    )
  settings.set(place, name)
}
