import { withoutCredentials } from '../leak/credentials.js'
import { describeEntry } from '../legend/constraints.js'
import { type AnyEntry, entryIn, fixedAt, placeOf } from '../legend/entry.js'
import { mustBeLegend } from '../legend/given.js'
import type { Legend } from '../legend/legend.js'
import { entriesOf } from '../legend/legend.js'
import type { Generate } from '../legend/types.js'
import type { EntryType } from '../legend/value-types.js'
import { textFor } from '../settle/value/convert.js'

/** The terms of a variable, in all stages or in one. */
export interface Terms {
  /** To follow "must be": `a port from 1 to 65535`. */
  readonly expects: string
  /** As a layer would have it. */
  readonly default?: string
  /** True if there must be a value that some layer gives: neither optional nor with a default. */
  readonly required: boolean
}

/** The facts of a legend about one variable, as plain data. Holds only defaults and examples, and so no secret. */
export interface Variable extends Terms {
  readonly name: string
  /** The steps under which code sees it: `['collector', 'port']`. */
  readonly place: readonly string[]
  readonly type: EntryType
  readonly description?: string
  readonly secret: boolean
  readonly reach: 'server' | 'browser'
  /** When the value is fixed. */
  readonly fixed: 'build' | 'start'
  readonly deprecated: boolean
  /** The source of a value for people: an address, or a sentence. */
  readonly obtain?: string
  readonly generate?: Generate
  /** As a layer would have them. */
  readonly examples: readonly string[]
  /** The only values allowed, as a layer would have them; undefined if the type has many. */
  readonly values?: readonly string[]
  readonly formerly: readonly string[]
  /** True if a variable `NAME_FILE` may name a file that holds the value. */
  readonly file: boolean
  /** True if a function, `read` or `schema`, makes the setting, so its type is unknown here. */
  readonly made: boolean
  /** The stages in which it takes something else. */
  readonly stages: readonly (Terms & { readonly stage: string })[]
}

/**
 * What a sound legend says of each variable, in its order; for one stage only, if that is named.
 *
 * ```ts
 * for (const { name, expects } of variablesOf(definition)) console.log(`${name} must be ${expects}`)
 * ```
 */
export function variablesOf(definition: Legend<unknown>, stage?: string): Variable[] {
  mustBeLegend(definition, 'variablesOf')
  return Object.entries(entriesOf(definition)).map(([name, given]) => {
    const entry = stage === undefined ? given : entryIn(given, stage, definition.like)
    const { type, description, obtain, generate, secret = false, reach = 'server' } = entry
    const base = termsOf(entry)
    const staged = stage === undefined ? Object.keys(given.stages ?? {}) : []
    return {
      name,
      place: placeOf(name, entry),
      type,
      ...(description !== undefined && { description }),
      ...base,
      secret,
      reach,
      fixed: fixedAt(entry),
      deprecated: entry.deprecated ?? false,
      ...(obtain !== undefined && { obtain }),
      ...(generate && { generate }),
      examples: secret ? [] : (entry.examples ?? []).map((example) => textFor(entry, example)),
      ...(valuesOf(entry) && { values: valuesOf(entry) as readonly string[] }),
      formerly: entry.formerly ?? [],
      file: entry.file ?? false,
      made: entry.read !== undefined || entry.schema !== undefined,
      stages: staged
        .map((each) => ({ stage: each, ...termsOf(entryIn(given, each, definition.like)) }))
        .filter(
          (own) => own.expects !== base.expects || own.default !== base.default || own.required !== base.required,
        ),
    }
  })
}

function termsOf(entry: AnyEntry): Terms {
  const { default: value, optional = false } = entry
  return {
    expects: describeEntry(entry),
    ...(value !== undefined && { default: withoutCredentials(textFor(entry, value)) }),
    required: value === undefined && !optional,
  }
}

function valuesOf(entry: AnyEntry): readonly string[] | undefined {
  return entry.enum?.map((value) => textFor(entry, value))
}
