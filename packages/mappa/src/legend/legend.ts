import type { Entries, Strict } from './types.js'

/** The stages that every legend has. */
const commonStages = ['development', 'test', 'staging', 'production'] as const

/** A declaration of every variable. Plain data: it can be read, printed and spread into another. */
export interface Legend<E = Entries> {
  readonly entries: E
  /** Stages beside the four that every legend has. */
  readonly stages: readonly string[]
}

/** Options of {@link legend}. */
export interface LegendOptions {
  /** Names of stages beside `development`, `test`, `staging` and `production`. */
  readonly stages?: readonly string[]
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
export function legend<const E extends Entries>(entries: E & Strict<E>, options: LegendOptions = {}): Legend<E> {
  return { entries, stages: options.stages ?? [] }
}

/** Every stage of a legend, the common ones first. */
export function stagesOf(definition: Legend<unknown> | undefined): readonly string[] {
  return [...new Set([...commonStages, ...(definition?.stages ?? [])])]
}
