import type { Texts } from '../settle/stage.js'
import type { Survey } from '../settle/survey.js'

/**
 * What a child process should find in its environment: the host's variables, then every name of the legend and the
 * layer files as text, defaults included, and the stage. `NODE_ENV` is left alone.
 */
export function childEnvironment(
  found: Pick<Survey, 'texts' | 'stage'>,
  host: Texts,
): Record<string, string | undefined> {
  return { ...host, ...Object.fromEntries(found.texts), MAPPA_STAGE: found.stage.name }
}
