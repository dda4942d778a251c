import type { Legend } from '../legend/legend.js'
import type { Settings } from '../legend/types.js'
import { settingsOf } from '../report/settle.js'
import { type Survey, survey as surveyLayers } from '../settle/survey.js'
import { gather, type MachineOptions } from './machine.js'

export { reveal, stageOf } from '../settle/settings.js'
export type { Stage, Texts } from '../settle/stage.js'
export { SettleError, type Survey } from '../settle/survey.js'
export { childEnvironment } from './child.js'
export { failedLegend, type LoadedLegend, legendFault, legendOf, loadLegendFile } from './legend-file.js'
export { type Gathered, gather, gatherAt, layerFiles, type MachineOptions } from './machine.js'
export { findRoot, legendFileNames, type Root, type RootSearch } from './root.js'

/**
 * The settings of this machine, typed and frozen: its layer files and process environment, read through a legend.
 * @throws {SettleError} naming every fault with its place and what to do.
 *
 * ```ts
 * export const settings = settle(definition, { from: import.meta.url })
 * ```
 */
export function settle<E>(definition: Legend<E>, options: MachineOptions = {}): Settings<E> {
  return settingsOf(surveyLayers(definition, gather(definition, options)), settle)
}

/** The same, reporting instead of throwing: faults, notices, trails, and the settings if there are no faults. */
export function survey<E>(definition: Legend<E> | undefined, options: MachineOptions = {}): Survey<Settings<E>> {
  return surveyLayers(definition, gather(definition, options))
}
