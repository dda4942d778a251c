/** The language that a legend is written in. */
export type LegendForm = 'ts' | 'js' | 'json'

/** What says where a legend belongs. */
export interface ProjectFacts {
  readonly read: (path: string) => string | undefined
  /** Every file of the project that holds code, from its root. */
  readonly code: readonly string[]
}

/** The file for a legend: in the language that the project has, and where its compiler takes it along. */
export function legendPath({ read, code }: ProjectFacts, form: LegendForm | undefined): string {
  const isModule = /"type"\s*:\s*"module"/.test(read('package.json') ?? '')
  const config = read('tsconfig.json')
  const guessed: LegendForm = config !== undefined ? 'ts' : read('package.json') === undefined ? 'json' : 'js'
  const language = form ?? guessed
  if (language === 'json') return 'mappa.legend.json'
  if (language === 'js') return isModule ? 'mappa.legend.js' : 'mappa.legend.mjs'
  return onlySource(config, code) ? 'src/mappa.legend.ts' : 'mappa.legend.ts'
}

/** Whether the compiler takes files from `src/` only: elsewhere a legend would not be compiled, or would move what is. */
function onlySource(config: string | undefined, code: readonly string[]): boolean {
  if (config === undefined) return false
  const plain = config.replace(/\/\*[\s\S]*?\*\/|^\s*\/\/.*$/gm, '')
  // A bundler compiles what is imported, wherever it is.
  if (/"noEmit"\s*:\s*true/.test(plain) || !code.some((path) => path.startsWith('src/'))) return false
  if (/"rootDir"\s*:\s*"(?:\.\/)?src\/?"/.test(plain)) return true
  const [, include] = /"include"\s*:\s*\[([^\]]*)\]/.exec(plain) ?? []
  if (include !== undefined)
    return /\S/.test(include) && include.split(',').every((each) => /^\s*(?:"(?:\.\/)?src\b|$)/.test(each))
  // Without either, what is compiled lies where all of it lies.
  const compiled = code.filter((path) => /\.[cm]?tsx?$/.test(path) && !/\.config\.|\.d\.[cm]?ts$/.test(path))
  return /"outDir"/.test(plain) && compiled.length > 0 && compiled.every((path) => path.startsWith('src/'))
}
