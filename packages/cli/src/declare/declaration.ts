import type { Legend, Terms, Variable } from 'mappa'
import { isTypeScript } from 'mappa/command'
import { obtainLines, sentencesOf } from '../guide/sentences.js'

/** What a declaration file is made from. */
export interface Declaration {
  readonly definition: Legend
  readonly variables: readonly Variable[]
  readonly stages: readonly string[]
  /** The legend's file, from the root. */
  readonly legendFile: string
}

/** The first line of every declaration file that is written here, so that another's is never overwritten. */
export const declarationHead =
  '// Written by mappa types. Lines that are changed here are lost: change the legend, and run it again.'

/**
 * Declarations of `virtual:mappa/settings`, `process.env` and `import.meta.env`. A legend in TypeScript gives the types
 * of settings itself, so only names can go stale; for one in JSON or JavaScript they are written out.
 */
export function declarationText(declared: Declaration): string {
  const browser = declared.variables.filter(({ reach }) => reach === 'browser')
  const blocks = [
    declarationHead,
    moduleBlock(declared),
    processBlock(declared),
    ...(browser.length > 0 ? [pageBlock(browser)] : []),
  ]
  return `${blocks.join('\n\n')}\n`
}

function moduleBlock({ definition, variables, legendFile }: Declaration): string {
  const inferred = isTypeScript(legendFile)
  const source = `./${legendFile.replace(/\.([cm]?)ts$/, '.$1js')}`
  const typeFor = (variable: Variable) =>
    inferred ? `import('mappa').SettingOf<Entries['${variable.name}']>` : writtenType(variable, definition)
  const lines = [
    ...(inferred ? [`type Entries = typeof import('${source}').default.entries`, ''] : []),
    ...variables.flatMap((variable) => [
      ...comment(variable, true),
      `export const ${variable.name}: ${typeFor(variable)}`,
    ]),
    '',
    '/** All settings, each at its place. Server only. */',
    `const settings: ${inferred ? "import('mappa').Settings<Entries>" : nestedType(variables, typeFor)}`,
    'export default settings',
  ]
  return block("declare module 'virtual:mappa/settings'", lines)
}

/** `process.env` holds texts, as `mappa with` and the preload set them: defaults included. */
function processBlock({ variables, stages }: Declaration): string {
  const lines = [
    '/** The stage, as mappa with and the preload set it. */',
    `MAPPA_STAGE?: ${union(stages)}`,
    ...variables
      .filter(({ name }) => !declaredByNode.has(name))
      .flatMap((variable) => [...comment(variable, false), `${member(variable)}: ${textType(variable)}`]),
  ]
  return block('declare namespace NodeJS', block('interface ProcessEnv', lines).split('\n'))
}

/** What @types/node declares itself, and nobody may declare otherwise. */
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

/** Whether it may lack a value, in all stages or in one. */
function mayLack(variable: Variable): boolean {
  const lacks = ({ required, ...terms }: Terms) => !required && terms.default === undefined
  return lacks(variable) || variable.stages.some(lacks)
}

function member(variable: Variable): string {
  return `${variable.name}${mayLack(variable) ? '?' : ''}`
}

/** Numbers and switches may be written in more ways than one, so only texts can be told one by one. */
function textType({ type, values }: Variable): string {
  return type === 'string' && values ? union(values) : 'string'
}

function union(values: readonly string[]): string {
  return values.map((value) => quoted(value)).join(' | ')
}

const quoted = (text: string) => `'${JSON.stringify(text).slice(1, -1).replaceAll('\\"', '"').replaceAll("'", "\\'")}'`

interface TypeWords {
  readonly type: string
  readonly enum?: readonly unknown[]
  readonly items?: TypeWords
}

/** The type of a setting, written out; what a function makes of a value is not known. */
function writtenType(variable: Variable, definition: Legend): string {
  if (variable.made) return 'unknown'
  const type = typeText(definition.entries[variable.name] as TypeWords)
  return mayLack(variable) ? `${type} | undefined` : type
}

function typeText({ type, enum: allowed, items }: TypeWords): string {
  if (allowed?.every((value) => typeof value !== 'object'))
    return allowed.map((value) => (typeof value === 'string' ? quoted(value) : String(value))).join(' | ')
  if (type === 'array') return items ? `readonly (${typeText(items)})[]` : 'readonly unknown[]'
  if (type === 'object') return 'Record<string, unknown>'
  if (type === 'boolean') return 'boolean'
  return type === 'string' || type === 'pem' ? 'string' : 'number'
}

/** Settings by place: `{ readonly collector: { readonly port: number } }`. */
function nestedType(variables: readonly Variable[], typeFor: (variable: Variable) => string): string {
  const write = (depth: number, own: readonly Variable[]): string => {
    const heads = [...new Set(own.map(({ place }) => place[depth] as string))]
    const members = heads.map((head) => {
      const under = own.filter(({ place }) => place[depth] === head)
      const leaf = under.find(({ place }) => place.length === depth + 1)
      return `readonly ${head}: ${leaf ? typeFor(leaf) : write(depth + 1, under)}`
    })
    return members.length > 0 ? `{ ${members.join('; ')} }` : 'Record<string, never>'
  }
  return write(0, variables)
}
