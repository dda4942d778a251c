import { compilerOf, type PackageFiles } from '../code/compiler.js'

/** The language that a legend is written in. */
export type LegendForm = 'ts' | 'js' | 'json'

/** The file for a legend: in the language that the project has, and where its compiler takes it along. */
export function legendPath(files: PackageFiles, form: LegendForm | undefined): string {
  const manifest = files.read('package.json')
  const compiler = compilerOf(files)
  const guessed: LegendForm = compiler !== undefined ? 'ts' : manifest === undefined ? 'json' : 'js'
  const language = form ?? guessed
  if (language === 'json') return 'mappa.legend.json'
  if (language === 'js') return /"type"\s*:\s*"module"/.test(manifest ?? '') ? 'mappa.legend.js' : 'mappa.legend.mjs'
  return compiler?.folder === 'src/' ? 'src/mappa.legend.ts' : 'mappa.legend.ts'
}
