import type { Likes } from '../../legend/entry.js'
import { type Fault, printable } from '../../settle/faults/faults.js'
import { type Layer, layerFromText } from '../../settle/stack/layer.js'
import type { Stage, Texts } from '../../settle/stack/stage.js'
import { fs, path } from '../files/builtins.js'
import { readTextFile } from '../files/files.js'
import { layerFilesAbove } from '../files/root.js'
import { pathFrom } from '../files/shown-path.js'
import type { LayerFile } from './layer-order.js'
import { layerFiles } from './layer-order.js'
import { nestedStageFault } from './nested.js'

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

/**
 * The layers of a stage's files beside the legend, lowest first; those that are not there are left out.
 *
 * ```ts
 * const layers = layersFromFiles('/srv/collector', 'staging')
 * ```
 */
export function layersFromFiles(root: string, stage: string): Layer[] {
  return layerFiles(stage).flatMap((kind) => layerFile(root, kind, root))
}

/** What stops a start before its layers are looked at. `found` says whether there is any layer file. */
export function startFaults(root: string, stage: Stage, environment: Texts, found: boolean): readonly Fault[] {
  const nothing = found ? undefined : (missingRoot(root) ?? (stage.from === undefined ? unnamedStage(root) : undefined))
  return [nothing, nestedStageFault(stage, environment)].filter((fault) => fault !== undefined)
}

/** A bare container must not run as development unnoticed. */
function unnamedStage(root: string): Fault {
  const [above] = layerFilesAbove(root)
  const more = above === undefined ? '' : ` ${printable(above)} lies above, and is not read.`
  return {
    kind: 'no-layers',
    message: `No stage was named and there is no layer file in ${printable(root)}, so development is not assumed.${more}`,
    remedy: 'Name the stage: MAPPA_STAGE=production (or create the file .env).',
  }
}

function missingRoot(root: string): Fault | undefined {
  const stats = fs.statSync(root, { throwIfNoEntry: false })
  if (stats?.isDirectory()) return undefined
  return {
    kind: 'unreadable',
    message: `The root must be a directory, and ${root} is ${stats ? 'a file' : 'not there'}.`,
    remedy: 'Correct --root, MAPPA_ROOT or the option root.',
  }
}
