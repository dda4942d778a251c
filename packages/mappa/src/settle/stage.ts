import { type Legend, stagesOf } from '../legend/legend.js'

/** The stage that settings are for, and who said so. */
export interface Stage {
  readonly name: string
  /** Who named it, to follow "from": `MAPPA_STAGE`, `the caller`; undefined when nobody did. */
  readonly from: string | undefined
}

/** Texts by name, as a process environment gives them. */
export type Texts = Readonly<Record<string, string | undefined>>

/**
 * Which stage a start is for: the one that was named; `MAPPA_STAGE`; `NODE_ENV` if it names a stage; the one
 * that a server bundle was built for; else `development`.
 * Whether it is known is for `survey` to say.
 */
export function chooseStage(
  named: Stage | string | undefined,
  environment: Texts,
  definition?: Legend<unknown>,
  builtFor?: string,
): Stage {
  if (typeof named === 'object') return named
  if (named !== undefined) return { name: named, from: 'the caller' }
  if (environment.MAPPA_STAGE) return { name: environment.MAPPA_STAGE, from: 'MAPPA_STAGE' }
  const general = environment.NODE_ENV
  if (general && stagesOf(definition).includes(general)) return { name: general, from: 'NODE_ENV' }
  if (builtFor !== undefined) return { name: builtFor, from: 'the build' }
  return { name: 'development', from: undefined }
}
