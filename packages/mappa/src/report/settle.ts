import { mustHaveLegend } from '../legend/given.js'
import type { Legend } from '../legend/legend.js'
import type { Settings } from '../legend/types.js'
import { mustBeSources } from '../settle/given-sources.js'
import type { Sources } from '../settle/reading/read.js'
import { SettleError, type Survey, surveyLayers } from '../settle/survey.js'
import { reportText } from './report-text.js'

/**
 * Settings from layers that the caller gives, lowest first: for browsers, workers and tests. On a machine with files
 * and a process environment, take `settle` from `mappa/node`.
 * @throws {SettleError} naming every fault.
 *
 * ```ts
 * const settings = settleLayers(definition, { stage: 'production', layers: [layerFromValues('given', { COLLECTOR_PORT: '4100' })] })
 * ```
 */
export function settleLayers<E>(definition: Legend<E>, sources: Sources): Settings<E> {
  mustHaveLegend(definition, 'settleLayers')
  mustBeSources(sources, 'settleLayers')
  return settingsOf(surveyLayers(definition, sources), settleLayers)
}

/**
 * The settings of a survey.
 * @throws {SettleError} if it has faults; the stack starts at the caller of `door`.
 */
export function settingsOf<S>(found: Survey<S>, door: (...args: never[]) => unknown): S {
  if (found.ok) return found.settings as S
  // Notices would only are in the way of what stops the program.
  const text = reportText({ stage: found.stage, faults: found.faults, notices: [], root: found.root })
  const error = new SettleError(`the settings have faults.\n\n${text}`, found.stage, found.faults)
  ;(Error as { captureStackTrace?: (error: Error, door: unknown) => void }).captureStackTrace?.(error, door)
  throw error
}
