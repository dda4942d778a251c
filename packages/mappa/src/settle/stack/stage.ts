/** The stage that settings are for, and who said so. */
export interface Stage {
  readonly name: string
  /** Its source, to follow "from": `MAPPA_STAGE`, `the caller`; undefined if nobody named it. */
  readonly from: string | undefined
}

/** Texts by name, as a process environment gives them. */
export type Texts = Readonly<Record<string, string | undefined>>

/**
 * Which stage a start is for: the one that was named; `MAPPA_STAGE`; the one that a server bundle was built for; `NODE_ENV`;
 * else `development`. Frameworks and hosts set `NODE_ENV=production` everywhere, so a bundle knows better.
 * Whether it is known is for `survey` to say, so that `NODE_ENV=prod` does not start development unnoticed.
 */
export function chooseStage(named: Stage | string | undefined, environment: Texts, builtFor?: string): Stage {
  if (typeof named === 'object') return named
  if (named !== undefined) return { name: named, from: 'the caller' }
  if (environment.MAPPA_STAGE) return { name: environment.MAPPA_STAGE, from: 'MAPPA_STAGE' }
  if (builtFor !== undefined) return { name: builtFor, from: 'the build' }
  if (environment.NODE_ENV) return { name: environment.NODE_ENV, from: 'NODE_ENV' }
  return { name: 'development', from: undefined }
}
