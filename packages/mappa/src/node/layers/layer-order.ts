import { ancestryOf, type Likes } from '../../legend/entry.js'
import type { Layer, LayerSource } from '../../settle/stack/layer.js'

/** A layer file by its name, and what it is for. */
export interface LayerFile {
  readonly name: string
  readonly local?: boolean
  readonly staged?: boolean
}

/**
 * The layer files of a stage, lowest first; those of stages that it is like lie beneath its own. In `test`, `.env.local` is left
 * out, so that a test sees the same on every machine.
 */
export function layerFiles(stage: string, like?: Likes): readonly LayerFile[] {
  // A stage that is no file name is refused later, with a sentence; until then it must not lead out of the root.
  const ancestry = ancestryOf(stage, like).filter((each) => !/[\\/]/.test(each))
  const files: LayerFile[] = [
    { name: '.env' },
    ...ancestry.map((each) => ({ name: `.env.${each}`, staged: true })),
    { name: '.env.local', local: true },
    ...ancestry.map((each) => ({ name: `.env.${each}.local`, local: true, staged: true })),
  ]
  return ancestry.length === 0 || ancestry.includes('test') ? files.filter(({ name }) => name !== '.env.local') : files
}

/** The layers of a start by where they come from. */
export interface LayerSources {
  /** The layer files of the repository's top. */
  readonly top?: readonly Layer[]
  /** `.env` and `.env.<stage>`. */
  readonly shared: readonly Layer[]
  /** Directories of one-value files. */
  readonly directories?: readonly Layer[]
  /** Layers from the caller. */
  readonly given?: readonly Layer[]
  /** Settings services. */
  readonly remote?: readonly Layer[]
  /** `.env.local` and `.env.<stage>.local`. */
  readonly local: readonly Layer[]
  /** The process environment. */
  readonly host: Layer
  readonly commandLine?: readonly Layer[]
  /** Values fixed at build. */
  readonly built?: Layer
}

/** The places of layers, lowest first: a later one hides an earlier one. */
export const layerOrder = [
  'top',
  'shared',
  'directories',
  'given',
  'remote',
  'local',
  'host',
  'commandLine',
  'built',
] as const

/** The places of each kind of layer. A kind without a place does not compile. */
export const placesOf: Readonly<Record<LayerSource, readonly (keyof LayerSources & (typeof layerOrder)[number])[]>> = {
  file: ['top', 'shared', 'local'],
  directory: ['directories'],
  given: ['given', 'built'],
  remote: ['remote'],
  environment: ['host'],
  'command-line': ['commandLine'],
}

/** The layers of a start in their order. */
export function inOrder(sources: LayerSources): Layer[] {
  const layers: Layer[] = []
  for (const place of layerOrder) {
    const own: LayersAt = sources[place]
    if (Array.isArray(own)) for (const each of own) layers.push(each)
    else if (own) layers.push(own as Layer)
  }
  return layers
}

type LayersAt = Layer | readonly Layer[] | undefined
