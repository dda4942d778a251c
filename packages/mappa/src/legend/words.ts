/** What a word's value must be. */
export type WordRule =
  | 'text'
  | 'switch'
  | 'number'
  | 'positive'
  | 'count'
  | 'list'
  | 'filled-list'
  | 'record'
  | 'stages'
  | 'reach'
  | 'fixed'
  | 'format'
  | 'limit'
  | 'names'
  | 'texts'
  | 'keep'
  | 'delimiter'
  | 'generate'
  | 'function'
  | 'validator'
  | 'any'

/** Which types have a word: all, or those of a group. */
export type WordGroup = 'all' | 'text' | 'numbers' | 'limits' | 'list'

/** What is known of a word. */
export interface Word {
  readonly of: WordGroup
  readonly rule: WordRule
  /** Whether it holds for all stages, so that none may override it. */
  readonly lasting?: true
  /** Whether the items of a list may have it. */
  readonly item?: true
  /** Whether it is a word of JSON Schema 2020-12 that means there what it means here; all others are Mappa's own. */
  readonly schema?: true
}

/** Every word of an entry. Checks, JSON Schema and the types of `types.ts` follow from this one table. */
export const words = {
  type: { of: 'all', rule: 'text', lasting: true, item: true },
  description: { of: 'all', rule: 'text', schema: true },
  obtain: { of: 'all', rule: 'text' },
  generate: { of: 'text', rule: 'generate' },
  examples: { of: 'all', rule: 'list', schema: true },
  deprecated: { of: 'all', rule: 'switch', schema: true },
  secret: { of: 'all', rule: 'switch', lasting: true },
  reach: { of: 'all', rule: 'reach', lasting: true },
  fixed: { of: 'all', rule: 'fixed', lasting: true },
  file: { of: 'all', rule: 'switch' },
  optional: { of: 'all', rule: 'switch' },
  empty: { of: 'all', rule: 'keep' },
  as: { of: 'all', rule: 'text', lasting: true },
  formerly: { of: 'all', rule: 'names', lasting: true },
  enum: { of: 'all', rule: 'filled-list', item: true, schema: true },
  default: { of: 'all', rule: 'any', schema: true },
  read: { of: 'all', rule: 'function', lasting: true },
  schema: { of: 'all', rule: 'validator', lasting: true },
  stages: { of: 'all', rule: 'stages', lasting: true },
  minLength: { of: 'text', rule: 'count', item: true, schema: true },
  maxLength: { of: 'text', rule: 'count', item: true, schema: true },
  pattern: { of: 'text', rule: 'text', item: true, schema: true },
  format: { of: 'text', rule: 'format', item: true, schema: true },
  schemes: { of: 'text', rule: 'texts', item: true },
  minimum: { of: 'limits', rule: 'limit', item: true, schema: true },
  maximum: { of: 'limits', rule: 'limit', item: true, schema: true },
  exclusiveMinimum: { of: 'numbers', rule: 'number', item: true, schema: true },
  exclusiveMaximum: { of: 'numbers', rule: 'number', item: true, schema: true },
  multipleOf: { of: 'numbers', rule: 'positive', item: true, schema: true },
  items: { of: 'list', rule: 'record', lasting: true, schema: true },
  minItems: { of: 'list', rule: 'count', schema: true },
  maxItems: { of: 'list', rule: 'count', schema: true },
  uniqueItems: { of: 'list', rule: 'switch', schema: true },
  delimiter: { of: 'list', rule: 'delimiter', lasting: true },
} as const satisfies Readonly<Record<string, Word>>

export type WordName = keyof typeof words
type WordsWith<Column extends 'lasting' | 'item'> = {
  [W in WordName]: (typeof words)[W] extends { readonly [C in Column]: true } ? W : never
}[WordName]
/** Words that hold for all stages. */
export type LastingWord = WordsWith<'lasting'>
/** Words that items of a list may have. */
export type ItemWord = WordsWith<'item'>

/** The types, and which groups of words each has beside those that all have. */
export const typeGroups = {
  string: ['text'],
  integer: ['numbers', 'limits'],
  number: ['numbers', 'limits'],
  boolean: [],
  port: ['numbers', 'limits'],
  duration: ['limits'],
  bytes: ['limits'],
  pem: [],
  array: ['list'],
  object: [],
} as const satisfies Readonly<Record<string, readonly WordGroup[]>>

/** Types that the items of a list can have. */
export const itemTypes: readonly unknown[] = ['string', 'integer', 'number', 'boolean']

/** What is known of a word; undefined if there is none of that name. */
export function wordOf(name: string): Word | undefined {
  return Object.hasOwn(words, name) ? words[name as WordName] : undefined
}

/** Whether a type has a word. */
export function hasWord(type: string, { of }: Word): boolean {
  return of === 'all' || (groupsOf(type)?.includes(of) ?? false)
}

/** Whether there is a type of this name. */
export function isType(type: unknown): type is keyof typeof typeGroups {
  return typeof type === 'string' && Object.hasOwn(typeGroups, type)
}

function groupsOf(type: string): readonly WordGroup[] | undefined {
  return isType(type) ? typeGroups[type] : undefined
}
