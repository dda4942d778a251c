import type { AnyEntry } from '../../legend/entry.js'
import type { Legend } from '../../legend/legend.js'
import { givenIn, readSources, type Sources } from '../../settle/reading/read.js'
import { chooseStage, type Stage } from '../../settle/stack/stage.js'
import { hostEnvironment } from '../files/host-environment.js'
import { layerFilesAbove } from '../files/root.js'
import { filesIn, filesOfOthers, startFaults } from './layer-files.js'
import { inOrder } from './layer-order.js'
import { type HandedOn, layerFromHost } from './nested.js'
import { otherReader } from './other-reader.js'

/**
 * Whether values come from more than the plain layers: from sources that few legends name, or that name nothing here. Those are
 * gathered by code that only their starts load.
 */
export function needsMore(definition: Legend | undefined, { layers }: Sources): boolean {
  if (!definition) return false
  const { directories, remotes, topLayers, entries } = definition
  if (directories || topLayers) return true
  const isSet = (name: string) => layers.some((layer) => layer.get(name) !== undefined)
  const named = entries as Readonly<Record<string, AnyEntry | undefined>>
  for (const remote of Array.isArray(remotes) ? remotes : []) {
    const { formerly, default: usual, stages } = named[remote?.url] ?? {}
    const names = [remote?.url, ...(Array.isArray(formerly) ? formerly : [])]
    if (usual !== undefined || stages || names.some(isSet)) return true
  }
  // A loop that makes nothing: every start goes through it.
  for (const name in named) {
    const { file, stages } = named[name] ?? {}
    const isFile = file || (stages && Object.values(stages).some((words) => words?.file))
    if (isFile && isSet(`${name}_FILE`)) return true
  }
  return false
}

/** The layer files and the process environment: all that most starts have. */
export function gatherPlain(
  root: string,
  definition: Legend | undefined,
  named: Stage | undefined,
): Sources & { readonly stage: Stage } {
  const stage = chooseStage(named, hostEnvironment())
  const files = filesIn(root, stage.name, root, definition?.like)
  const layers = inOrder({ ...files, host: layerFromHost(hostEnvironment(), root) })
  // The host is always there.
  const faults = startFaults(root, stage, hostEnvironment(), layers.length > 1)
  const { name } = stage
  const otherLayers = () => filesOfOthers(root, name, definition?.like)
  return { stage, layers, faults, root, otherLayers, layersAbove: () => layerFilesAbove(root), otherReader }
}

/** The environment of a start from files and the environment without a fault; undefined for any other start. */
export function plainStart(
  root: string,
  definition: Legend | undefined,
  named: Stage | undefined,
): HandedOn | undefined {
  const sources = gatherPlain(root, definition, named)
  if (needsMore(definition, sources)) return undefined
  const reading = readSources(definition, sources)
  if (!reading.sound || reading.waiting.length > 0) return undefined
  return { stage: reading.stage, given: givenIn(reading) }
}
