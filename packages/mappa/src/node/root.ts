import { fs, path } from './builtins.js'
import { namesIn } from './files.js'

/** What a legend file may be called, the first found in a directory counting. */
export const legendFileNames = [
  'mappa.legend.ts',
  'mappa.legend.mts',
  'mappa.legend.cts',
  'mappa.legend.js',
  'mappa.legend.mjs',
  'mappa.legend.cjs',
  'mappa.legend.json',
] as const

/** Where a project's files are, and what was found there on the way. */
export interface Root {
  /** Absolute path. */
  readonly directory: string
  /** The legend file in it, by name, if it has one. */
  readonly legendFile: string | undefined
}

/** What the search starts from. */
export interface RootSearch {
  /** The root itself, if the caller knows it. */
  readonly root?: string | undefined
  /** `import.meta.url` of the module that asks, or a directory; the working directory unless said. */
  readonly from?: string | undefined
  /** `MAPPA_ROOT` of the process environment. */
  readonly environmentRoot?: string | undefined
}

/**
 * The root: what the caller or `MAPPA_ROOT` says; else the nearest directory upwards with a legend; else with a layer
 * file; else with a `package.json`; else where the search began. The search ends at the repository's top, and before
 * the home directory, whose stray files are nobody's project.
 */
export function findRoot({ root, from, environmentRoot }: RootSearch): Root {
  const told = root ?? (environmentRoot || undefined)
  if (told !== undefined) {
    const directory = path.resolve(told)
    return { directory, legendFile: legendIn(namesIn(directory)) }
  }
  const start = directoryOf(from)
  const levels: Level[] = []
  for (let directory: string | undefined = start; directory !== undefined; ) {
    const level: Level = { directory, names: namesIn(directory) }
    const legendFile = legendIn(level.names)
    if (legendFile !== undefined) return { directory, legendFile }
    levels.push(level)
    directory = above(level)
  }
  const found =
    levels.find(({ names }) => names.some(isLayerFile)) ?? levels.find(({ names }) => names.includes('package.json'))
  return { directory: found?.directory ?? start, legendFile: undefined }
}

/** The top of the repository that a directory is in; undefined if it is in none. */
export function repositoryTop(directory: string): string | undefined {
  for (let at = directory; ; ) {
    if (fs.existsSync(path.join(at, '.git'))) return at
    const parent = path.dirname(at)
    if (parent === at) return undefined
    at = parent
  }
}

/** The directory of a module by its `import.meta.url`, or a directory as it is; the working directory unless said. */
export function directoryOf(from: string | undefined): string {
  if (from === undefined) return process.cwd()
  if (!from.startsWith('file:')) return path.resolve(from)
  const { fileURLToPath } = process.getBuiltinModule('node:url')
  return path.dirname(fileURLToPath(from))
}

interface Level {
  readonly directory: string
  readonly names: readonly string[]
}

/** The directory above, unless the search ends here. */
function above({ directory, names }: Level): string | undefined {
  const parent = path.dirname(directory)
  if (names.includes('.git') || parent === directory) return undefined
  // Taken only when the search has to climb: most starts find a legend at once.
  const { homedir } = process.getBuiltinModule('node:os')
  return parent === homedir() ? undefined : parent
}

function legendIn(names: readonly string[]): string | undefined {
  return legendFileNames.find((name) => names.includes(name))
}

/** `.env`, `.env.staging`, `.env.local`; not the sample, which is never read. */
function isLayerFile(name: string): boolean {
  return /^\.env(?:\.[a-z][a-z0-9-]*)*$/.test(name) && name !== '.env.example' && name !== '.env.sample'
}
