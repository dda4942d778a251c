/**
 * The types of a legend: what an entry may say, what code sees of it, and what it may not say.
 *
 * A right legend must stay cheap to check, so `Strict` comes out as `{}` or `unknown` for it, and only a wrong word
 * costs anything: it becomes an error on its own line. Known limits: a wrong value widens all settings until it is
 * fixed, and a hoisted `enum` list needs `as const`.
 */

import type { StandardSchema } from './standard-schema.js'
import type { Format } from './text/formats.js'
import type { CodeTypes, EntryType, valueTypes } from './value-types.js'
import type { ItemWord, LastingWord, WordName, words } from './words.js'

// -- what an entry may say: interfaces, so that completion and errors stay short ---------------------------------

/** How to generate a random value: its number of bytes, and their encoding. */
export interface Generate {
  /** From 16 to 1024. */
  readonly bytes: number
  readonly text: 'hex' | 'base64' | 'base64url'
}

export type { Format }

/** Words that every entry may use. `V` is the type that its values have. */
interface Words<V> {
  /** The purpose of the variable, in one sentence. */
  description?: string
  /** The source of a value for people: an address, or a sentence. */
  obtain?: string
  /** Values that would be right, for people to read. */
  examples?: readonly V[]
  /** Setting it still works, and is reported: its description says what to use instead. */
  deprecated?: boolean
  /** The value is confidential: it is masked wherever it is printed, and never leaves the server. */
  secret?: boolean
  /** Reach of the value; `server` by default. */
  reach?: 'server' | 'browser'
  /**
   * When the value is fixed: `build` puts it into what is built, `start` leaves it to the start, or to the page
   * that is served. Unless said, `build` for a value that reaches the browser and `start` for any other.
   */
  fixed?: 'build' | 'start'
  /** A variable `NAME_FILE` may name a file that holds the value, as container platforms mount secrets. */
  file?: boolean
  /** Without a value the setting is `undefined` instead of a fault. */
  optional?: boolean
  /** Text of length 0 is a value like any other, instead of none. */
  empty?: 'keep'
  /** The place in code: `'collector.port'` is `settings.collector.port`. The variable's name by default. */
  as?: string
  /** Names that it had before: read where it is not set itself, and reported. */
  formerly?: readonly string[]
  /** The only values allowed. */
  enum?: readonly V[]
  /** The value when no layer sets one. */
  default?: V
  /** Makes of the checked value what code sees. It must give its result at once; what it throws is a fault. */
  read?: (value: V) => unknown
  /** A validator that speaks the Standard Schema interface: gets the checked value, and gives what code sees. */
  // biome-ignore lint/suspicious/noExplicitAny: a validator may take any input; what it gives is what counts.
  schema?: StandardSchema<any, unknown>
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
  /** Format of the text: `uri` is an absolute URL. */
  format?: Format
  /** The URL schemes allowed, without colon: `['https']`. The value must be an absolute URL then. */
  schemes?: readonly string[]
  /** How to generate a random value. */
  generate?: Generate
  /** Words that differ in a stage. */
  stages?: StageWords<TextEntry>
}

/** An entry whose value is a key or certificate in text form (RFC 7468); `\n` in it reads as a line end. */
export interface PemEntry extends Words<string> {
  type: 'pem'
  /** Words that differ in a stage. */
  stages?: StageWords<PemEntry>
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

/** An entry whose value is an amount: a `duration` is a number of milliseconds, written `90s`, `1.5h` or `PT1H30M`; `bytes` a number of bytes, written `10MB` or `10MiB`. */
export interface AmountEntry extends Omit<Words<number>, 'default' | 'examples'> {
  type: 'duration' | 'bytes'
  /** The value when no layer sets one: a number, or as people write it. */
  default?: number | string
  examples?: readonly (number | string)[]
  minimum?: number | string
  maximum?: number | string
  /** Words that differ in a stage. */
  stages?: StageWords<AmountEntry>
}

/** An entry whose value is true or false. */
export interface SwitchEntry extends Words<boolean> {
  type: 'boolean'
  /** Words that differ in a stage. */
  stages?: StageWords<SwitchEntry>
}

/** An entry whose value is a list: `a, b, "c, d"`, or a JSON array. */
// biome-ignore lint/suspicious/noExplicitAny: the items' own words say what they are.
export interface ListEntry extends Words<readonly any[]> {
  type: 'array'
  /** The entry of each item. */
  items: ItemWords
  minItems?: number
  maxItems?: number
  /** No item may come twice. */
  uniqueItems?: boolean
  /** Separator of the items; a comma by default. */
  delimiter?: string
  /** Words that differ in a stage. */
  stages?: StageWords<ListEntry>
}

/** An entry whose value is a JSON object. */
// biome-ignore lint/suspicious/noExplicitAny: what is in it is for `schema` or `read` to say.
export interface ObjectEntry extends Words<Record<string, any>> {
  type: 'object'
  /** Words that differ in a stage. */
  stages?: StageWords<ObjectEntry>
}

/** The words of a list's items. */
type ItemWords =
  | Pick<TextEntry, ItemWord & keyof TextEntry>
  | ({ type: 'integer' | 'number' } & Pick<NumberEntry, Exclude<ItemWord & keyof NumberEntry, 'type'>>)
  | { type: 'boolean' }

type StageWords<E> = { readonly [stage: string]: Partial<Omit<E, LastingWord>> }

/** One variable's declaration. */
export type Entry = TextEntry | PemEntry | NumberEntry | AmountEntry | SwitchEntry | ListEntry | ObjectEntry
/** A legend's entries by variable name. */
export interface Entries {
  readonly [name: string]: Entry
}
/** A type that the record has and no entry above, or the other way round; neither compiles. */
type Unlike = Exclude<EntryType, Entry['type']> | Exclude<Entry['type'], EntryType>

/** The words of a type by the table; a word that the table and the interfaces above do not agree on does not compile. */
type TableWords<T extends EntryType> = {
  [W in WordName]: (typeof words)[W] extends `${'all' | (typeof valueTypes)[T]['words'][number]} ${string}` ? W : never
}[WordName]
type Agree<T extends EntryType> = [TableWords<T>, keyof EntryOf<T>] extends [keyof EntryOf<T>, TableWords<T>]
  ? T
  : false
type Whole<Types extends { [T in EntryType]: T }> = Types
/** @internal */
export type TableAgrees = Whole<{ [T in EntryType]: Agree<T> } & { [T in Unlike]: false }>

type EntryOf<T> = Entry extends infer U ? (U extends { type: infer X } ? (T extends X ? U : never) : never) : never
type WordOf = { [T in EntryType]: keyof EntryOf<T> }
type ItemOf<T> = ItemWords extends infer U ? (U extends { type: infer X } ? (T extends X ? U : never) : never) : never

// -- what code sees ----------------------------------------------------------------------------------------------

/** The type in code of each entry type. */
type Plain = { [T in EntryType]: CodeTypes[(typeof valueTypes)[T]['code']] }
/** The `enum` of stages; nothing if none has one. */
type StagedEnum<E> = E extends { stages: infer S }
  ? { [N in keyof S]: S[N] extends { enum: readonly (infer U)[] } ? U : never }[keyof S]
  : never
/** The type of a checked value, whatever the stage. */
type Checked<E> = E extends { enum: readonly (infer U)[] }
  ? U | StagedEnum<E>
  : E extends { items: infer I }
    ? readonly Checked<I>[]
    : E extends { type: infer T extends EntryType }
      ? Plain[T]
      : never
/** The type of an entry's value before `read` or `schema` make something of it. */
export type CheckedValue<E> = Checked<E>
/** The result type of `read` or `schema`. */
type Seen<E> = E extends { read: (...value: never) => infer R }
  ? R
  : // biome-ignore lint/suspicious/noExplicitAny: whatever a validator takes, its output counts.
    E extends { schema: StandardSchema<any, infer O> }
    ? O
    : Checked<E>

type Lacks<E> = E extends { default: unknown } ? never : E extends { optional: true } ? undefined : never
/** `undefined` where an entry may lack a value, in any stage. */
type MayLack<E> = E extends { default: unknown }
  ? never
  : Lacks<E> | (E extends { stages: infer S } ? { [N in keyof S]: Lacks<S[N]> }[keyof S] : never)

/** The type of one setting: `SettingOf<typeof definition.entries.COLLECTOR_PORT>` is `number`. */
export type SettingOf<E> = Seen<E> | MayLack<E>

type Head<P> = P extends `${infer H}.${string}` ? H : P
/** From a flat type keyed by place (`'collector.port'`) to a nested one. */
type Nest<Flat> = {
  readonly [H in Head<keyof Flat>]: H extends keyof Flat
    ? Flat[H]
    : Nest<{ [P in keyof Flat as P extends `${H & string}.${infer Rest}` ? Rest : never]: Flat[P] }>
}

/** Names of entries that code sees under their own name. */
type PlainName<E> = keyof { [Name in keyof E as E[Name] extends { as: string } ? never : Name]: unknown }
/** Mapped by name alone, so that an editor shows the comment above the entry; a mapping that renames would lose it. */
type AtName<E, Name extends keyof E> = { readonly [N in Name]: Seen<E[N]> | MayLack<E[N]> }
type AtPlace<E> = Nest<{
  [Name in keyof E as E[Name] extends { as: infer P extends string } ? P : never]: Seen<E[Name]> | MayLack<E[Name]>
}>

/** The settings that a legend's entries give: each at its place, with its exact type. */
export type Settings<E> = AtName<E, PlainName<E> & keyof E> & AtPlace<E>

// -- what an entry may not say -----------------------------------------------------------------------------------

interface Wrong<Why extends string> {
  readonly wrong: Why
}
type Refuse<W extends PropertyKey, T extends string> = {
  [X in W]: Wrong<`type '${T}' has no word '${X & string}' here`>
}
/** The place of an entry in code: its `as`, or its name. */
type PlaceOf<E, Name> = E extends { as: infer P extends string } ? P : Name
/** The names of entries by the places at which code sees them; two at one place are a union. */
type NamesAt<E> = { [Name in keyof E as PlaceOf<E[Name], Name> & string]: Name }

/** Characters that people put into names and no environment takes. */
type OddCharacter = ' ' | '-' | '.' | ':' | '/' | '=' | '$' | '+' | '@' | '!' | '?' | ',' | ';' | "'" | '"' | '(' | ')'
type Digit = '0' | '1' | '2' | '3' | '4' | '5' | '6' | '7' | '8' | '9'
type OddName = '' | `${Digit}${string}` | `${string}${OddCharacter}${string}`
type OddPlace = '' | `.${string}` | `${string}.` | `${string}..${string}`

type TimeUnit = 'ms' | 's' | 'm' | 'min' | 'h' | 'd' | 'w'
type Blank = '' | ' '
type SizeUnit = 'B' | 'kB' | 'KB' | 'MB' | 'GB' | 'TB' | 'KiB' | 'kiB' | 'MiB' | 'GiB' | 'TiB'
/** Amounts as people write them, as far as a type can tell. */
interface Amounts {
  duration:
    | '0'
    | `P${string}`
    | `${number}${Blank}${TimeUnit}`
    | `${number}${Blank}${TimeUnit}${Blank}${number}${string}`
  bytes: `${number}` | `${number}${Blank}${SizeUnit}` | Lowercase<`${number}${Blank}${SizeUnit}`>
}

/** The stages that every legend has, for types. */
type CommonStage = 'development' | 'test' | 'staging' | 'production'

/**
 * Intersected with the entries that were given: adds nothing to right ones, and an impossible type to a wrong word. `S` are the
 * stages that the legend names.
 */
export type Strict<E, S extends string = string> = string extends keyof E
  ? unknown // the constraint itself: keep it out of contextual types
  : {
      [Name in keyof E]: E[Name] extends { type: infer T extends EntryType }
        ? StrictEntry<E[Name], T, S | CommonStage> & StrictName<E[Name], Name, NamesAt<E>>
        : unknown
    }
type StrictName<E, Name, At> = (Name extends OddName
  ? Wrong<'a name has only letters, digits and underscores'>
  : unknown) &
  (E extends { as: infer P extends string }
    ? P extends OddPlace
      ? { as: Wrong<'as is names joined by dots'> }
      : // Asked for this one place, since looking through all of them would cost their square.
        At extends { [Place in P]: infer N }
        ? [N] extends [Name]
          ? unknown
          : { as: Wrong<'another entry has that place'> }
        : unknown
    : unknown)
type StrictEntry<E, T extends EntryType, S extends string> = Refuse<Exclude<keyof E, WordOf[T]>, T> &
  (E extends { enum: readonly (infer U)[]; default: infer D }
    ? [D] extends [U]
      ? unknown
      : { default: Wrong<'the default is not in the enum'> }
    : unknown) &
  (T extends keyof Amounts
    ? E extends { default: infer D extends string }
      ? string extends D
        ? unknown
        : D extends Amounts[T]
          ? unknown
          : { default: Wrong<`this is not a ${T}`> }
      : unknown
    : unknown) &
  (E extends { items: infer I extends { type: string } }
    ? { items: { [X in Exclude<keyof I, keyof ItemOf<I['type']>>]: Wrong<`items have no word '${X & string}' here`> } }
    : unknown) &
  (E extends { secret: true; reach: 'browser' } ? { reach: Wrong<'a secret cannot reach the browser'> } : unknown) &
  (E extends { secret: true; fixed: 'build' } ? { fixed: Wrong<'a secret cannot be fixed at build'> } : unknown) &
  (E extends { secret: true; default: unknown } ? { default: Wrong<'a secret cannot have a default'> } : unknown) &
  (E extends { stages: infer G }
    ? {
        stages: {
          [N in keyof G]: N extends S
            ? Refuse<Exclude<keyof G[N], Exclude<WordOf[T], LastingWord>>, T>
            : Wrong<'the legend does not name this stage'>
        }
      }
    : unknown)
