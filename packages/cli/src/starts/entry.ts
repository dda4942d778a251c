import { compilerOf } from '../code/compiler.js'
import type { StartFiles } from './start.js'

const moduleEndings = [
  '',
  '.js',
  '.mjs',
  '.cjs',
  '.ts',
  '.mts',
  '.cts',
  '.tsx',
  '.jsx',
  '/index.js',
  '/index.ts',
  '/index.mjs',
  '/index.cjs',
]

/** Tells whether a word of a command names a file of code. */
export function isCodeFile(text: string): boolean {
  return /\.[cm]?[jt]sx?$/.test(text)
}

/**
 * The source file that runs when a program is started from this path: a file without its ending, a folder's index or a
 * package's main, or the source that a compiler makes it from. Undefined if the project has none.
 */
export function programFile(path: string, files: StartFiles): string | undefined {
  const known = new Set(files.paths)
  const isThere = (each: string) => known.has(each)
  const named = path === '' || path === '.' ? mainOf(files) : path.replace(/\/$/, '')
  if (named === undefined) return undefined
  return codeFileAt(named, isThere) ?? sourceFor(named, files, isThere) ?? onDisk(named, files)
}

function mainOf({ read }: StartFiles): string | undefined {
  try {
    const { main } = JSON.parse(read('package.json') ?? '{}') as { main?: unknown }
    return typeof main === 'string' ? main.replace(/^\.\//, '') : 'index.js'
  } catch {
    return undefined
  }
}

/** A file by a path that may lack its ending; TypeScript writes `.js` for what it compiles from `.ts`. */
export function codeFileAt(path: string, isThere: (path: string) => boolean): string | undefined {
  const exact = moduleEndings.map((ending) => path + ending).find(isThere)
  if (exact !== undefined) return exact
  const [, stem, kind] = /^(.*)\.([cm]?)jsx?$/.exec(path) ?? []
  return stem === undefined ? undefined : [`${stem}.${kind}ts`, `${stem}.tsx`].find(isThere)
}

/** The source of a compiled file: by the folders that the compiler's settings name, else by the first folder. */
function sourceFor(path: string, { read, paths }: StartFiles, isThere: (path: string) => boolean): string | undefined {
  const configs = paths.filter((each) => /^tsconfig(?:\.[\w-]+)*\.json$/.test(each))
  const [, first, rest] = /^([^/]+)\/(.+)$/.exec(path) ?? []
  if (first === undefined || rest === undefined) return undefined
  const folders: string[] = []
  for (const config of configs) {
    const outDir = /"outDir"\s*:\s*"\.?\/?([^"]+?)\/?"/.exec(read(config) ?? '')?.[1]
    if (outDir === undefined || !path.startsWith(`${outDir}/`)) continue
    const own = compilerOf({ read: (each) => read(each === 'tsconfig.json' ? config : each), code: paths })
    folders.push(`${own?.folder ?? ''}${path.slice(outDir.length + 1)}`)
  }
  return [...folders, `src/${rest}`, rest].map((each) => codeFileAt(each, isThere)).find((each) => each !== undefined)
}

/** What a build has left there, although git leaves it out. */
function onDisk(path: string, { read }: StartFiles): string | undefined {
  return moduleEndings.map((ending) => path + ending).find((each) => isCodeFile(each) && read(each) !== undefined)
}
