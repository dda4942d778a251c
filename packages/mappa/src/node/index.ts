import { asLegend } from '../legend/check.js'
import { mustHaveLegend } from '../legend/given.js'
import type { Legend } from '../legend/legend.js'
import type { Settings } from '../legend/types.js'
import { flagHelp } from '../report/help.js'
import { settingsOf } from '../report/settle.js'
import { type Survey, surveyLayers, surveyLayersAsync } from '../settle/survey.js'
import { layerFromFlags } from './layers/flags.js'
import { gather, gatherWaiting, type MachineOptions, mustBeMachine, rootOf, type WaitingOptions } from './machine.js'
import { keepOrigins, tellFailed } from './tell.js'

export type { Origins } from '../report/origins.js'
export { reveal, stageOf } from '../settle/reading/settings.js'
export type { Stage, Texts } from '../settle/stack/stage.js'
export { SettleError, type Survey } from '../settle/survey.js'
export { layerFromDirectory } from './files/directory.js'
export { leaksIn } from './files/leaks.js'
export { findRoot, type Root, type RootSearch } from './files/root.js'
export { type Flags, layerFromFlags } from './layers/flags.js'
export { layersFromFiles } from './layers/layer-files.js'
export { layerFromHost } from './layers/nested.js'
export { type LoadedLegend, loadLegendFile } from './legends/legend-file.js'
export type { MachineOptions, WaitingOptions } from './machine.js'
export type { RemoteOptions, RemoteSource } from './remotes/asking.js'
export { layerFromRemote } from './remotes/remote.js'
export { originsOf } from './tell.js'
export { type Watching, watch } from './watch.js'
export { type WatchingRemotes, type WatchOptions, watchAsync } from './watch-remotes.js'

/**
 * The settings of this machine, typed and frozen: its layer files and process environment, read through a legend.
 * @throws {SettleError} naming every fault with its place and what to do.
 *
 * ```ts
 * export const settings = settle(definition, { from: import.meta.url })
 * ```
 */
export function settle<E>(given: Legend<E>, options: MachineOptions = {}): Settings<E> {
  const definition = startedWith(given, options, 'settle')
  answerHelp(definition, options)
  const gathered = gather(definition, options)
  const found = surveyLayers(definition, gathered)
  tellFailed(found, gathered.root)
  return keepOrigins(settingsOf(found, settle), found, gathered.root)
}

/**
 * The same for those who may wait: also asks the remote sources that the legend or the options name.
 * @throws {SettleError} (as a rejection) naming every fault.
 */
export async function settleAsync<E>(given: Legend<E>, options: WaitingOptions = {}): Promise<Settings<E>> {
  const definition = startedWith(given, options, 'settleAsync')
  answerHelp(definition, options)
  const found = await surveyAsync(definition, options)
  tellFailed(found, rootOf(options))
  return keepOrigins(settingsOf(found, settleAsync), found, rootOf(options))
}

/** The same, reporting instead of throwing. */
export async function surveyAsync<E>(
  given: Legend<E> | undefined,
  options: WaitingOptions = {},
): Promise<Survey<Settings<E>>> {
  mustBeMachine(options, 'surveyAsync')
  const definition = asLegend(given)
  return surveyLayersAsync(definition, await gatherWaiting(rootOf(options), definition, options))
}

/** The legend of a start, once it is sure that it was called with one. */
function startedWith<E>(given: Legend<E>, options: MachineOptions, call: string): Legend<E> {
  mustHaveLegend(given, call)
  mustBeMachine(options, call)
  return asLegend(given) as Legend<E>
}

/** A program whose flags are asked for with `--help` says them, and ends. */
function answerHelp(definition: Legend<unknown>, { commandLine }: MachineOptions): void {
  if (!Array.isArray(commandLine) || !layerFromFlags(definition, commandLine).help) return
  const program = `node ${(process.argv[1] ?? '…').split(/[\\/]/).at(-1)}`
  process.stdout.write(flagHelp(definition, { program, width: Math.min(process.stdout.columns || 80, 100) }))
  process.exit(0)
}

/** The same, reporting instead of throwing: faults, notices, trails, and the settings if there are no faults. */
export function survey<E>(given: Legend<E> | undefined, options: MachineOptions = {}): Survey<Settings<E>> {
  mustBeMachine(options, 'survey')
  const definition = asLegend(given)
  return surveyLayers(definition, gather(definition, options))
}
