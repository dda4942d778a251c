import type { StandardSchema } from './standard-schema.js'
import type { Format, Generate } from './types.js'
import type { EntryType } from './value-types.js'
import type { WordName } from './words.js'

interface EntryShape {
  readonly type: EntryType
  readonly description?: string
  readonly obtain?: string
  readonly generate?: Generate
  readonly examples?: readonly unknown[]
  readonly deprecated?: boolean
  readonly secret?: boolean
  readonly reach?: 'server' | 'browser'
  readonly fixed?: 'build' | 'start'
  readonly file?: boolean
  readonly optional?: boolean
  readonly empty?: 'keep'
  readonly as?: string
  readonly formerly?: readonly string[]
  readonly enum?: readonly unknown[]
  readonly default?: unknown
  readonly minLength?: number
  readonly maxLength?: number
  readonly pattern?: string
  readonly format?: Format
  readonly schemes?: readonly string[]
  readonly minimum?: number | string
  readonly maximum?: number | string
  readonly exclusiveMinimum?: number
  readonly exclusiveMaximum?: number
  readonly multipleOf?: number
  readonly items?: AnyEntry
  readonly minItems?: number
  readonly maxItems?: number
  readonly uniqueItems?: boolean
  readonly delimiter?: string
  readonly read?: (value: unknown) => unknown
  readonly schema?: StandardSchema
  readonly stages?: Readonly<Record<string, Partial<AnyEntry>>>
  /** Not a word: its value is built on an undeclared name, so that it may not be shown. */
  readonly veiled?: boolean
}

/** A word of the table that the shape above lacks. */
type Lacking = Exclude<WordName, keyof EntryShape>
type None<Words extends never> = Words
/** @internal The shape above has every word, or this does not compile. */
export type ShapeIsWhole = None<Lacking>

/** An entry's words once it is known to be right: one loose shape for code that reads them. */
export type AnyEntry = EntryShape & { readonly [Word in Lacking]?: unknown }

/** Tells whether an entry's value may not be shown: it is secret, built on an undeclared name, or undeclared itself. */
export function hides(entry: AnyEntry | undefined): boolean {
  return entry === undefined || entry.secret === true || entry.veiled === true
}

/** Tells whether everyone may see an entry's value. */
export function reachesBrowser(entry: AnyEntry): boolean {
  mustBeEntry(entry, 'reachesBrowser')
  return entry.reach === 'browser' && !entry.secret
}

/** When an entry's value is fixed: for browsers at build, for servers at start, unless the entry says otherwise. */
export function fixedAt(entry: AnyEntry): 'build' | 'start' {
  mustBeEntry(entry, 'fixedAt')
  return entry.fixed ?? (reachesBrowser(entry) ? 'build' : 'start')
}

/** The stage that each stage is like, by name. */
export type Likes = Readonly<Record<string, string>>

/** A stage, and before it those that it is like, the lowest first; one that is like itself is so once. */
export function ancestryOf(stage: string, like: Likes | undefined): readonly string[] {
  const lines = [stage]
  for (let at = like?.[stage]; at !== undefined && !lines.includes(at); at = like?.[at]) lines.unshift(at)
  return lines
}

/** An entry with a stage's own words laid over it, those of stages that it is like beneath. */
export function entryIn(entry: AnyEntry, stage: string, like?: Likes): AnyEntry {
  const { stages } = entry
  if (!stages) return entry
  let own = entry
  for (const each of ancestryOf(stage, like)) if (Object.hasOwn(stages, each)) own = { ...own, ...stages[each] }
  return own
}

/** The steps under which code sees a variable: `['collector', 'port']`. */
export function placeOf(name: string, entry: AnyEntry): readonly string[] {
  mustBeEntry(entry, 'placeOf')
  return entry.as === undefined ? [name] : entry.as.split('.')
}

function mustBeEntry(entry: unknown, call: string): void {
  if (typeof entry !== 'object' || entry === null) throw new TypeError(`${call} takes an entry of a legend.`)
}
