import { masked } from '../leak/ranges.js'
import type { Contradiction, ContradictionKind } from './check.js'
import { describeEntry } from './constraints.js'
import { type AnyEntry, entryIn } from './entry.js'
import { entriesOf, type Legend, stagesOf } from './legend.js'
import { formats } from './text/formats.js'
import { nearest } from './text/nearest.js'
import { valueTypes } from './value-types.js'
import type { Word, WordRule } from './words.js'
import { hasWord, wordOf, words } from './words.js'

const expected: Readonly<Record<WordRule, string>> = {
  text: 'text',
  switch: 'true or false',
  number: 'a number',
  positive: 'a number above 0',
  count: 'a count',
  list: 'a list',
  'filled-list': 'a list that is not empty',
  record: 'an object',
  stages: 'an object with a stage for each key',
  reach: 'server or browser',
  fixed: 'build or start',
  format: `one of ${Object.keys(formats).join(', ')}`,
  limit: 'a number; for a duration or size also text such as 90s or 10MB',
  names: "a list of variables' names",
  texts: 'a list of texts',
  keep: "'keep'",
  delimiter: 'one or more characters such as a semicolon; not letters, digits, quotes or brackets',
  generate: "{ bytes: …, text: '…' }, with 16 to 1024 bytes, as hex, base64 or base64url",
  function: 'a function',
  validator: 'a Standard Schema validator',
  any: 'a value',
}

/** The facts of a contradiction, ready to be put into sentences. */
interface Facts {
  readonly name: string
  /** Empty, or ` in stage staging`. */
  readonly where: string
  readonly stage: string
  readonly detail: string
  /** The value at fault, masked if it is a secret's. */
  readonly shown: string
  readonly value: unknown
  readonly entry: AnyEntry
  readonly place: string
  readonly stages: readonly string[]
}

/** For each kind what is wrong, and what to do. */
const texts: Readonly<Record<ContradictionKind, (facts: Facts) => readonly [message: string, remedy: string]>> = {
  'no-legend': () => [
    'The first argument must be a legend from legend(…), but is something else.',
    'If it is a module, pass its default export (module.default under CommonJS).',
  ],
  'stage-name': ({ name }) => [
    `${JSON.stringify(name)} is not a valid stage name.`,
    'Use lower-case letters, digits and hyphens. local, example and sample are reserved.',
  ],
  option: ({ name, detail }) => [`The legend option ${name} must be ${detail}.`, 'Correct it in the legend.'],
  'remote-variable': ({ name, detail }) => [
    `The remote source ${JSON.stringify(detail)} uses ${name}, which is not in the legend.`,
    `Add ${name} to the legend.`,
  ],
  'remote-token': ({ name, detail }) => [
    `${name} is the token of the remote source ${JSON.stringify(detail)}, but is not secret.`,
    `Write: ${name}: { type: 'string', secret: true }`,
  ],
  'entry-name': ({ name }) => [
    `${JSON.stringify(name)} is not a valid variable name.`,
    'Use only letters, digits and underscores.',
  ],
  'no-entry': ({ name }) => [`The entry ${name} must be an object.`, `Write: ${name}: { type: 'string' }`],
  'no-type': ({ name, value }) => {
    const word = typeof value === 'string' && /^[A-Za-z-]{1,20}$/.test(value) ? value : undefined
    const near = word === undefined ? undefined : nearest(word, Object.keys(valueTypes))
    const found = value === undefined ? '' : `, but is ${word === undefined ? 'something else' : JSON.stringify(word)}`
    return [
      value === undefined
        ? `The entry ${name} has no type. It must be one of ${Object.keys(valueTypes).join(', ')}.`
        : `The type of ${name} must be one of ${Object.keys(valueTypes).join(', ')}${found}.`,
      `Write: type: '${near ?? 'string'}'`,
    ]
  },
  'unknown-word': ({ name, where, detail, entry }) => [
    `${name} has an unknown word ${JSON.stringify(detail)}${where}.`,
    nearWord(detail, entry.type) ?? `Known: ${knownWords(entry.type).join(', ')}.`,
  ],
  'word-of-other-type': ({ name, where, detail }) => [
    `${name} has the word ${detail}${where}, but entries of its type cannot have it.`,
    `Remove ${detail}, or change the type.`,
  ],
  'word-value': ({ name, where, detail }) => [
    `${detail} of ${name}${where} must be ${expected[wordOf(detail)?.rule ?? 'any']}.`,
    'Correct it in the legend.',
  ],
  'secret-in-browser': ({ name }) => [
    `${name} is secret, but reaches the browser, where everyone can read it.`,
    "Remove secret: true or reach: 'browser'.",
  ],
  'secret-at-build': ({ name }) => [
    `${name} is secret, but fixed at build, so the build output would contain it.`,
    "Remove fixed: 'build'.",
  ],
  'secret-default': ({ name, where }) => [
    `${name} is secret, but has a default${where}, so the code contains the secret.`,
    'Remove the default, and rotate the secret.',
  ],
  'stage-like': ({ name, shown, stages }) => [
    `Stage ${name} is like ${shown}, but that must be another known stage that is not like ${name}.`,
    `Known: ${stages.join(', ')}.`,
  ],
  'unknown-stage': ({ name, stage, stages }) => [
    `${name} has words for an unknown stage ${JSON.stringify(stage)}.`,
    `Known: ${stages.join(', ')}. To add it, write: legend(…, { stages: [${JSON.stringify(stage)}] })`,
  ],
  'no-stage-words': ({ name, where, stage }) => [
    `${name}${where} must be an object.`,
    `Write: stages: { ${stage}: { optional: true } }`,
  ],
  'lasting-word': ({ name, where, detail }) => [
    `${name} has the word ${detail}${where}, but it cannot differ by stage.`,
    `Move ${detail} out of stages.`,
  ],
  'no-items': ({ name }) => [
    `${name} is a list, but does not say what its items are: string, integer, number or boolean.`,
    `Write: items: { type: 'string' }`,
  ],
  'two-readers': ({ name }) => [
    `${name} has both read and schema, but an entry can have only one of them.`,
    'Move the work of one into the other.',
  ],
  depth: ({ name, where, detail }) => [
    `${detail} of ${name}${where} is nested more than 100 levels deep.`,
    'Make it flatter, or keep it in a file.',
  ],
  'former-name': ({ name, detail, shown }) => [
    `${name} was formerly ${detail}, but ${shown.replaceAll('"', '')} has that name too.`,
    'Remove it from one of the two entries.',
  ],
  pattern: ({ name, where, detail }) => [
    `The pattern of ${name}${where} does not compile: ${detail}`,
    'Write a regular expression in Unicode mode.',
  ],
  'slow-default': ({ name, where, detail }) => [
    `The pattern of ${name}${where} takes too long to match its default: ${detail}`,
    'Change the pattern: no part may match the same text in two ways, as (a+)+ and a*a* do.',
  ],
  bounds: ({ name, where, detail, value }) => [`${detail} of ${name}${where} is above ${value}.`, 'Swap them.'],
  'enum-type': ({ name, where, shown, entry }) => [
    `The enum of ${name}${where} contains ${shown}, which is not of type ${entry.type}.`,
    'Correct the enum.',
  ],
  'default-outside': ({ name, where, shown, entry }) => [
    `The default of ${name}${where} must be ${describeEntry(entry)}, but is ${shown}.`,
    'Correct the default or the limits.',
  ],
  'place-form': ({ name }) => [
    `"as" of ${name} must be names joined by dots, such as collector.port.`,
    `Write: as: '${name.toLowerCase()}'`,
  ],
  'place-taken': ({ name, detail, place }) => [
    `${name} has the place ${place}, but JavaScript reserves ${detail}.`,
    'Choose another place with "as".',
  ],
  'place-clash': ({ name, detail, place }) => [
    `${name} has the place ${place}, but that collides with the place of ${detail}.`,
    'Give one of them another place with "as".',
  ],
}

/** A contradiction in words. */
export function explainContradiction(
  { kind, name, stage, detail = '', value }: Contradiction,
  definition: Legend<unknown>,
): { readonly message: string; readonly remedy: string } {
  const own = entriesOf(definition)[name]
  const entry = stage !== undefined && own ? entryIn(own, stage, definition.like) : (own ?? { type: 'string' })
  const shown = entry.secret && kind !== 'former-name' ? masked : (JSON.stringify(value) ?? String(value))
  const where = stage === undefined ? '' : ` in stage ${stage}`
  const facts = { name, where, stage: stage ?? '', detail, shown, value, entry, place: String(entry.as ?? name) }
  const [message, remedy] = texts[kind]({ ...facts, stages: stagesOf(definition) })
  return { message, remedy }
}

function nearWord(word: string, type: string): string | undefined {
  const near = nearest(word, knownWords(type))
  return near && `Write: ${near}`
}

function knownWords(type: string): string[] {
  return Object.keys(words).filter((name) => hasWord(type, wordOf(name) as Word))
}
