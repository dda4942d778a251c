import type { AnyEntry } from 'mappa'
import { valueTypes } from 'mappa/command'
import type { Word, Words } from '../../declared/legend-edits.js'
import { typeFacts } from '../../declared/value-type.js'
import { UsageError } from '../../terminal/usage-error.js'

/** A word of an entry as an option: what follows its flag, what it is about, and the word that a text says. */
interface EntryWord {
  readonly value?: string
  readonly about: string
  /** Given the type that the entry has; a switch takes no text. */
  readonly read?: (text: string, type: unknown, flag: string) => Word
}

const asItStands = (text: string) => text
const limit = (text: string, type: unknown, flag: string) =>
  typeFacts(type)?.digits ? numberFrom(text, type, flag) : text

/**
 * Every word that an entry can have, in the order in which they are written; null for one that no option says: those that are
 * functions, or that `add` asks for in another way.
 */
const entryWords: Readonly<Record<Exclude<keyof AnyEntry, 'veiled'>, EntryWord | null>> = {
  type: { value: 'type', about: inWords(Object.keys(valueTypes)), read: asItStands },
  format: { value: 'format', about: 'uri, email, hostname, …', read: asItStands },
  items: { value: 'type', about: 'for a list: the type of its items', read: (text) => ({ type: text }) },
  enum: {
    value: 'values',
    about: 'allowed values, separated by commas',
    read: (text, type) => parts(text).map((each) => valueOfType(each, type)),
  },
  schemes: { value: 'schemes', about: 'allowed URL schemes, separated by commas', read: parts },
  secret: { about: 'mark it as secret' },
  reach: { value: 'reach', about: 'server or browser', read: asItStands },
  fixed: { value: 'when', about: 'build or start', read: asItStands },
  default: { value: 'value', about: 'the value if no layer sets one', read: valueOfType },
  optional: { about: 'it may have no value' },
  as: { value: 'place', about: 'where code sees it: collector.port', read: asItStands },
  formerly: { value: 'names', about: 'its former names, separated by commas', read: parts },
  file: { about: 'allow NAME_FILE to name a file with its value' },
  minimum: { value: 'number', about: 'the least', read: limit },
  maximum: { value: 'number', about: 'the most', read: limit },
  minLength: { value: 'number', about: 'minimum number of characters', read: numberFrom },
  maxLength: { value: 'number', about: 'maximum number of characters', read: numberFrom },
  pattern: { value: 'pattern', about: 'a regular expression that it must match', read: asItStands },
  generate: {
    value: 'bytes',
    about: 'number of random bytes in a fresh value',
    read: (text, type, flag) => ({ bytes: numberFrom(text, type, flag), text: 'base64url' }),
  },
  obtain: { value: 'where', about: 'where people get a value', read: asItStands },
  description: null,
  examples: null,
  deprecated: null,
  empty: null,
  exclusiveMinimum: null,
  exclusiveMaximum: null,
  multipleOf: null,
  minItems: null,
  maxItems: null,
  uniqueItems: null,
  delimiter: null,
  read: null,
  schema: null,
  stages: null,
}

/** The options of `mappa add` that say a word of the entry, each with what it is about. */
export const entryFlags: readonly (readonly [flag: string, about: string])[] = Object.entries(entryWords).flatMap(
  ([word, own]) => (own ? [[`${flagFor(word)}${own.value === undefined ? '' : ` <${own.value}>`}`, own.about]] : []),
)

/** Words of an entry from flags: numbers and switches as such, lists separated by commas. */
export function wordsFrom(flags: Readonly<Record<string, unknown>>): Words {
  const words: Record<string, Word> = {}
  for (const [word, own] of Object.entries(entryWords)) {
    const given = flags[word]
    if (!own || given === undefined) continue
    words[word] = typeof given === 'boolean' || !own.read ? true : own.read(String(given), flags.type, flagFor(word))
  }
  return words
}

function flagFor(word: string): string {
  return `--${word.replace(/[A-Z]/g, (each) => `-${each.toLowerCase()}`)}`
}

function numberFrom(text: string, _type: unknown, flag: string): number {
  const value = Number(text)
  if (text.trim() === '' || !Number.isFinite(value)) throw new UsageError(`${flag} takes a number.`)
  return value
}

/** A text of the command line as a legend writes a value of that type. */
function valueOfType(text: string, type: unknown): Word {
  if (type === 'boolean') return /^(?:true|yes|on|1)$/i.test(text)
  if (typeFacts(type)?.digits && Number.isFinite(Number(text)) && text.trim() !== '') return Number(text)
  return type === 'array' ? parts(text) : text
}

function parts(text: string): string[] {
  return text.split(',').map((each) => each.trim())
}

function inWords(names: readonly string[]): string {
  return `${names.slice(0, -1).join(', ')} or ${names.at(-1)}`
}
