import type { Accepted } from './accepted.js'
import type { AnyEntry, Likes } from './entry.js'
import type { Entries, Settings, Strict } from './types.js'

/** The stages that every legend has. */
const commonStages = ['development', 'test', 'staging', 'production'] as const

/** A declaration of every variable. Plain data: it can be read, printed and spread into another. */
export interface Legend<E = Entries> {
  readonly entries: E
  /** Stages beside the four that every legend has. */
  readonly stages: readonly string[]
  /** The stages that some of those are like, by name. */
  readonly like?: Likes | undefined
  readonly directories?: readonly string[] | undefined
  readonly remotes?: readonly Remote[] | undefined
  readonly topLayers?: boolean | undefined
  readonly accepted?: readonly Accepted[] | undefined
  readonly rules?: Rules<never> | undefined
}

/** Rules that span entries: each sentence says what must hold, and its function whether it does. */
export type Rules<S> = { readonly [sentence: string]: (settings: S) => boolean }

/**
 * A settings service that is asked for values: `GET url`, answered with a JSON object of texts, or with layer text; or with
 * `etcd` a store of that kind.
 */
export interface Remote {
  /** Its name in reports. */
  readonly name: string
  /** The variable that holds its address; while that has no value, the service is not asked. */
  readonly url: string
  /** The variable that holds the token to send as `Authorization: Bearer …`; it must be secret. For a store, `user:password`. */
  readonly token?: string
  /** Prefix of the store's keys, before `<stage>/NAME`. */
  readonly etcd?: string
}

/** Options of {@link legend}. */
// biome-ignore lint/suspicious/noExplicitAny: rules of some legend, whichever it is.
export interface LegendOptions<V = any, S extends string = string> {
  /**
   * Names of stages beside `development`, `test`, `staging` and `production`. One may be like another, whose layers and words
   * lie beneath its own: `{ preview: { like: 'staging' } }`.
   */
  readonly stages?: readonly S[] | { readonly [Name in S]: { readonly like?: string } }
  /**
   * Directories of one-value files, as container platforms mount secrets: each file is named as its variable. Paths are
   * absolute or start at the root. One that is not there gives nothing.
   */
  readonly directories?: readonly string[]
  /** Settings services to ask. Only what may wait can ask them: `settleAsync`, `surveyAsync` and the command. */
  readonly remotes?: readonly Remote[]
  /** True if the layer files at the repository's top lie beneath those beside the legend. */
  readonly topLayers?: boolean
  /**
   * Kinds of faults and notices that the project lives with for a while, as numbers in the tally; not those that keep secrets,
   * or leave a value out: `[{ kind: 'read-differently', name: 'NOTE', because: 'only we read it', until: '2027-06-30' }]`.
   */
  readonly accepted?: readonly Accepted[]
  /**
   * What spans entries: `{ 'An alert needs a token.': ({ alert }) => !alert.enabled || alert.token !== undefined }`. A
   * rule that gives false is a fault which names the variables it read; it is skipped while one of them is at fault.
   */
  readonly rules?: Rules<V>
}

/**
 * Declares an application's variables: one entry each, keyed by the variable's name.
 *
 * Words that contradict each other are reported when the legend is used, not here, so that importing never throws.
 *
 * ```ts
 * export default legend({
 *   COLLECTOR_PORT: { type: 'port', default: 4100, as: 'collector.port' },
 *   ALERT_TOKEN: { type: 'string', secret: true, minLength: 24 },
 * })
 * ```
 */
export function legend<const E extends Entries, const S extends string = never>(
  entries: E & Strict<E, S>,
  options: LegendOptions<Settings<NoInfer<E>>, S> = {},
): Legend<E> {
  const { stages = [], ...rest } = options
  return { entries, ...stagesIn(stages), ...rest }
}

/** Stages as they may be written, as names and what they are like. What is neither is found where the legend is checked. */
export function stagesIn(stages: NonNullable<LegendOptions['stages']>): Pick<Legend, 'stages' | 'like'> {
  if (Array.isArray(stages) || typeof stages !== 'object' || stages === null) return { stages: stages as string[] }
  const like = Object.entries(stages).flatMap(([name, words]) =>
    words?.like === undefined ? [] : [[name, words.like]],
  )
  return { stages: Object.keys(stages), ...(like.length > 0 && { like: Object.fromEntries(like) }) }
}

/** Every stage of a legend, the common ones first. */
export function stagesOf(definition: Legend<unknown> | undefined): readonly string[] {
  return [...new Set([...commonStages, ...(definition?.stages ?? [])])]
}

/** A legend's entries in one loose shape, by name; none without a legend. */
export function entriesOf(definition: Legend<unknown> | undefined): Readonly<Record<string, AnyEntry>> {
  return (definition?.entries ?? {}) as Readonly<Record<string, AnyEntry>>
}

/** A legend in which only some entries must have a value; the others may be missing, though not wrong. */
export function heldTo(definition: Legend, isHeld: (entry: AnyEntry, name: string) => boolean): Legend {
  const entries = Object.entries(entriesOf(definition)).map(([name, entry]) => {
    if (typeof entry !== 'object' || entry === null || isHeld(entry, name)) return [name, entry]
    const stages = Object.entries(entry.stages ?? {}).map(([stage, words]) => [stage, { ...words, optional: true }])
    return [name, { ...entry, optional: true, ...(entry.stages && { stages: Object.fromEntries(stages) }) }]
  })
  return { ...definition, entries: Object.fromEntries(entries) }
}
