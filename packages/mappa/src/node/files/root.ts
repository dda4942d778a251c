import { fs, path } from './builtins.js'
import { namesIn, textAt } from './files.js'
import { pathFrom } from './shown-path.js'

/** Names of a legend file; the first one found in a directory counts. */
export const legendFileNames = [
  'mappa.legend.ts',
  'mappa.legend.mts',
  'mappa.legend.cts',
  'mappa.legend.js',
  'mappa.legend.mjs',
  'mappa.legend.cjs',
  'mappa.legend.json',
] as const

/** The root of a project, and the files found on the way. */
export interface Root {
  /** Absolute path. */
  readonly directory: string
  /** The legend file, by its path from there, if there is one. */
  readonly legendFile: string | undefined
}

/** Start of the search for a root. */
export interface RootSearch {
  /** The root itself, if the caller knows it. */
  readonly root?: string | undefined
  /** `import.meta.url` of the module that asks, or a directory; the working directory by default. */
  readonly from?: string | undefined
  /** `MAPPA_ROOT` of the process environment. */
  readonly environmentRoot?: string | undefined
  /** Where a builder put the caller, from the root: a `package.json` there is the builder's. */
  readonly outputAt?: string | undefined
}

/**
 * The root: what the caller or `MAPPA_ROOT` says. Else the search goes upwards from where it begins, and the first directory
 * that holds a legend, there or in its `src/`, or a layer file decides; above the caller's package only one with a legend
 * does. The root is then the nearest directory at or above that one that holds a layer file or is a package, so that a
 * legend's compiled copy leads to its package. Where nothing decides, the root is the caller's package. The search ends at
 * the repository's top, and before a home directory that does not depend on the library: its stray files are nobody's project.
 */
export function findRoot(search: RootSearch = {}): Root {
  const { root, from, environmentRoot, outputAt } = search ?? {}
  const named = root ?? (environmentRoot || undefined)
  if (named !== undefined) {
    const directory = path.resolve(named)
    return { directory, legendFile: legendAt(levelOf(directory)) }
  }
  const start = directoryOf(from)
  const outside = `${start}/`.replaceAll('\\', '/').lastIndexOf(`/${outputAt || '/'}/`)
  let ownPackage: string | undefined
  for (let level: Level | undefined = levelOf(start); level; level = above(level)) {
    const legendFile = legendAt(level)
    if (legendFile !== undefined || (ownPackage === undefined && level.names.some(isLayerFile)))
      return rootAbove(level, legendFile)
    // What a builder wrote into its output is not a package of the project.
    if (outside >= 0 && level.directory.length > outside) continue
    if (ownPackage === undefined && isPackage(level)) ownPackage = level.directory
  }
  return { directory: ownPackage ?? start, legendFile: undefined }
}

/** The root of the directory that decided, and its legend: the one that stands there, else the one that decided. */
function rootAbove(decided: Level, legendFile: string | undefined): Root {
  for (let level: Level | undefined = decided; level; level = above(level)) {
    if (!level.names.some(isLayerFile) && !isPackage(level)) continue
    if (level === decided) break
    const { directory } = level
    const own = legendAt(level)
    const below = legendFile && pathFrom(directory, path.join(decided.directory, legendFile))
    return { directory, legendFile: own ?? below }
  }
  return { directory: decided.directory, legendFile }
}

/** Layer files in directories above a root, up to the repository's top: they are not read, and may have been meant. */
export function layerFilesAbove(root: string): readonly string[] {
  const found: string[] = []
  for (let level = above(levelOf(root)); level; level = above(level))
    for (const name of level.names) if (isLayerFile(name)) found.push(path.join(level.directory, name))
  return found
}

/** The nearest legend above a directory that has none, by its path: a layer file here stands before it. */
export function legendAbove(directory: string): string | undefined {
  for (let level = above(levelOf(directory)); level; level = above(level)) {
    const found = legendAt(level)
    if (found !== undefined) return path.join(level.directory, found)
  }
  return undefined
}

/** All legends of a root, by their paths from there: one is read, and others may be taken for it. */
export function legendsIn(directory: string): readonly string[] {
  const level = levelOf(directory)
  const inSource = level.names.includes('src') ? namesIn(path.join(directory, 'src')) : []
  return [
    ...legendFileNames.filter((name) => level.names.includes(name)),
    ...legendFileNames.filter((name) => inSource.includes(name)).map((name) => `src/${name}`),
  ]
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

/** The directory of a module by its `import.meta.url`, or a directory as it is; the working directory by default. */
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

function levelOf(directory: string): Level {
  return { directory, names: namesIn(directory) }
}

/** The directory above, unless the search ends here. */
function above({ directory, names }: Level): Level | undefined {
  const parent = path.dirname(directory)
  if (names.includes('.git') || parent === directory) return undefined
  // Taken only when the search has to climb: most starts find a legend at once.
  const { homedir } = process.getBuiltinModule('node:os')
  if (parent === homedir() && !namesMappa(parent)) return undefined
  return levelOf(parent)
}

/** Tells whether a package names the library: then a home directory is a project, as it is on some hosts and in containers. */
function namesMappa(directory: string): boolean {
  return /"mappa"\s*:/.test(textAt(path.join(directory, 'package.json')) ?? '')
}

/** The legend of a directory, by its path from there. One in JSON may be made from another in `src/`, which counts then. */
function legendAt({ directory, names }: Level): string | undefined {
  const own = legendFileNames.find((name) => names.includes(name))
  if ((own !== undefined && !own.endsWith('.json')) || !names.includes('src')) return own
  const inSource = namesIn(path.join(directory, 'src'))
  const found = legendFileNames.find((name) => inSource.includes(name))
  return found === undefined ? own : `src/${found}`
}

/** Tells whether a directory is a package: its `package.json` says more than how its modules are to be read. */
function isPackage({ directory, names }: Level): boolean {
  if (!names.includes('package.json')) return false
  const text = textAt(path.join(directory, 'package.json')) ?? ''
  try {
    return Object.keys(JSON.parse(text)).some((key) => key !== 'type')
  } catch {
    return true
  }
}

/** `.env`, `.env.staging`, `.env.local`; not the sample, which is never read. */
export function isLayerFile(name: string): boolean {
  return /^\.env(?:\.[a-z][a-z0-9-]*)*$/.test(name) && name !== '.env.example' && name !== '.env.sample'
}
