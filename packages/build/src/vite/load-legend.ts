import { createRequire } from 'node:module'
import path from 'node:path'
import { type LoadedLegend, loadLegendFile } from 'mappa/node'
import { failedLegend, keepCompiled, LineIndex, legendAbove, legendFault, legendOf, textAt } from 'mappa/plugin'
import type { Plugin } from 'vite'
import { legendImports, libraryAddress } from '../bundle/library.js'
import type { LoadLegend } from '../bundle/project.js'

/** Through Vite itself, which knows TypeScript, and does not keep what it loaded before; CommonJS through Node. */
export const loadLegend: LoadLegend = async (directory, file) => {
  if (file === undefined) {
    const other = legendAbove(directory)
    const fault = legendFault(
      'the legend',
      `No legend in ${directory}.${other === undefined ? '' : ` ${other} is above it, but the layer files here make this the root.`}`,
      other === undefined
        ? 'Write mappa.legend.ts there.'
        : 'Move the layer files there, or name the root: MAPPA_ROOT, or the option root of mappa().',
    )
    return { loaded: { fault }, dependencies: [] }
  }
  const legendPath = path.join(directory, file)
  if (file.endsWith('.json')) return { loaded: loadLegendFile(legendPath), dependencies: [] }
  if (file.endsWith('.cjs')) return loadAnew(legendPath)
  const standalone = await loadWithoutBuilder(legendPath, file)
  if (standalone) return standalone
  try {
    const { runnerImport } = await import('vite')
    const { module, dependencies } = await runnerImport<unknown>(legendPath, {
      configFile: false,
      envDir: false,
      root: directory,
      logLevel: 'silent',
      plugins: [typedCommonJs],
    })
    return {
      loaded: legendOf(module, file),
      dependencies: dependencies.filter((each) => path.isAbsolute(each)),
    }
  } catch (cause) {
    // In a package that does not say otherwise, Node takes it for CommonJS.
    const asNode = file.endsWith('.js') ? loadAnew(legendPath) : undefined
    if (asNode && 'definition' in asNode.loaded) return asNode
    return { loaded: (await syntaxFault(legendPath, file)) ?? failedLegend(file, cause), dependencies: [] }
  }
}

/** Finds where a legend does not parse, if that is what is wrong with it; Vite 7 has no parser that tells. */
async function syntaxFault(legendPath: string, file: string): Promise<LoadedLegend | undefined> {
  const vite = await import('vite')
  const text = textAt(legendPath)
  if (text === undefined || !('parseSync' in vite)) return undefined
  const [error] = vite.parseSync(file, text).errors
  const [label] = error?.labels ?? []
  if (!error) return undefined
  const fault = legendFault(file, `${file} does not compile: ${error.message}`, 'Correct this line.')
  if (!label) return { fault }
  // Offsets are of UTF-16 code units, the end of a line counts as one.
  const { line, column } = new LineIndex(text).at(Math.min(label.start, Math.max(text.trimEnd().length - 1, 0)))
  const lineText = text.split(/\r?\n/)[line - 1] ?? ''
  const end = Math.min(column + Math.max(label.end - label.start, 1) - 1, Math.max(lineText.length, column))
  const place = { file, line, column, endColumn: end + 1 }
  return { fault: { ...fault, place, excerpt: { text: lineText, start: column - 1, end } } }
}

/**
 * A legend that imports nothing but the library, as most do: a server of Vite's own to run it in would take longer than all
 * the rest. Undefined for any other, and for one that is wrong, of which Vite knows more to say.
 */
async function loadWithoutBuilder(
  legendPath: string,
  file: string,
): Promise<Awaited<ReturnType<LoadLegend>> | undefined> {
  try {
    const { parseAst, ...vite } = await import('vite')
    const text = textAt(legendPath) ?? ''
    const isTyped = /\.m?ts$/.test(file)
    // Vite 7 has no Oxc.
    const strip = async () =>
      'transformWithOxc' in vite
        ? await vite.transformWithOxc(text, legendPath, { lang: 'ts', tsconfig: false })
        : await (vite as unknown as ViteWithEsbuild).transformWithEsbuild(text, legendPath, { loader: 'ts' })
    let { code } = isTyped ? await strip() : { code: text }
    const sources: { value: string; start: number; end: number }[] = []
    for (const statement of parseAst(code).body) {
      if (!('source' in statement) || !statement.source) continue
      const { value, start, end } = statement.source as unknown as { value: string; start: number; end: number }
      if (!legendImports.has(value)) return undefined
      sources.push({ value, start, end })
    }
    if (/\bimport\s*[(.]|\brequire\b|\bexports\b/.test(code)) return undefined
    for (const { value, start, end } of sources.reverse()) {
      code = code.slice(0, start) + JSON.stringify(libraryAddress(value)) + code.slice(end)
    }
    const loaded = legendOf(await import(`data:text/javascript,${encodeURIComponent(code)}`), file)
    if (!('definition' in loaded)) return undefined
    if (isTyped) keepCompiled(legendPath, text, code)
    return { loaded, dependencies: [] }
  } catch {
    return undefined
  }
}

interface ViteWithEsbuild {
  transformWithEsbuild(code: string, path: string, options: { loader: 'ts' }): Promise<{ code: string }>
}

/** A CommonJS module and the files that it was loaded from. Those of the project are read again each time. */
function loadAnew(file: string): Awaited<ReturnType<LoadLegend>> {
  const { cache } = createRequire(file)
  const own = new Set<string>()
  const collect = (id: string) => {
    if (own.has(id) || /[\\/]node_modules[\\/]/.test(id)) return
    own.add(id)
    for (const { id: child } of cache[id]?.children ?? []) collect(child)
  }
  collect(file)
  for (const id of own) delete cache[id]
  const loaded = loadLegendFile(file)
  own.clear()
  collect(file)
  return { loaded, dependencies: [...own] }
}

/** Vite takes no `.cts` for TypeScript; the one legend that is written so is read as a module. */
const typedCommonJs: Plugin = {
  name: 'mappa:cts',
  enforce: 'pre',
  transform: {
    filter: { id: /\.cts$/ },
    async handler(code, id) {
      const { transformWithOxc } = await import('vite')
      const text = code.replace(/^export\s*=\s*/m, 'export default ')
      const { code: after } = await transformWithOxc(text, id, { lang: 'ts', tsconfig: false })
      return { code: after, map: null }
    },
  },
}
