import { LineIndex } from '../format/line-index.js'
import type { Legend } from '../legend/legend.js'
import { entriesOf } from '../legend/legend.js'
import { nearest } from '../legend/nearest.js'
import { textAt } from '../node/files.js'
import type { Fault } from '../settle/faults.js'
import { reachesBrowser } from './settings-module.js'

/** What Vite knows of modules. Asked only when an import is refused. */
export interface ModuleGraph {
  /** Ids of the modules, or pages, that a browser loads first. */
  readonly entries: readonly string[]
  /** The id of what a module imports under a path. */
  resolve(path: string, importer: string): Promise<string | undefined>
  /** What messages call a module: its path from Vite's root. */
  nameOf(id: string): string
}

/** A module that browser code may not import at all, with the way it took. */
export async function refusedModule(id: string, why: string, graph: ModuleGraph): Promise<Fault> {
  const file = graph.nameOf(id)
  const way = await wayTo(id, graph)
  const [first] = way
  const place = first && graph.nameOf(first.importer)
  return {
    kind: 'server-only',
    message: `${file} ${why}, and browser code imports it.`,
    layer: file,
    ...(first && place !== undefined && { place: { file: place, line: first.line, column: 1, endColumn: 2 } }),
    remedy: `${stepsText(way, graph)}Import single settings there: import { NAME } from 'virtual:mappa/settings'`,
  }
}

/** The parts of an ESTree node that are looked at here. */
interface Node {
  readonly type: string
  readonly [key: string]: unknown
}

/** Names that browser code takes from the settings module and may not have, each as a fault with its place. */
export async function refusedNames(
  program: unknown,
  id: string,
  definition: Legend,
  graph: ModuleGraph,
): Promise<Fault[]> {
  const entries = entriesOf(definition)
  // Of import.meta.env, others may give names that the legend does not know.
  const read = [...pageNames(program)].filter((name) => Object.hasOwn(entries, name))
  const refused = [...new Set([...takenNames(program as Node), ...read])].filter((name) => {
    const entry = Object.hasOwn(entries, name) ? entries[name] : undefined
    return !(entry && reachesBrowser(entry))
  })
  if (refused.length === 0) return []
  const way = await wayTo(id, graph)
  return refused.map((name): Fault => {
    const entry = Object.hasOwn(entries, name) ? entries[name] : undefined
    const file = graph.nameOf(id)
    const spot = takenSpot(id, file, name)
    const fault = { name, layer: file, ...spot }
    if (name === 'default')
      return {
        ...fault,
        kind: 'server-only',
        message: `${file} takes all settings into browser code, where only single names are allowed.`,
        remedy: "Write: import { NAME } from 'virtual:mappa/settings'",
      }
    if (!entry) {
      const near = nearest(name, Object.keys(entries))
      return {
        ...fault,
        kind: 'undeclared',
        message: `${name} has no entry in the legend, and ${file} takes it.`,
        remedy: near ? `Write: ${near}` : 'Add an entry for it to the legend.',
      }
    }
    const what = entry.secret ? 'is secret and must stay on the server' : 'stays on the server'
    const away = entry.secret
      ? 'Use it on the server, and let the page ask the server for what it needs.'
      : "Use it on the server; or, if everyone may see it, write reach: 'browser' in its entry."
    return {
      ...fault,
      kind: 'server-only',
      message: `${name} ${what}, and ${file} takes it into browser code.`,
      remedy: `${wayText(file, name, spot?.place.line, way, graph)} ${away}`,
    }
  })
}

/** Every name that a module takes from the settings module, in its order. */
function* takenNames(program: Node): Generator<string> {
  for (const statement of program.body as readonly Node[]) {
    if ((statement.source as Node | null)?.value !== 'virtual:mappa/settings') continue
    for (const specifier of (statement.specifiers ?? []) as readonly Node[]) {
      if (specifier.type === 'ImportDefaultSpecifier') yield 'default'
      else if (specifier.type === 'ImportNamespaceSpecifier') yield* membersOf(program, nameOf(specifier.local))
      // Of `export { A as B } from`, the taken name is the local one.
      else yield nameOf(specifier.type === 'ExportSpecifier' ? specifier.local : specifier.imported)
    }
  }
}

/** Names read from a namespace: `settings.NAME`. */
function membersOf(program: Node, namespace: string): Generator<string> {
  return membersWhere(program, ({ type, ...node }) => type === 'Identifier' && nameOf(node) === namespace)
}

/** Names read from `import.meta.env`. */
export function pageNames(program: unknown): Generator<string> {
  return membersWhere(
    program as Node,
    ({ type, object, property }) =>
      type === 'MemberExpression' && (object as Node).type === 'MetaProperty' && nameOf(property) === 'env',
  )
}

/** Names of the members that are read of what `isIt` recognises. */
function* membersWhere(program: Node, isIt: (object: Node) => boolean): Generator<string> {
  const open: unknown[] = [program]
  while (open.length > 0) {
    const node = open.pop()
    if (typeof node !== 'object' || node === null) continue
    const { type, object, property, computed } = node as Node
    const isMember = type === 'MemberExpression' && isIt(object as Node)
    if (isMember && !computed) yield nameOf(property)
    else if (isMember && typeof (property as Node).value === 'string') yield (property as Node).value as string
    open.push(...Object.values(node))
  }
}

function nameOf(node: unknown): string {
  const { name, value } = node as { name?: string; value?: string }
  return name ?? value ?? ''
}

/** Where a name is taken, in the file as a person wrote it: what Vite hands on has other lines. */
function takenSpot(id: string, file: string, name: string): Required<Pick<Fault, 'place' | 'excerpt'>> | undefined {
  const text = sourceOf(id)
  const statement = /(?:import|export)\b[^;'"`]*?from\s*(['"])virtual:mappa\/settings\1/g
  for (const match of text.matchAll(statement)) {
    const at = match[0].search(name === 'default' ? /(?<=import\s+)\w/ : new RegExp(`\\b${name}\\b`))
    const start = (match.index ?? 0) + (at < 0 ? 0 : at)
    if (at < 0 && !/\*\s*as\b/.test(match[0])) continue
    const { line, column } = new LineIndex(text).at(start)
    const length = at < 0 ? 'import'.length : name === 'default' ? 1 : name.length
    return placed(text, file, line, column, length)
  }
  const read = new RegExp(`(?<=\\bimport\\.meta\\.env\\s*\\??\\.\\s*|\\bimport\\.meta\\.env\\[['"])${name}\\b`).exec(
    text,
  )
  if (!read) return undefined
  const { line, column } = new LineIndex(text).at(read.index)
  return placed(text, file, line, column, name.length)
}

function placed(text: string, file: string, line: number, column: number, length: number) {
  const excerpt = { text: text.split(/\r?\n/)[line - 1] ?? '', start: column - 1, end: column - 1 + length }
  return { place: { file, line, column, endColumn: column + length }, excerpt }
}

/** One import on the way from a page to a module. */
interface Step {
  readonly importer: string
  readonly line: number
}

/** The shortest way from an entry to a module, the module's own importer first; empty if none is found. */
async function wayTo(id: string, graph: ModuleGraph): Promise<Step[]> {
  const target = plainId(id)
  const reached = new Map<string, Step | undefined>(graph.entries.map((entry) => [plainId(entry), undefined]))
  // A map visits what is added to it on the way, which makes this a search in breadth.
  for (const importer of reached.keys()) {
    if (importer === target) break
    for (const { path, line } of importsIn(sourceOf(importer))) {
      const found = plainId((await graph.resolve(path, importer)) ?? '')
      if (found && (found === target || !found.includes('/node_modules/')) && !reached.has(found))
        reached.set(found, { importer, line })
    }
  }
  const way: Step[] = []
  for (let step = reached.get(target); step; step = reached.get(step.importer)) way.push(step)
  return way
}

/** What a module imports, or a page loads, with the lines. Found in the text, since it may be of any language. */
function importsIn(text: string): { path: string; line: number }[] {
  const imports = /(?:\bfrom|\bimport\s*\(?|<script\b[^>]*\bsrc\s*=)\s*(['"])([^'"\n]+)\1/g
  const lines = new LineIndex(text)
  return [...text.matchAll(imports)].map((match) => ({
    path: match[2] as string,
    line: lines.at(match.index ?? 0).line,
  }))
}

/** `readings.ts:3 takes READINGS_URL. map.ts:1 imports it, main.ts:4 imports that, index.html loads that.` */
function wayText(
  file: string,
  name: string,
  line: number | undefined,
  way: readonly Step[],
  graph: ModuleGraph,
): string {
  const taken = `${file}${line ? `:${line}` : ''} takes ${name}.`
  return `${taken} ${stepsText(way, graph)}`.trimEnd()
}

/** `map.ts:1 imports it, main.ts:4 imports that, index.html loads that. ` */
function stepsText(way: readonly Step[], graph: ModuleGraph): string {
  const steps = way.map(({ importer, line }, at) => {
    const what = at === 0 ? 'it' : 'that'
    const name = graph.nameOf(importer)
    return name.endsWith('.html') ? `${name} loads ${what}` : `${name}:${line} imports ${what}`
  })
  return steps.length > 0 ? `${steps.join(', ')}. ` : ''
}

/** Without a query, which tells variants of one file apart. */
function plainId(id: string): string {
  return id.split('?', 1)[0] as string
}

function sourceOf(id: string): string {
  return textAt(plainId(id)) ?? ''
}
