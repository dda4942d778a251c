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
  record: 'an object of words',
  stages: 'an object of words by stage',
  reach: 'server or browser',
  fixed: 'build or start',
  format: `one of ${Object.keys(formats).join(', ')}`,
  limit: 'a number, or of a duration or size as people write it',
  names: "a list of variables' names",
  texts: 'a list of texts',
  keep: "'keep'",
  delimiter: 'characters that no item holds, such as a semicolon; not letters, digits, quotes or brackets',
  generate: "{ bytes: …, text: '…' }, with 16 to 1024 bytes, as hex, base64 or base64url",
  function: 'a function',
  validator: 'a validator that speaks the Standard Schema interface',
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
    'The first argument must be a legend, as legend(…) gives it, and is something else.',
    'If it is a module, use its default export: one that is not loaded as an ES module has it under .default.',
  ],
  'stage-name': ({ name }) => [
    `The legend names a stage ${JSON.stringify(name)}, which cannot be one.`,
    'A stage name has lower-case letters, digits and hyphens; local, example and sample are taken.',
  ],
  option: ({ name, detail }) => [`${name} of the legend must be ${detail}.`, 'Fix it in the legend.'],
  'remote-variable': ({ name, detail }) => [
    `The remote source ${JSON.stringify(detail)} of the legend takes ${name}, which no entry declares.`,
    `Add an entry ${name} to the legend.`,
  ],
  'remote-token': ({ name, detail }) => [
    `${name} is the token of the remote source ${JSON.stringify(detail)}, and must be secret.`,
    `Write: ${name}: { type: 'string', secret: true }`,
  ],
  'entry-name': ({ name }) => [
    `The legend has an entry ${JSON.stringify(name)}, which cannot be a variable's name.`,
    'Use letters, digits and underscores.',
  ],
  'no-entry': ({ name }) => [`${name} must be an object of words in the legend.`, `Write: ${name}: { type: 'string' }`],
  'no-type': ({ name, value }) => {
    const word = typeof value === 'string' && /^[A-Za-z-]{1,20}$/.test(value) ? value : undefined
    const near = word === undefined ? undefined : nearest(word, Object.keys(valueTypes))
    const found = value === undefined ? '' : `, and has ${word === undefined ? 'something else' : JSON.stringify(word)}`
    return [
      `${name} must have a type in the legend: one of ${Object.keys(valueTypes).join(', ')}${found}.`,
      `Write: type: '${near ?? 'string'}'`,
    ]
  },
  'unknown-word': ({ name, where, detail, entry }) => [
    `${name} has the word ${JSON.stringify(detail)}${where}, which no entry has.`,
    nearWord(detail, entry.type) ?? `Known: ${knownWords(entry.type).join(', ')}.`,
  ],
  'word-of-other-type': ({ name, where, detail }) => [
    `${name} has the word ${detail}${where}, which its type does not have.`,
    `Remove ${detail}, or change the type.`,
  ],
  'word-value': ({ name, where, detail }) => [
    `${detail} of ${name}${where} must be ${expected[wordOf(detail)?.rule ?? 'any']}.`,
    'Fix it in the legend.',
  ],
  'secret-in-browser': ({ name }) => [
    `${name} is secret and reaches the browser, where everyone can read it.`,
    'Remove secret or reach: a browser cannot keep a secret.',
  ],
  'secret-at-build': ({ name }) => [
    `${name} is secret and fixed at build, so the secret would stand in what is built.`,
    'Remove fixed: a secret comes from the layers where the program starts.',
  ],
  'secret-default': ({ name, where }) => [
    `${name} is secret and has a default${where}, so the secret stands in the code.`,
    'Remove the default and replace the secret.',
  ],
  'stage-like': ({ name, shown, stages }) => [
    `Stage ${name} is like ${shown}, which must be another stage that is not itself like this one.`,
    `Known: ${stages.join(', ')}.`,
  ],
  'unknown-stage': ({ name, stage, stages }) => [
    `${name} has words for stage ${JSON.stringify(stage)}, which the legend does not name.`,
    `Known: ${stages.join(', ')}. Add it with legend(…, { stages: [${JSON.stringify(stage)}] }).`,
  ],
  'no-stage-words': ({ name, where, stage }) => [
    `${name}${where} must be an object of words.`,
    `Write: stages: { ${stage}: { optional: true } }`,
  ],
  'lasting-word': ({ name, where, detail }) => [
    `${name} has the word ${detail}${where}, which must be the same in all stages.`,
    `Move ${detail} out of stages.`,
  ],
  'no-items': ({ name }) => [
    `${name} is a list, and must say in items what each of its items is: string, integer, number or boolean.`,
    `Write: items: { type: 'string' }`,
  ],
  'two-readers': ({ name }) => [
    `${name} has both read and schema, and code can see the result of one only.`,
    'Let the schema do the work of read, or the other way round.',
  ],
  depth: ({ name, where, detail }) => [
    `${detail} of ${name}${where} lies more than 100 deep within itself.`,
    'Make it flatter, or keep it in a file of its own.',
  ],
  'former-name': ({ name, detail, shown }) => [
    `${name} was formerly ${detail}, which is a name of ${shown.replaceAll('"', '')} too.`,
    'A former name can belong to one entry only: remove it from the other.',
  ],
  pattern: ({ name, where, detail }) => [
    `The pattern of ${name}${where} does not compile: ${detail}`,
    'It must be a regular expression in Unicode mode.',
  ],
  'slow-default': ({ name, where, detail }) => [
    `The pattern of ${name}${where} takes too long on its own default: ${detail}`,
    'Write it so that no part can match the same text in two ways, such as (a+)+ or a*a*.',
  ],
  bounds: ({ name, where, detail, value }) => [`${detail} of ${name}${where} is above its ${value}.`, 'Swap them.'],
  'enum-type': ({ name, where, shown, entry }) => [
    `The enum of ${name}${where} holds ${shown}, which is not of type ${entry.type}.`,
    'Fix the enum.',
  ],
  'default-outside': ({ name, where, shown, entry }) => [
    `The default of ${name}${where} must be ${describeEntry(entry)}, and is ${shown}.`,
    'Fix the default or the limits.',
  ],
  'place-form': ({ name }) => [
    `as of ${name} must be names joined by dots, such as collector.port.`,
    `Write: as: '${name.toLowerCase()}'`,
  ],
  'place-taken': ({ name, detail, place }) => [
    `${name} would be seen as ${place}, and JavaScript gives ${detail} a meaning of its own.`,
    'Choose a different place with as.',
  ],
  'place-clash': ({ name, detail, place }) => [
    `${name} is seen as ${place}, which collides with where ${detail} is seen.`,
    'Give one of them a different place with as.',
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
