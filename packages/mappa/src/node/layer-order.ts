import type { Layer } from '../settle/layer.js'

/** A layer file by its name, and what it is for. */
export interface LayerFile {
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

/** The layers of a start by where they come from. */
export interface LayerSources {
  /** The layer files of the repository's top. */
  readonly top?: readonly Layer[]
  /** `.env` and `.env.<stage>`. */
  readonly shared: readonly Layer[]
  /** Directories of one-value files. */
  readonly directories?: readonly Layer[]
  /** What the caller adds. */
  readonly given?: readonly Layer[]
  /** Settings services. */
  readonly remote?: readonly Layer[]
  /** `.env.local` and `.env.<stage>.local`. */
  readonly local: readonly Layer[]
  /** The process environment. */
  readonly host: Layer
  readonly commandLine?: readonly Layer[]
}

/** The order of layers, lowest first: a later one hides an earlier one. */
export function inOrder({
  top = [],
  shared,
  directories = [],
  given = [],
  remote = [],
  local,
  host,
  commandLine = [],
}: LayerSources): Layer[] {
  return [...top, ...shared, ...directories, ...given, ...remote, ...local, host, ...commandLine]
}
