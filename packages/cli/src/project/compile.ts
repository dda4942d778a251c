import { mkdtempSync, rmSync, statSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { basename, dirname, join, resolve } from 'node:path'
import { fileURLToPath, pathToFileURL } from 'node:url'
import type { BuildFailure, Plugin } from 'esbuild'
import type { Fault } from 'mappa'
import {
  type CacheFiles,
  type CacheRecord,
  compiledIn,
  failedLegend,
  freshCopy,
  keepCopy,
  type LoadedLegend,
  legendOf,
  replaceFile,
  textAt,
} from 'mappa/command'

/**
 * Loads a legend in TypeScript: compiles it with what it imports from the project into one module, and keeps that, so
 * that the next run only compares texts. The compiler itself is loaded only when something changed.
 */
export async function loadTypeScriptLegend(path: string, isKept = true): Promise<LoadedLegend> {
  const name = basename(path)
  const found = freshCopy(path)
  const compiled = found ?? (await compile(path, isKept))
  if ('fault' in compiled) return compiled
  try {
    // A module is loaded once for each address, and a watching run loads it again when it has changed.
    const { mtimeMs } = statSync(compiled.module)
    return legendOf(await import(`${pathToFileURL(compiled.module).href}?${mtimeMs}`), name)
  } catch (cause) {
    return failedLegend(name, cause)
  } finally {
    if (compiled.temporary) rmSync(compiled.directory, { recursive: true, force: true })
  }
}

async function compile(
  path: string,
  isKept: boolean,
): Promise<CacheFiles | Extract<LoadedLegend, { readonly fault: Fault }>> {
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
      Object.keys(metafile.inputs).map((input) => {
        const file = resolve(dirname(path), input)
        return [file, textAt(file) ?? '']
      }),
    )
    const code = outputFiles[0]?.text ?? ''
    // What is written with require goes on having one; most legends start faster without.
    return kept(isKept, path, /\brequire\b/.test(code) ? `${requireOfModule}\n${code}` : code, inputs)
  } catch (error) {
    if (!Array.isArray((error as BuildFailure).errors)) throw error
    return { fault: compileFault(basename(path), error as BuildFailure), cause: error }
  }
}

const requireOfModule =
  "import { createRequire as createRequireOf } from 'node:module'; const require = createRequireOf(import.meta.url)"

/** Packages stay outside, by the path they have for the legend, since the compiled module lies elsewhere. */
const packagesByPath: Plugin = {
  name: 'packages-by-path',
  setup({ onResolve, onLoad, resolve }) {
    // The compiler would wait for a pipe, and read a device for ever.
    onLoad({ filter: /./, namespace: 'file' }, ({ path }) =>
      statSync(path, { throwIfNoEntry: false })?.isFile() === false
        ? { errors: [{ text: `${basename(path)} must be a file, and is a device, a pipe or the like.` }] }
        : undefined,
    )
    onResolve({ filter: /^[^./]/ }, async ({ path, resolveDir, kind, pluginData }) => {
      if (pluginData === packagesByPath || kind === 'entry-point' || path.startsWith('node:')) return undefined
      const found = await resolve(path, { resolveDir, kind, pluginData: packagesByPath })
      // An import takes an address, and require a path.
      const outside = (address: string) => ({
        path: kind === 'require-call' ? fileURLToPath(address) : address,
        external: true,
      })
      if (found.errors.length === 0) return found.external ? found : outside(pathToFileURL(found.path).href)
      // A project may use the command without having the library installed.
      return /^mappa(?:\/|$)/.test(path) ? outside(import.meta.resolve(path)) : { errors: found.errors }
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
  if (!first?.location) return { ...fault, remedy: 'Fix it.' }
  const { file, line, column, length, lineText } = first.location
  const width = Math.max(length, 1)
  return {
    ...fault,
    place: { file, line, column: column + 1, endColumn: column + 1 + width },
    excerpt: { text: lineText, start: column, end: column + width },
    remedy: 'Fix the line above.',
  }
}

/** Keeps what was compiled where that may be; else for this run only. */
function kept(isKept: boolean, path: string, module: string, inputs: CacheRecord['inputs']): CacheFiles {
  const cache = isKept ? keepCopy(path, module, inputs) : undefined
  if (cache) return cache
  const directory = mkdtempSync(join(tmpdir(), 'mappa-'))
  const passing = compiledIn(directory, directory, path, 0, true)
  replaceFile(passing.module, module)
  return passing
}
