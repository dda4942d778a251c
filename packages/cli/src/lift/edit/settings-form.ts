import { type Compiler, compilerOf } from '../../code/compiler.js'
import { isScript } from '../../code/parse.js'
import type { Target } from '../change.js'

/** The way an application's code takes its settings: the module's place, text, and imports. */
export interface Form {
  /** The settings module, by its path from the root. */
  readonly module: string
  readonly isTyped: boolean
  /** How it names its place: as an ES module, as CommonJS, or not at all, if a tool may make either of it. */
  readonly place: 'import.meta.url' | '__dirname' | undefined
  /** True if it is written with `require`. */
  readonly requires: boolean
  readonly specifiers: Specifiers
  /** Place of a new legend. */
  readonly legendFile: string
}

/** How the project's files name each other: without an ending, with the compiled one, or with the source's. */
export type Specifiers = 'bare' | 'compiled' | 'source'

/** Why there is not a form for a project, or for one of its files. */
export interface NoForm {
  readonly why: string
}

/** The form for the files that settings move out of, by what compiles and runs them. */
export function formFor(served: readonly string[], target: Target): Form | NoForm {
  const compiler = compilerOf(target)
  const isTyped = served.some(isTypeScript)
  const legendFile = legendFor(isTyped ? compiler : undefined, served, target)
  return isTyped ? typedForm(served, compiler, legendFile, target) : plainForm(served, legendFile, target)
}

function typedForm(
  served: readonly string[],
  compiler: Compiler | undefined,
  legendFile: string,
  target: Target,
): Form | NoForm {
  if (compiler?.modules === 'other')
    return { why: 'The compiler writes modules that cannot import mappa. See "module" in tsconfig.json.' }
  if (compiler && compiler.folder !== '' && compiler.folder !== 'src/')
    return {
      why: `The compiler takes only files from ${compiler.folder}, but a legend belongs beside package.json or in src/.`,
    }
  const folder = compiler?.folder || (served.every((path) => path.startsWith('src/')) ? 'src/' : '')
  const isCommon = compiler?.modules === 'commonjs'
  // Without a compiler's word, what runs the sources may make either of them.
  const isEsm = compiler ? compiler.takesImportMeta : target.isModule
  return {
    module: freeModule(`${folder}settings.ts`, target),
    isTyped: true,
    requires: false,
    legendFile,
    place: isCommon ? '__dirname' : isEsm ? 'import.meta.url' : undefined,
    specifiers:
      specifiersIn(target, /\.[cm]?tsx?$/) ?? (isCommon || (compiler && !compiler.emits) ? 'bare' : 'compiled'),
  }
}

function plainForm(served: readonly string[], legendFile: string, target: Target): Form {
  const folder = served.length > 0 && served.every((path) => path.startsWith('src/')) ? 'src/' : ''
  const scripts = served.filter(isJavaScript)
  const isPlain = isCommonJs(scripts, target)
  // ECMAScript's words in files that Node takes for CommonJS: a tool makes something else of them.
  const isMade = isPlain && scripts.some((path) => /^(?:import|export)\b/m.test(target.read(path) ?? ''))
  return {
    module: freeModule(`${folder}settings${isPlain || target.isModule ? '.js' : '.mjs'}`, target),
    isTyped: false,
    legendFile,
    requires: isPlain && !isMade,
    place: isMade ? undefined : isPlain ? '__dirname' : 'import.meta.url',
    specifiers: (isPlain && specifiersIn(target, /\.jsx?$/)) || 'compiled',
  }
}

function legendFor(compiler: Compiler | undefined, served: readonly string[], target: Target): string {
  if (target.legendFile !== undefined) return target.legendFile
  // Without a package nothing could load one in JavaScript.
  if (target.read('package.json') === undefined && served.length === 0) return 'mappa.legend.json'
  const paths = served.length > 0 ? served : target.code
  if (compiler?.folder === 'src/') return 'src/mappa.legend.ts'
  const isTyped = served.length === 0 && target.read('tsconfig.json') !== undefined && paths.some(isTypeScript)
  if (served.some(isTypeScript) || isTyped) return 'mappa.legend.ts'
  if (target.isModule) return 'mappa.legend.js'
  // Also what runs tests with a require of its own can take it.
  return isCommonJs(served.filter(isJavaScript), target) ? 'mappa.legend.cjs' : 'mappa.legend.mjs'
}

/** Tells whether Node takes scripts for CommonJS by their names and the package's type. */
function isCommonJs(scripts: readonly string[], { isModule }: Target): boolean {
  return !isModule && scripts.length > 0 && !scripts.some((path) => path.endsWith('.mjs'))
}

/** The usual path, unless something else is there. */
function freeModule(usual: string, { read }: Target): string {
  const there = read(usual)
  return there === undefined || /\bsettle(?:Async)?\(/.test(there) ? usual : usual.replace('settings', 'mappa-settings')
}

/** At most this many files are sampled for their import style. */
const looksMax = 200

/** Tells how most of the project's files name each other; undefined if they do not. */
function specifiersIn({ code, read }: Target, kind: RegExp): Specifiers | undefined {
  const counts = { bare: 0, compiled: 0, source: 0 }
  for (const path of code.filter((each) => kind.test(each)).slice(0, looksMax))
    for (const [, specifier = ''] of (read(path) ?? '').matchAll(
      /(?:\bfrom|\brequire\(|\bimport\()\s*['"](\.[^'"\n]+)['"]/g,
    )) {
      if (/\.[cm]?tsx?$/.test(specifier)) counts.source++
      else if (/\.[cm]?jsx?$/.test(specifier)) counts.compiled++
      else if (!/\.\w+$/.test(specifier)) counts.bare++
    }
  const [most] = (Object.keys(counts) as Specifiers[]).sort((a, b) => counts[b] - counts[a])
  return most && counts[most] > 0 ? most : undefined
}

/** Tells how one file names another one of the project. */
export function specifierFor(file: string, specifiers: Specifiers): string {
  if (specifiers === 'source') return file
  const compiled = file.replace(/\.([cm]?)tsx?$/, '.$1js')
  return specifiers === 'bare' ? compiled.replace(/\.js$/, '') : compiled
}

function isJavaScript(path: string): boolean {
  return isScript(path) && !isTypeScript(path)
}

export function isTypeScript(path: string): boolean {
  return /\.[cm]?tsx?$/.test(path)
}

/** Why a file cannot import the settings module; undefined if it can. */
export function whyApart(path: string, { isTyped }: Form, target: Target): string | undefined {
  if (!isTyped || !isJavaScript(path)) return undefined
  const compiler = compilerOf(target)
  return compiler?.emits && !/"allowJs"\s*:\s*true/.test(target.read('tsconfig.json') ?? '')
    ? `${path} is JavaScript beside TypeScript, so it cannot import compiled settings.`
    : undefined
}
