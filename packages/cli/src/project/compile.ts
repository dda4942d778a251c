import { statSync } from 'node:fs'
import { basename, dirname, resolve } from 'node:path'
import { fileURLToPath, pathToFileURL } from 'node:url'
import type { BuildFailure, Plugin } from 'esbuild'
import type { Fault } from 'mappa'
import { loadCompiled, textAt } from 'mappa/command'
import type { LoadedLegend } from 'mappa/node'

/**
 * Loads a legend in TypeScript: compiles it with what it imports from the project into one module, and keeps that. The compiler
 * itself is loaded only when something changed.
 */
export function loadTypeScriptLegend(path: string, isKept = true): Promise<LoadedLegend> {
  return loadCompiled(path, isKept, () => compile(path))
}

async function compile(path: string): ReturnType<Parameters<typeof loadCompiled>[2]> {
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
    // A legend with require keeps one; most start faster without.
    return { code: /\brequire\b/.test(code) ? `${requireOfModule}\n${code}` : code, inputs }
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
        ? { errors: [{ text: `${basename(path)} must be a file, but is a device, a pipe or the like.` }] }
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
    message: `${name} does not compile: ${first?.text ?? 'no reason given'}`,
    layer: name,
  } as const
  if (!first?.location) return { ...fault, remedy: 'Fix it.' }
  const { file, line, column, length, lineText } = first.location
  const width = Math.max(length, 1)
  return {
    ...fault,
    place: { file, line, column: column + 1, endColumn: column + 1 + width },
    excerpt: { text: lineText, start: column, end: column + width },
    remedy: 'Correct this line.',
  }
}
