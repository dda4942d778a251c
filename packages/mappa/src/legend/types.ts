/**
 * The types of a legend: what an entry may say, what code sees of it, and what it may not say.
 *
 * A right legend must stay cheap to check, so `Strict` comes out as `{}` or `unknown` for it, and only a wrong word
 * costs anything: it becomes an error on its own line. Known limits: a wrong value widens all settings until it is
 * mended, and a hoisted `enum` list needs `as const`.
 */

// -- what an entry may say: interfaces, so that completion and errors stay short ---------------------------------

/** Words that every entry may use. `V` is the type that its values have. */
interface Words<V> {
  /** What the variable is for: one sentence. */
  description?: string
  /** Where a person gets a value: an address, or a sentence. */
  obtain?: string
  /** Values that would be right, for people to read. */
  examples?: readonly V[]
  /** The value is confidential: it is masked wherever it is printed, and never leaves the server. */
  secret?: boolean
  /** How far the value may travel; `server` unless said. */
  reach?: 'server' | 'browser'
  /** A variable `NAME_FILE` may name a file that holds the value, as container platforms mount secrets. */
  file?: boolean
  /** Without a value the setting is `undefined` instead of a fault. */
  optional?: boolean
  /** Where code sees it: `'collector.port'` is `settings.collector.port`. The variable's name unless said. */
  as?: string
  /** The only values allowed. */
  enum?: readonly V[]
  /** The value when no layer sets one. */
  default?: V
}

/** An entry whose value is text. */
export interface TextEntry extends Words<string> {
  type: 'string'
  /** Least length, in Unicode characters. */
  minLength?: number
  /** Greatest length, in Unicode characters. */
  maxLength?: number
  /** A regular expression (ECMA-262, flag `u`) that some part of the value must match; anchor it with `^` and `$`. */
  pattern?: string
  /** `uri`: an absolute URL. */
  format?: 'uri'
  /** Words that differ in a stage. */
  stages?: StageWords<TextEntry>
}

/** An entry whose value is a number; a `port` is a whole number from 1 to 65535. */
export interface NumberEntry extends Words<number> {
  type: 'integer' | 'number' | 'port'
  minimum?: number
  maximum?: number
  exclusiveMinimum?: number
  exclusiveMaximum?: number
  /** The value must be a multiple of this. */
  multipleOf?: number
  /** Words that differ in a stage. */
  stages?: StageWords<NumberEntry>
}

/** An entry whose value is true or false. */
export interface SwitchEntry extends Words<boolean> {
  type: 'boolean'
  /** Words that differ in a stage. */
  stages?: StageWords<SwitchEntry>
}

/** Words that hold for all stages, so that no stage may override them. */
type LastingWord = 'type' | 'stages' | 'as' | 'reach' | 'secret'
type StageWords<E> = { readonly [stage: string]: Partial<Omit<E, LastingWord>> }

/** One variable's declaration. */
export type Entry = TextEntry | NumberEntry | SwitchEntry
/** A legend's entries by variable name. */
export interface Entries {
  readonly [name: string]: Entry
}
/** The types an entry can have. */
export type EntryType = Entry['type']

type EntryOf<T> = Entry extends infer U ? (U extends { type: infer X } ? (T extends X ? U : never) : never) : never
type WordOf = { [T in EntryType]: keyof EntryOf<T> }

// -- what code sees ----------------------------------------------------------------------------------------------

interface Plain {
  string: string
  integer: number
  number: number
  port: number
  boolean: boolean
}
type Seen<E> = E extends { enum: readonly (infer U)[] }
  ? U
  : E extends { type: infer T extends EntryType }
    ? Plain[T]
    : never

type Lacks<E> = E extends { default: unknown } ? never : E extends { optional: true } ? undefined : never
/** `undefined` where an entry may lack a value, in any stage. */
type MayLack<E> = E extends { default: unknown }
  ? never
  : Lacks<E> | (E extends { stages: infer S } ? { [N in keyof S]: Lacks<S[N]> }[keyof S] : never)

type PlaceOf<E, Name> = E extends { as: infer P extends string } ? P : Name
type Head<P> = P extends `${infer H}.${string}` ? H : P
/** From a flat type keyed by place (`'collector.port'`) to a nested one. */
type Nest<Flat> = {
  readonly [H in Head<keyof Flat>]: H extends keyof Flat
    ? Flat[H]
    : Nest<{ [P in keyof Flat as P extends `${H & string}.${infer Rest}` ? Rest : never]: Flat[P] }>
}

/** The settings that a legend's entries give: each at its place, with its exact type. */
export type Settings<E> = Nest<{
  [Name in keyof E as PlaceOf<E[Name], Name> & string]: Seen<E[Name]> | MayLack<E[Name]>
}>

// -- what an entry may not say -----------------------------------------------------------------------------------

interface Wrong<Why extends string> {
  readonly wrong: Why
}
type Refuse<W extends PropertyKey, T extends string> = {
  [X in W]: Wrong<`type '${T}' has no word '${X & string}' here`>
}
/** Intersected with the entries that were given: adds nothing to right ones, and an impossible type to a wrong word. */
export type Strict<E> = string extends keyof E
  ? unknown // the constraint itself: keep it out of contextual types
  : { [Name in keyof E]: E[Name] extends { type: infer T extends EntryType } ? StrictEntry<E[Name], T> : unknown }
type StrictEntry<E, T extends EntryType> = Refuse<Exclude<keyof E, WordOf[T]>, T> &
  (E extends { enum: readonly (infer U)[]; default: infer D }
    ? [D] extends [U]
      ? unknown
      : { default: Wrong<'the default is not in the enum'> }
    : unknown) &
  (E extends { secret: true; reach: 'browser' } ? { reach: Wrong<'a secret cannot reach the browser'> } : unknown) &
  (E extends { secret: true; default: unknown } ? { default: Wrong<'a secret cannot have a default'> } : unknown) &
  (E extends { stages: infer S }
    ? { stages: { [N in keyof S]: Refuse<Exclude<keyof S[N], Exclude<WordOf[T], LastingWord>>, T> } }
    : unknown)
