import type { Legend } from '../legend/legend.js'
import type { Fault } from '../settle/faults.js'
import { type Layer, layerFromText, layerFromValues } from '../settle/layer.js'
import type { Sources } from '../settle/read.js'
import { chooseStage, type Stage, type Texts } from '../settle/stage.js'
import { fs, path } from './builtins.js'
import { readTextFile } from './files.js'
import { findRoot } from './root.js'

/** Where this machine's settings come from. */
export interface MachineOptions {
  /** `import.meta.url` of the calling module, or a directory: where the search for the root begins. The working directory unless said. */
  readonly from?: string
  /** The directory that holds the legend and the layer files; searched for unless said. */
  readonly root?: string
  /** The stage; `MAPPA_STAGE`, `NODE_ENV` if it names a stage, or `development` unless said. */
  readonly stage?: string | Stage
  /** The stage that a server bundle was built for: taken where nothing else names one. */
  readonly builtFor?: string
  /** The host's variables; `process.env` unless given. */
  readonly environment?: Texts
  /** Values from the command line, by name. Secrets and undeclared names are refused. */
  readonly commandLine?: Texts
}

/** The sources of this machine's settings, and the root they were found from. */
export interface Gathered extends Sources {
  readonly stage: Stage
  readonly root: string
}

/** This machine's layers, lowest first: four layer files, the process environment, the command line. */
export function gather(definition: Legend<unknown> | undefined, options: MachineOptions = {}): Gathered {
  const environment = options.environment ?? process.env
  const { directory: root } = findRoot({
    root: options.root,
    from: options.from,
    environmentRoot: environment.MAPPA_ROOT,
  })
  return gatherAt(root, definition, options)
}

/** The same where the root is known. */
export function gatherAt(
  root: string,
  definition: Legend<unknown> | undefined,
  options: MachineOptions = {},
): Gathered {
  const environment = options.environment ?? process.env
  const stage = chooseStage(options.stage, environment, definition, options.builtFor)
  const layers: Layer[] = []
  const faults: Fault[] = []
  for (const file of layerFiles(stage.name)) {
    const text = readTextFile(path.join(root, file.name), file.name)
    if (typeof text === 'string') layers.push(layerFromText(file.name, text, file))
    else if (text) faults.push(text)
  }
  if (layers.length === 0 && faults.length === 0) {
    const gone = missingRoot(root)
    if (gone) faults.push(gone)
    else if (stage.from === undefined) faults.push(unnamedStage(root))
  }
  layers.push(layerFromValues('the process environment', environment, { source: 'environment' }))
  if (options.commandLine)
    layers.push(layerFromValues('the command line', options.commandLine, { source: 'command-line' }))
  return { stage, layers, faults, root }
}

interface LayerFile {
  readonly name: string
  readonly local?: boolean
  readonly staged?: boolean
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
