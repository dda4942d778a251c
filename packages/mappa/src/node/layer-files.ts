import type { Fault } from '../settle/faults.js'
import { type Layer, layerFromText } from '../settle/layer.js'
import type { Stage, Texts } from '../settle/stage.js'
import { fs, path } from './builtins.js'
import { readTextFile } from './files.js'
import { nestedStageFault } from './nested.js'

/** A layer file as a list of one layer, or of none if it is not there. One that cannot be read is a layer with a fault. */
export function layerFile(directory: string, kind: LayerFile, root: string, files: string[] = []): Layer[] {
  const file = path.join(directory, kind.name)
  files.push(file)
  const name = directory === root ? kind.name : path.relative(root, file)
  const text = readTextFile(file, name)
  if (text === undefined) return []
  return [typeof text === 'string' ? layerFromText(name, text, kind) : unreadLayer(name, text, kind)]
}

function unreadLayer(name: string, fault: Fault, kind: LayerFile): Layer {
  return { ...layerFromText(name, '', kind), faults: [fault] }
}

interface LayerFile {
  readonly name: string
  readonly local?: boolean
  readonly staged?: boolean
}

/** The layers of a stage's files beside the legend, lowest first; those that are not there are left out. */
export function layersFromFiles(root: string, stage: string): Layer[] {
  return layerFiles(stage).flatMap((kind) => layerFile(root, kind, root))
}

/** The layer files of a stage, lowest first. In `test`, `.env.local` is left out, so that a test sees the same on every machine. */
export function layerFiles(stage: string): readonly LayerFile[] {
  // A stage that is no file name is refused later, with a sentence; until then it must not lead out of the root.
  if (stage.includes('/') || stage.includes('\\')) return [{ name: '.env' }]
  const files: LayerFile[] = [
    { name: '.env' },
    { name: `.env.${stage}`, staged: true },
    { name: '.env.local', local: true },
    { name: `.env.${stage}.local`, local: true, staged: true },
  ]
  return stage === 'test' ? files.filter(({ name }) => name !== '.env.local') : files
}

/** What stops a start before its layers are looked at. `found` says whether there is any layer file. */
export function startFaults(root: string, stage: Stage, environment: Texts, found: boolean): readonly Fault[] {
  const nothing = found ? undefined : (missingRoot(root) ?? (stage.from === undefined ? unnamedStage(root) : undefined))
  return [nothing, nestedStageFault(stage, environment)].filter((fault) => fault !== undefined)
}

/** A bare container must not run as development unnoticed. */
function unnamedStage(root: string): Fault {
  return {
    kind: 'no-layers',
    message: `Nobody named a stage, and there is no layer file in ${path.basename(root) || root}, so this is not taken for development.`,
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
