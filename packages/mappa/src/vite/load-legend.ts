import type { Plugin } from 'vite'
import type { LoadLegend } from '../bundle/project.js'
import { createRequire, path } from '../node/builtins.js'
import { failedLegend, legendFault, legendOf, loadLegendFile } from '../node/legend-file.js'
import { legendAbove } from '../node/root.js'

/** Through Vite itself, which knows TypeScript, and does not keep what it loaded before; CommonJS through Node. */
export const loadLegend: LoadLegend = async (directory, file) => {
  if (file === undefined) {
    const other = legendAbove(directory)
    const fault = legendFault(
      'the legend',
      `There is no legend in ${directory}.${other === undefined ? '' : ` ${other} lies above, and the layer files here stand before it.`}`,
      other === undefined
        ? 'Write mappa.legend.ts there.'
        : 'Move the layer files there, or name the root: MAPPA_ROOT, or the option root of mappa().',
    )
    return { loaded: { fault }, dependencies: [] }
  }
  const legendPath = path.join(directory, file)
  if (file.endsWith('.json')) return { loaded: loadLegendFile(legendPath), dependencies: [] }
  if (file.endsWith('.cjs')) return loadAnew(legendPath)
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
    return { loaded: failedLegend(file, cause), dependencies: [] }
  }
}

/** What Node loads from CommonJS, and from which files; those of the project are read again each time. */
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
