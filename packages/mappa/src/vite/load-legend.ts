import type { LoadLegend } from '../bundle/project.js'
import { path } from '../node/builtins.js'
import { failedLegend, legendFault, legendOf, loadLegendFile } from '../node/legend-file.js'
/** Through Vite itself, which knows TypeScript, and does not keep what it loaded before. */
export const loadLegend: LoadLegend = async (directory, file) => {
  if (file === undefined) {
    const fault = legendFault(
      'the legend',
      `There is no legend in ${directory} or above.`,
      'Write mappa.legend.ts there.',
    )
    return { loaded: { fault }, dependencies: [] }
  }
  const legendPath = path.join(directory, file)
  if (file.endsWith('.json')) return { loaded: loadLegendFile(legendPath), dependencies: [] }
  try {
    const { runnerImport } = await import('vite')
    const { module, dependencies } = await runnerImport<unknown>(legendPath, {
      configFile: false,
      envDir: false,
      root: directory,
      logLevel: 'silent',
    })
    return {
      loaded: legendOf(module, file),
      dependencies: dependencies.filter((each) => path.isAbsolute(each)),
    }
  } catch (cause) {
    return { loaded: failedLegend(file, cause), dependencies: [] }
  }
}
