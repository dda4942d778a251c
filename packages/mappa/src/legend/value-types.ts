import { isDeepJson, isDigit } from './records.js'
import { bytesOf, durationOf } from './text/amounts.js'
import { pemOf } from './text/pem.js'

/** Which types have a word: all, or those of a group. */
export type WordGroup = 'all' | 'text' | 'numbers' | 'limits' | 'list'

/** TypeScript's names for the types that code can see, each with its type. */
export interface CodeTypes {
  string: string
  number: number
  boolean: boolean
  'readonly unknown[]': readonly unknown[]
  'Record<string, unknown>': Record<string, unknown>
}

/** All that a type of value is. */
export interface ValueType {
  /** The groups of words that it has beside those that all have. */
  readonly words: readonly WordGroup[]
  /** The type that code sees, in TypeScript. */
  readonly code: keyof CodeTypes
  /** Its JSON Schema (2020-12): of the checked value, so an amount is its number. */
  readonly schema: { readonly type: string; readonly minimum?: number; readonly maximum?: number }
  /** To follow "must be"; limits and items are put behind it. */
  readonly said: string
  /** The value that a whole text says, undefined if none. Of a list, its JSON form. */
  readonly read: (text: string) => unknown
  /** The text that reads back to a value, where that is not simply the value as text. */
  readonly write?: (value: unknown) => string
  /** True if a value is of this type. */
  readonly holds: (value: unknown) => boolean
  /** The least that it may be, where its schema does not say it. */
  readonly least?: number
  /** Reads a limit or a default that is written as people write amounts: `'90s'`. */
  readonly amount?: (text: string) => number | undefined
  /** Units for a number that has none, as examples; without them a number alone says enough. */
  readonly units?: readonly [string, string]
  /** True if digits are meant: what looks like a slip of them is offered as a number. */
  readonly digits?: boolean
  /** True if it stands as what it is where data is written, and not as text. */
  readonly data?: boolean
  /** True if items of a list can have it. */
  readonly item?: boolean
  /** Its few texts, of which a person chooses one. */
  readonly choices?: readonly string[]
}

/**
 * The types that an entry can have, each with all that it is: the one record of them. How text becomes a value and back, which
 * words a type has, its JSON Schema, its sentence and what code sees follow from it.
 */
export const valueTypes = {
  string: {
    words: ['text'],
    code: 'string',
    schema: { type: 'string' },
    said: 'text',
    read: (text) => text,
    holds: (value) => typeof value === 'string',
    item: true,
  },
  integer: {
    words: ['numbers', 'limits'],
    code: 'number',
    schema: { type: 'integer' },
    said: 'a whole number',
    read: wholeNumber,
    holds: Number.isSafeInteger,
    digits: true,
    data: true,
    item: true,
  },
  number: {
    words: ['numbers', 'limits'],
    code: 'number',
    schema: { type: 'number' },
    said: 'a number',
    read: decimalNumber,
    holds: Number.isFinite,
    digits: true,
    data: true,
    item: true,
  },
  boolean: {
    words: [],
    code: 'boolean',
    schema: { type: 'boolean' },
    said: 'true or false',
    read: truthOf,
    holds: (value) => typeof value === 'boolean',
    data: true,
    item: true,
    choices: ['true', 'false'],
  },
  port: {
    words: ['numbers', 'limits'],
    code: 'number',
    schema: { type: 'integer', minimum: 1, maximum: 65535 },
    said: 'a port',
    read: wholeNumber,
    holds: Number.isSafeInteger,
    digits: true,
    data: true,
  },
  duration: {
    words: ['limits'],
    code: 'number',
    schema: { type: 'number' },
    said: 'a duration such as 90s or 1.5h',
    read: (text) => durationOf(text.trim()),
    write: (value) => (typeof value === 'number' ? `${value}ms` : String(value)),
    holds: Number.isFinite,
    least: 0,
    amount: durationOf,
    units: ['s', 'ms'],
  },
  bytes: {
    words: ['limits'],
    code: 'number',
    schema: { type: 'integer' },
    said: 'a size such as 10MB or 10MiB',
    read: (text) => bytesOf(text.trim()),
    holds: Number.isSafeInteger,
    least: 0,
    amount: bytesOf,
  },
  pem: {
    words: [],
    code: 'string',
    schema: { type: 'string' },
    said: 'a PEM block, from -----BEGIN …----- to -----END …-----',
    read: pemOf,
    holds: (value) => typeof value === 'string' && pemOf(value) !== undefined,
  },
  array: {
    words: ['list'],
    code: 'readonly unknown[]',
    schema: { type: 'array' },
    said: 'a list',
    read: jsonIn,
    holds: Array.isArray,
    data: true,
  },
  object: {
    words: [],
    code: 'Record<string, unknown>',
    schema: { type: 'object' },
    said: 'a JSON object',
    read: jsonIn,
    write: (value) => JSON.stringify(value),
    holds: (value) => typeof value === 'object' && value !== null && !Array.isArray(value),
    data: true,
  },
} as const satisfies Readonly<Record<string, ValueType>>

/** The types an entry can have. */
export type EntryType = keyof typeof valueTypes

/** All that a type is, in one shape. */
export function valueType(type: EntryType): ValueType {
  return valueTypes[type]
}

/** Tells whether there is a type of this name. */
export function isType(type: unknown): type is EntryType {
  return typeof type === 'string' && Object.hasOwn(valueTypes, type)
}

const truths: Readonly<Record<string, boolean>> = {
  true: true,
  yes: true,
  on: true,
  '1': true,
  false: false,
  no: false,
  off: false,
  '0': false,
}

function truthOf(text: string): boolean | undefined {
  const small = text.trim().toLowerCase()
  return Object.hasOwn(truths, small) ? truths[small] : undefined
}

function wholeNumber(text: string): number | undefined {
  const word = text.trim()
  return isWhole(word) ? Number(word) : undefined
}

function decimalNumber(text: string): number | undefined {
  const word = text.trim()
  return isWhole(word) || /^[+-]?(?:\d+\.?\d*|\.\d+)(?:[eE][+-]?\d+)?$/.test(word) ? Number(word) : undefined
}

/** Digits, with a sign or without. A loop for the same reason as `isName`. */
function isWhole(word: string): boolean {
  const first = word.charCodeAt(0)
  const start = first === 43 /* + */ || first === 45 /* - */ ? 1 : 0
  for (let at = start; at < word.length; at++) if (!isDigit(word.charCodeAt(at))) return false
  return word.length > start
}

function jsonIn(text: string): unknown {
  const word = text.trim()
  if (isDeepJson(word)) return undefined
  try {
    return JSON.parse(word)
  } catch {
    return undefined
  }
}
