import { encode, type SourceMapSegment } from '@jridgewell/sourcemap-codec'
import type { Legend, Terms, Variable } from 'mappa'
import { isTypeScript } from 'mappa/command'
import { codeLiteral } from '../terminal/escapes.js'
import type { LegendPlaces } from './legend-text.js'
import { obtainLines, sentencesOf } from './sentences.js'
import { typeFacts } from './value-type.js'

/** The input of a declaration file. */
export interface Declaration {
  readonly definition: Legend
  readonly variables: readonly Variable[]
  readonly stages: readonly string[]
  /** The legend's file, from the root. */
  readonly legendFile: string
  /** True if every start loads the layers, so that what must have a value has one in `process.env`. */
  readonly loaded: boolean
}

/** Counts the ways in which declarations and samples have been worded. Raise it with every change of their prose. */
export const proseForm = 2

/** The same for declarations only: since form 3, `process.env` may lack what no start is known to load. */
const declarationForm = 3

/** The first line of every declaration file that is written here. */
const declarationHead = (loaded: boolean) =>
  `// Written by mappa types${loaded ? ' --loaded' : ''} from the legend (form ${declarationForm}). Do not edit: changes are lost.`

/** Tells whether a declaration file says that every start loads the layers; it says so until it is written otherwise. */
export function isForLoaded(before: string | undefined): boolean {
  return before?.startsWith('// Written by mappa types --loaded ') === true
}

/** Tells whether `mappa types` wrote a file, in any version: another's is never overwritten. */
export function isDeclaration(text: string): boolean {
  return text.startsWith('// Written by mappa types')
}

/** Tells whether declarations are stale. Comments count only in the same form: better prose must not turn a check red. */
export function isStaleDeclaration(before: string, fresh: string): boolean {
  const text = before.replaceAll('\r\n', '\n')
  return text.startsWith(declarationHead(isForLoaded(text)))
    ? text !== fresh
    : withoutComments(text) !== withoutComments(fresh)
}

/** What declarations of different forms have in common: earlier ones promise values that a start may lack. */
function withoutComments(text: string): string {
  return text
    .replace(/^(\s+\w+)\?: /gm, '$1: ')
    .replace(/^\s*\/\*\*[\s\S]*?\*\/\n/gm, '')
    .replace(/^\s*\/\/.*\n/gm, '')
    .replace(/\n{2,}/g, '\n')
}

/** A declaration file, and the map that leads from its names to the legend. */
export interface Declarations {
  readonly text: string
  readonly map: string
}

/** Names of the files. */
export const declarationPath = 'mappa.types.d.ts'
export const mapPath = `${declarationPath}.map`

/**
 * Declarations of `MappaSettings`, `virtual:mappa/settings`, `process.env` and `import.meta.env`. A legend in TypeScript
 * gives the types of settings itself, so only names can go stale; for one in JSON or JavaScript they are written out.
 */
export function declarationsFor(declared: Declaration, places: LegendPlaces): Declarations {
  const { variables, legendFile } = declared
  const browser = variables.filter(({ reach, fixed }) => reach === 'browser' && fixed === 'build')
  const blocks = [
    declarationHead(declared.loaded),
    settingsBlock(declared),
    moduleBlock(declared),
    processBlock(declared),
    ...(browser.length > 0 ? [pageBlock(browser)] : []),
    `//# sourceMappingURL=${mapPath}`,
  ]
  return mapped(`${blocks.join('\n\n')}\n`, legendFile, places)
}

/** A name to declare, marked with the variable that it stands for, so that its place is known when all is written. */
function declaredName({ name }: Variable, declared = name): string {
  return `\0${name}\0${declared}`
}

/** The text without those marks, and the map that they make. */
function mapped(marked: string, legendFile: string, places: LegendPlaces): Declarations {
  const segments: SourceMapSegment[][] = []
  const lines = marked.split('\n').map((line, at) => {
    const [found, name = '', declared = ''] = /\0(\w+)\0(\w+)/.exec(line) ?? []
    if (found === undefined) return line
    const column = line.indexOf(found)
    const original = places.get(name)
    if (original)
      // Lines of a map begin with 0 (ECMA-426, 9).
      segments[at] = [
        [column, 0, original.line - 1, original.column],
        [column + declared.length, 0, original.line - 1, original.column + name.length],
      ]
    return line.replace(found, declared)
  })
  const map = {
    version: 3,
    file: declarationPath,
    names: [],
    sources: [`./${legendFile}`],
    sourcesContent: [null],
    mappings: encode(lines.map((_, at) => segments[at] ?? [])).replace(/;+$/, ''),
  }
  return { text: lines.join('\n'), map: `${JSON.stringify(map)}\n` }
}

/** The settings as a type of its own: each setting at its place, with the comment of its entry, which inference drops. */
function settingsBlock(declared: Declaration): string {
  const { variables, legendFile } = declared
  const lines = (own: readonly Variable[], depth: number): string[] => {
    const heads = [...new Set(own.map(({ place }) => place[depth] as string))]
    return heads.flatMap((head) => {
      const under = own.filter(({ place }) => place[depth] === head)
      const leaf = under.find(({ place }) => place.length === depth + 1)
      return leaf
        ? [...comment(leaf, false), `readonly ${declaredName(leaf, head)}: ${seenType(leaf, declared)}`]
        : block(`readonly ${head}:`, lines(under, depth + 1)).split('\n')
    })
  }
  const source = `./${legendFile.replace(/\.([cm]?)ts$/, '.$1js')}`
  const entries = isTypeScript(legendFile) ? `type MappaEntries = typeof import('${source}').default.entries\n\n` : ''
  const about =
    '/** All settings, each at its place: `export const settings: MappaSettings = settle(definition, …)`. Server only. */'
  return `${entries}${about}\n${block('interface MappaSettings', lines(variables, 0))}`
}

function seenType(variable: Variable, { definition, legendFile }: Declaration): string {
  return isTypeScript(legendFile)
    ? `import('mappa/legend').SettingOf<MappaEntries['${variable.name}']>`
    : writtenType(variable, definition)
}

function moduleBlock(declared: Declaration): string {
  const lines = [
    ...declared.variables.flatMap((variable) => [
      ...comment(variable, true),
      `export const ${declaredName(variable)}: ${seenType(variable, declared)}`,
    ]),
    '',
    '/** All settings, each at its place. Server only. */',
    'const settings: MappaSettings',
    'export default settings',
  ]
  return block("declare module 'virtual:mappa/settings'", lines)
}

/** `process.env` holds texts, as `mappa with` and the preload set them: defaults included. A start without them has none. */
function processBlock({ variables, stages, loaded }: Declaration): string {
  const lines = [
    '/** The stage, set by mappa with and the preload. */',
    `MAPPA_STAGE?: ${union(stages)}`,
    ...variables
      .filter(({ name }) => !declaredByNode.has(name))
      .flatMap((variable) => [
        ...comment(variable, false),
        `${loaded ? member(variable) : `${declaredName(variable)}?`}: ${textType(variable)}`,
      ]),
  ]
  return block('declare namespace NodeJS', block('interface ProcessEnv', lines).split('\n'))
}

/** Names that @types/node declares, so nobody may declare them otherwise. */
const declaredByNode: ReadonlySet<string> = new Set(['TZ'])

function pageBlock(browser: readonly Variable[]): string {
  const lines = browser.flatMap((variable) => [
    ...comment(variable, false),
    `readonly ${member(variable)}: ${textType(variable)}`,
  ])
  return `${block('interface ImportMetaEnv', lines)}\n\n${block('interface ImportMeta', ['readonly env: ImportMetaEnv'])}`
}

function block(head: string, lines: readonly string[]): string {
  return [`${head} {`, ...lines.map((line) => (line === '' ? '' : `  ${line}`)), '}'].join('\n')
}

/** The sentences of the guide for who hovers over a name. */
function comment(variable: Variable, isModule: boolean): string[] {
  const serverOnly = isModule && variable.reach !== 'browser' ? ['Server only.'] : []
  const lines = [...serverOnly, ...sentencesOf(variable), ...obtainLines(variable)]
  const marked = variable.deprecated ? [...lines, '@deprecated'] : lines
  return marked.length === 0 ? [] : ['/**', ...marked.map((line) => ` * ${line.replaceAll('*/', '*\\/')}`), ' */']
}

/** Tells whether it may lack a value, in all stages or in one. */
function mayLack(variable: Variable): boolean {
  const lacks = ({ required, ...terms }: Terms) => !required && terms.default === undefined
  return lacks(variable) || variable.stages.some(lacks)
}

function member(variable: Variable): string {
  return `${declaredName(variable)}${mayLack(variable) ? '?' : ''}`
}

/** Numbers and switches may be written in more ways than one, so only texts can be listed one by one. */
function textType({ type, values }: Variable): string {
  return type === 'string' && values ? union(values) : 'string'
}

function union(values: readonly string[]): string {
  return values.map((value) => codeLiteral(value)).join(' | ')
}

interface TypeWords {
  readonly type: string
  readonly enum?: readonly unknown[]
  readonly items?: TypeWords
}

/** The type of a setting, written out; what a function makes of a value is not known. */
export function writtenType(variable: Variable, definition: Legend): string {
  if (variable.made) return 'unknown'
  const type = typeText(definition.entries[variable.name] as TypeWords)
  return mayLack(variable) ? `${type} | undefined` : type
}

function typeText({ type, enum: allowed, items }: TypeWords): string {
  if (allowed?.every((value) => typeof value !== 'object'))
    return allowed.map((value) => (typeof value === 'string' ? codeLiteral(value) : String(value))).join(' | ')
  if (type === 'array' && items) return `readonly (${typeText(items)})[]`
  return typeFacts(type)?.code ?? 'unknown'
}
