import { isType, valueTypes, type WordGroup } from './value-types.js'

/** The rule for a word's value. */
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

type WordFact = 'lasting' | 'item' | 'schema'
type WordText = `${WordGroup} ${WordRule}${'' | ' lasting'}${'' | ' item'}${'' | ' schema'}`

/** Traits of a word. */
export interface Word {
  readonly of: WordGroup
  readonly rule: WordRule
  /** True if it holds for all stages, so that none may override it. */
  readonly lasting: boolean
  /** True if the items of a list may have it. */
  readonly item: boolean
  /** True if it is a word of JSON Schema 2020-12 that means there what it means here; all others are Mappa's own. */
  readonly schema: boolean
}

/**
 * Every word of an entry: its group, its rule, and what else holds of it. Checks, JSON Schema and the types of `types.ts` follow
 * from this one table. Texts, since every start loads it, and an object for each word would cost more than reading those it meets.
 */
export const words = {
  type: 'all text lasting item',
  description: 'all text schema',
  obtain: 'all text',
  generate: 'text generate',
  examples: 'all list schema',
  deprecated: 'all switch schema',
  secret: 'all switch lasting',
  reach: 'all reach lasting',
  fixed: 'all fixed lasting',
  file: 'all switch',
  optional: 'all switch',
  empty: 'all keep',
  as: 'all text lasting',
  formerly: 'all names lasting',
  enum: 'all filled-list item schema',
  default: 'all any schema',
  read: 'all function lasting',
  schema: 'all validator lasting',
  stages: 'all stages lasting',
  minLength: 'text count item schema',
  maxLength: 'text count item schema',
  pattern: 'text text item schema',
  format: 'text format item schema',
  schemes: 'text texts item',
  minimum: 'limits limit item schema',
  maximum: 'limits limit item schema',
  exclusiveMinimum: 'numbers number item schema',
  exclusiveMaximum: 'numbers number item schema',
  multipleOf: 'numbers positive item schema',
  items: 'list record lasting schema',
  minItems: 'list count schema',
  maxItems: 'list count schema',
  uniqueItems: 'list switch schema',
  delimiter: 'list delimiter lasting',
} as const satisfies Readonly<Record<string, WordText>>

export type WordName = keyof typeof words
type WordsWith<T extends WordFact> = {
  [W in WordName]: (typeof words)[W] extends `${string} ${T}${'' | ` ${string}`}` ? W : never
}[WordName]
/** Words that hold for all stages. */
export type LastingWord = WordsWith<'lasting'>
/** Words that items of a list may have. */
export type ItemWord = WordsWith<'item'>

const met = new Map<string, Word>()

/** The facts about a word; undefined if there is no such word. */
export function wordOf(name: string): Word | undefined {
  let known = met.get(name)
  if (!known && Object.hasOwn(words, name)) {
    const [of, rule, ...facts] = words[name as WordName].split(' ') as [WordGroup, WordRule, ...WordFact[]]
    known = {
      of,
      rule,
      lasting: facts.includes('lasting'),
      item: facts.includes('item'),
      schema: facts.includes('schema'),
    }
    met.set(name, known)
  }
  return known
}

/** Tells whether a type has a word. */
export function hasWord(type: string, { of }: Word): boolean {
  return of === 'all' || (groupsOf(type)?.includes(of) ?? false)
}

function groupsOf(type: string): readonly WordGroup[] | undefined {
  return isType(type) ? valueTypes[type].words : undefined
}
