import { fs, path as paths } from '../files/builtins.js'
import { digestOf } from '../files/digest.js'
import { textAt } from '../files/files.js'
import { hostEnvironment } from '../files/host-environment.js'
import { isInIndex } from './git-index.js'

const { lstatSync, statSync } = fs
// Node's own walks along the path, and asks for each folder.
const realPath = fs.realpathSync.native
const { basename, dirname, isAbsolute, join, relative } = paths

/** Raised when what a compiled file looks like changes, so that older ones are made again. */
export const cacheVersion = 5

/** The sources of a compiled legend. It is fresh while each of these files has the same text. */
export interface CacheRecord {
  readonly version: number
  readonly inputs: Readonly<Record<string, string>>
}

/** The files that a legend was last compiled from, itself among them. Absolute paths. */
export function legendInputs(path: string): readonly string[] {
  for (const cache of cacheFiles(path)) {
    const record = recordOf(cache)
    if (record) return Object.keys(record.inputs)
  }
  return [path]
}

/** The files of a compiled legend. */
export interface CacheFiles {
  /** The legend that was compiled. */
  readonly legend: string
  /** The folder that a link must not leave. */
  readonly within: string
  readonly directory: string
  readonly record: string
  readonly module: string
  readonly owner: number
  readonly temporary: boolean
}

/** Finds where a compiled legend may lie: in the nearest `node_modules`, else in the user's cache. */
export function* cacheFiles(path: string): Generator<CacheFiles, void> {
  const { uid } = statSync(path)
  const modules = nearestModules(dirname(path))
  if (modules !== undefined) yield compiledIn(modules, join(modules, '.cache', 'mappa'), path, uid)
  const user = hostEnvironment().XDG_CACHE_HOME || join(process.getBuiltinModule('node:os').homedir(), '.cache')
  if (isAbsolute(user)) yield compiledIn(user, join(user, 'mappa'), path, uid)
}

/** Finds where a compiled copy of a legend lies that was made of the files as they are, if it was kept. */
export function freshCopy(path: string): CacheFiles | undefined {
  for (const cache of cacheFiles(path)) if (isFresh(cache)) return cache
  return undefined
}

/** The files of a legend's compiled copy in a directory. */
export function compiledIn(
  within: string,
  directory: string,
  path: string,
  owner: number,
  temporary = false,
): CacheFiles {
  // Two paths of one name take turns: a record holds the path of its legend.
  const name = ['a', 'b', 'c', 'd'].map((salt) => digestOf(path, `${cacheVersion}${salt}`)?.padStart(7, '0')).join('')
  const [record, module] = [join(directory, `${name}.json`), join(directory, `${name}.mjs`)]
  return { legend: path, within, directory, record, module, owner, temporary }
}

function nearestModules(from: string): string | undefined {
  for (let directory = from; ; directory = dirname(directory)) {
    const modules = join(directory, 'node_modules')
    // A link may lead anywhere, and so may what somebody else put above the project.
    if (lstatSync(modules, { throwIfNoEntry: false })?.isDirectory()) return modules
    if (dirname(directory) === directory) return undefined
  }
}

/**
 * True if nobody else can have put something there, since it is run: it belongs to this user, the system or the legend's
 * owner, only its owner may write it, and no link leads to it.
 */
function isOurs(file: string, owner: number): boolean {
  const stats = lstatSync(file, { throwIfNoEntry: false })
  if (!stats || stats.isSymbolicLink()) return false
  // Without numbers of users, the folders decide who may write.
  if (process.getuid === undefined) return true
  return [process.getuid(), 0, owner].includes(stats.uid) && (stats.mode & 0o022) === 0
}

/** Tells whether a place for compiled legends is one that nobody else can have filled. */
export function isOwn({ within, directory, owner, temporary }: CacheFiles): boolean {
  if (temporary) return true
  try {
    return isOurs(directory, owner) && realPath(directory) === join(realPath(within), relative(within, directory))
  } catch {
    return false
  }
}

/** Tells whether a copy came with the project, so that somebody else made it. */
export function isCommitted({ directory, module, record }: CacheFiles): boolean {
  return [module, record].some((file) => isInIndex(directory, basename(file)))
}

function recordOf(cache: CacheFiles): CacheRecord | undefined {
  if (!isOwn(cache) || !isOurs(cache.record, cache.owner) || !isOurs(cache.module, cache.owner)) return undefined
  try {
    const { version, inputs } = JSON.parse(textAt(cache.record) ?? '') as CacheRecord
    if (version !== cacheVersion || typeof inputs?.[cache.legend] !== 'string') return undefined
    return isCommitted(cache) ? undefined : { version, inputs }
  } catch {
    return undefined
  }
}

/** Tells whether a compiled copy is there and was made of the files as they are. */
function isFresh(cache: CacheFiles): boolean {
  const record = recordOf(cache)
  return record !== undefined && Object.entries(record.inputs).every(([path, text]) => textAt(path) === text)
}

/** The module that a legend was compiled into, by the command, if it is still what its sources say; undefined otherwise. */
export function compiledModule(path: string): string | undefined {
  try {
    return freshCopy(path)?.module
  } catch {
    return undefined
  }
}
