import type { Stage } from 'mappa'
import type { BuildCommand } from '../bundle/settings-module.js'

/**
 * The stage that Vite is for: the plugin's own; an explicit `--mode`; `MAPPA_STAGE`; else `development` when serving and
 * `production` when building. Vite sets `NODE_ENV` itself, so unlike at a start that names no stage here.
 */
export function chooseBuildStage(named: string | undefined, mode: string | undefined, command: BuildCommand): Stage {
  if (named !== undefined) return { name: named, from: 'the plugin' }
  const usual = command === 'build' ? 'production' : 'development'
  // Frameworks pass on the mode that there is unless somebody names one.
  const isTyped = process.argv.some((each) => /^(?:--mode|-m)(?:=|$)/.test(each))
  const isUsual = mode === 'production' || mode === 'development'
  if (mode !== undefined && (isTyped || !isUsual)) return { name: mode, from: '--mode' }
  if (process.env.MAPPA_STAGE && !isNamedHere()) return { name: process.env.MAPPA_STAGE, from: 'MAPPA_STAGE' }
  return { name: mode ?? usual, from: `vite ${command}` }
}

/** The stage that a server of this process has named, so that it is not taken for the person's own word. */
let named: string | undefined
/** Number of servers of this process that have named it so far. */
let servers = 0

function isNamedHere(): boolean {
  return named !== undefined && process.env.MAPPA_STAGE === named
}

/** Names the stage in the environment, unless somebody else has; returns what takes that back. */
export function nameHere(stage: string): () => void {
  if (process.env.MAPPA_STAGE !== undefined && !isNamedHere()) return () => {}
  named = stage
  const own = ++servers
  process.env.MAPPA_STAGE = stage
  return () => {
    // A server that starts again has named it anew before the old one ends.
    if (own === servers && isNamedHere()) delete process.env.MAPPA_STAGE
  }
}
