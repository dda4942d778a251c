import { mkdirSync, mkdtempSync, readFileSync, renameSync, rmSync, statSync, writeFileSync } from 'node:fs'
import { homedir, tmpdir } from 'node:os'
import { basename, dirname, isAbsolute, join, resolve } from 'node:path'
import { pathToFileURL } from 'node:url'
import type { BuildFailure, Plugin } from 'esbuild'
import type { Fault } from 'mappa'
import { failedLegend, type LoadedLegend, legendOf } from 'mappa/command'

/** Raised when what a compiled file looks like changes, so that older ones are made anew. */
const cacheVersion = 1

/** What a compiled legend was made of. It is fresh while each of these files still has the same text. */
interface CacheRecord {
  readonly version: number
  readonly inputs: Readonly<Record<string, string>>
}

/**
 * Loads a legend in TypeScript: compiles it with what it imports from the project into one module, and keeps that, so
 * that the next run only compares texts. The compiler itself is loaded only when something changed.
 */
export async function loadTypeScriptLegend(path: string): Promise<LoadedLegend> {
  const name = basename(path)
  const cache = cacheFiles(path)
  if (!isFresh(cache.record)) {
    const fault = await compile(path, cache)
    if (fault) return fault
  }
  try {
    // A module is loaded once for each address, and a watching run loads it again when it has changed.
    const { mtimeMs } = statSync(cache.module)
    return legendOf(await import(`${pathToFileURL(cache.module).href}?${mtimeMs}`), name)
  } catch (cause) {
    return failedLegend(name, cause)
  } finally {
    if (cache.temporary) rmSync(cache.directory, { recursive: true, force: true })
  }
}

/** The files that a legend was last compiled from, itself among them. Absolute paths. */
export function legendInputs(path: string): readonly string[] {
  try {
    return Object.keys((JSON.parse(readFileSync(cacheFiles(path).record, 'utf8')) as CacheRecord).inputs)
  } catch {
    return [path]
  }
}

interface CacheFiles {
  readonly directory: string
  readonly record: string
  readonly module: string
  readonly temporary: boolean
}

/** In the nearest `node_modules`, else in the user's cache; where neither can be written, for this run only. */
function cacheFiles(path: string): CacheFiles {
  const name = Buffer.from(path).toString('base64url').slice(-120)
  const files = (directory: string, temporary = false) => ({
    directory,
    record: join(directory, `${name}.json`),
    module: join(directory, `${name}.mjs`),
    temporary,
  })
  const caches = [nearestModules(dirname(path)), process.env.XDG_CACHE_HOME || join(homedir(), '.cache')]
  for (const parent of caches) {
    if (parent === undefined || !isAbsolute(parent)) continue
    try {
      const directory = join(parent, 'mappa')
      mkdirSync(directory, { recursive: true, mode: 0o700 })
      return files(directory)
    } catch {
      // Not writable: the next one.
    }
  }
  return files(mkdtempSync(join(tmpdir(), 'mappa-')), true)
}

function nearestModules(from: string): string | undefined {
  for (let directory = from; ; directory = dirname(directory)) {
    const modules = join(directory, 'node_modules')
    try {
      mkdirSync(join(modules, '.cache'))
      return join(modules, '.cache')
    } catch (error) {
      if ((error as NodeJS.ErrnoException).code === 'EEXIST') return join(modules, '.cache')
    }
    if (dirname(directory) === directory) return undefined
  }
}

function isFresh(record: string): boolean {
  try {
    const { version, inputs } = JSON.parse(readFileSync(record, 'utf8')) as CacheRecord
    return (
      version === cacheVersion && Object.entries(inputs).every(([path, text]) => readFileSync(path, 'utf8') === text)
    )
  } catch {
    return false
  }
}

async function compile(path: string, cache: CacheFiles): Promise<LoadedLegend | undefined> {
  const { build } = await import('esbuild')
  try {
    const { outputFiles, metafile } = await build({
      entryPoints: [path],
      absWorkingDir: dirname(path),
      bundle: true,
      write: false,
      metafile: true,
      format: 'esm',
      platform: 'node',
      target: 'node20.19',
      logLevel: 'silent',
      plugins: [packagesByPath],
    })
    const inputs = Object.fromEntries(
      Object.keys(metafile.inputs).map((input) => [
        resolve(dirname(path), input),
        readFileSync(resolve(dirname(path), input), 'utf8'),
      ]),
    )
    replaceFile(cache.module, outputFiles[0]?.text ?? '')
    replaceFile(cache.record, JSON.stringify({ version: cacheVersion, inputs } satisfies CacheRecord))
    return undefined
  } catch (error) {
    if (!Array.isArray((error as BuildFailure).errors)) throw error
    return { fault: compileFault(basename(path), error as BuildFailure), cause: error }
  }
}

/** Packages stay outside, by the path they have for the legend, since the compiled module lies elsewhere. */
const packagesByPath: Plugin = {
  name: 'packages-by-path',
  setup({ onResolve, resolve }) {
    onResolve({ filter: /^[^./]/ }, async ({ path, resolveDir, kind, pluginData }) => {
      if (pluginData === packagesByPath || kind === 'entry-point' || path.startsWith('node:')) return undefined
      const found = await resolve(path, { resolveDir, kind, pluginData: packagesByPath })
      if (found.errors.length === 0)
        return found.external ? found : { path: pathToFileURL(found.path).href, external: true }
      // A project may use the command without having the library installed.
      return /^mappa(?:\/|$)/.test(path)
        ? { path: import.meta.resolve(path), external: true }
        : { errors: found.errors }
    })
  },
}

function compileFault(name: string, { errors }: BuildFailure): Fault {
  const [first] = errors
  const fault = {
    kind: 'legend',
    message: `${name} does not compile: ${first?.text ?? 'no reason was given'}`,
    layer: name,
  } as const
  if (!first?.location) return { ...fault, remedy: 'Mend it.' }
  const { file, line, column, length, lineText } = first.location
  const width = Math.max(length, 1)
  return {
    ...fault,
    place: { file, line, column: column + 1, endColumn: column + 1 + width },
    excerpt: { text: lineText, start: column, end: column + width },
    remedy: 'Mend the line above.',
  }
}

/** Another run may read at the same time, so it must find the old file or the new one, never half of one. */
function replaceFile(path: string, text: string): void {
  const fresh = `${path}.${process.pid}.new`
  writeFileSync(fresh, text, { mode: 0o600 })
  renameSync(fresh, path)
}
