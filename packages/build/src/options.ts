import path from 'node:path'
import type { Stage } from 'mappa'
import { Session } from './bundle/session.js'
import type { BuildCommand } from './bundle/settings-module.js'
import { loadLegendWithoutBuilder } from './load-without-builder.js'

/** Options of the plugin, for every builder. */
export interface BuilderOptions {
  /** The stage; unless said, `MAPPA_STAGE`, else `development` where the builder works for that and `production` elsewhere. */
  readonly stage?: string
  /** The directory that holds the legend and the layer files; searched for upwards from the working directory unless said. */
  readonly root?: string
  /**
   * Whether what is built goes to browsers or stays on a server; unless said, what the builder's own platform or target says,
   * else `browser`, which gets the least.
   */
  readonly reach?: 'server' | 'browser'
}

/** The session of one builder run. A development build is not served, so its pages contain their values. */
export function sessionFor(
  { stage, root }: BuilderOptions,
  { folder, develops, builder }: { readonly folder: string; readonly develops: boolean; readonly builder: string },
): Session {
  const chosen = chooseStageFor(stage, develops, builder)
  const command: BuildCommand = chosen.name === 'development' ? 'serve' : 'build'
  return new Session(path.resolve(folder), root, chosen, command, loadLegendWithoutBuilder, false)
}

function chooseStageFor(named: string | undefined, develops: boolean, builder: string): Stage {
  if (named !== undefined) return { name: named, from: 'the plugin' }
  if (process.env.MAPPA_STAGE) return { name: process.env.MAPPA_STAGE, from: 'MAPPA_STAGE' }
  return { name: develops ? 'development' : 'production', from: builder }
}
