import type { BuildCommand } from '../bundle/project.js'
import type { Stage } from '../settle/stage.js'

/**
 * The stage that Vite is for: the plugin's own; an explicit `--mode`; `MAPPA_STAGE`; else `development` when serving and
 * `production` when building. Vite sets `NODE_ENV` itself, so unlike at a start that names no stage here.
 */
export function chooseBuildStage(named: string | undefined, mode: string | undefined, command: BuildCommand): Stage {
  if (named !== undefined) return { name: named, from: 'the plugin' }
  if (mode !== undefined) return { name: mode, from: '--mode' }
  if (process.env.MAPPA_STAGE) return { name: process.env.MAPPA_STAGE, from: 'MAPPA_STAGE' }
  return { name: command === 'build' ? 'production' : 'development', from: `vite ${command}` }
}
