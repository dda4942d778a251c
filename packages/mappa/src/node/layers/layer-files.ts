import type { Likes } from '../../legend/entry.js'
import type { Fault } from '../../settle/faults/faults.js'
import { type Layer, layerFromText } from '../../settle/stack/layer.js'
import type { Stage, Texts } from '../../settle/stack/stage.js'
import { path } from '../files/builtins.js'
import { namesIn, readTextFile, textAt } from '../files/files.js'
import { pathFrom } from '../files/shown-path.js'
import type { LayerFile } from './layer-order.js'
import { layerFiles } from './layer-order.js'
import { outerStage } from './nested.js'
import { missingRoot, nestedStage, unnamedStage } from './start-faults.js'

/** A layer file as a list of one layer, or of none if it is not there. One that cannot be read is a layer with a fault. */
function layerFile(directory: string, kind: LayerFile, root: string, files: string[] = []): Layer[] {
  const file = path.join(directory, kind.name)
  files.push(file)
  const name = directory === root ? kind.name : pathFrom(root, file)
  const text = readTextFile(file, name)
  if (text === undefined) return []
  return [typeof text === 'string' ? layerFromText(name, text, kind) : unreadLayer(name, text, kind)]
}

function unreadLayer(name: string, fault: Fault, kind: LayerFile): Layer {
  return { ...layerFromText(name, '', kind), faults: [fault] }
}

/** The layer files of a stage in a directory, by whether they are this machine's alone; those that are not there are left out. */
export function filesIn(
  directory: string,
  stage: string,
  root: string,
  like?: Likes,
  files?: string[],
): { readonly shared: readonly Layer[]; readonly local: readonly Layer[] } {
  const layers = layerFiles(stage, like).flatMap((kind) => layerFile(directory, kind, root, files))
  return { shared: layers.filter(({ local }) => !local), local: layers.filter(({ local }) => local) }
}

/** The layer files of a directory that a stage does not read, so far as they can be read. */
export function filesOfOthers(directory: string, stage: string, like?: Likes): readonly Layer[] {
  const own = new Set(layerFiles(stage, like).map(({ name }) => name))
  return namesIn(directory).flatMap((name) => {
    if (!/^\.env(?:\.[a-z][a-z0-9-]*)*$/.test(name) || /\.(?:example|sample)$/.test(name) || own.has(name)) return []
    const text = textAt(path.join(directory, name))
    return text === undefined ? [] : [layerFromText(name, text)]
  })
}

/**
 * The layers of a stage's files beside the legend, lowest first; those that are not there are left out.
 *
 * ```ts
 * const layers = layersFromFiles('/srv/collector', 'staging')
 * ```
 */
export function layersFromFiles(root: string, stage: string): Layer[] {
  if (typeof root !== 'string' || typeof stage !== 'string')
    throw new TypeError("layersFromFiles takes a directory and a stage: layersFromFiles(root, 'production')")
  return layerFiles(stage).flatMap((kind) => layerFile(root, kind, root))
}

/** Faults that stop a start before its layers are read. `found` says whether there is any layer file. */
export function startFaults(root: string, stage: Stage, environment: Texts, found: boolean): readonly Fault[] {
  const nothing = found ? undefined : (missingRoot(root) ?? (stage.from === undefined ? unnamedStage(root) : undefined))
  const outer = outerStage(stage, environment)
  const nested = outer === undefined ? undefined : nestedStage(stage, outer)
  return [nothing, nested].filter((fault) => fault !== undefined)
}
