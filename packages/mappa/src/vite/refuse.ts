import { LineIndex } from '../format/lines.js'
import type { AnyEntry } from '../legend/entry.js'
import type { Legend } from '../legend/legend.js'
import { fs } from '../node/builtins.js'
import { type Fault, nearest } from '../settle/faults.js'
import { reachesBrowser } from './modules.js'

/** What is known of the modules round the one that is looked at, by their ids. */
export interface ImportGraph {
  importersOf(id: string): readonly string[]
  /** What messages call a module: its path from Vite's root. */
  nameOf(id: string): string
}

/** The parts of an ESTree node that are looked at here. */
interface Node {
  readonly type: string
  readonly [key: string]: unknown
}

/** Names that browser code takes from the settings module and may not have, each as a fault with its place. */
export function refusals(program: unknown, id: string, definition: Legend, graph: ImportGraph): Fault[] {
  const entries = definition.entries as Record<string, AnyEntry>
  return [...new Set(takenNames(program as Node))].flatMap((name): Fault[] => {
    const entry = Object.hasOwn(entries, name) ? entries[name] : undefined
    if (entry && reachesBrowser(entry)) return []
    const file = graph.nameOf(id)
    const spot = spotOf(id, file, name)
    const fault = { name, layer: file, ...spot }
    if (name === 'default')
      return [
        {
          ...fault,
          kind: 'server-only',
          message: `${file} takes all settings into browser code, where only single names may go.`,
          remedy: "Write: import { NAME } from 'virtual:mappa/settings'",
        },
      ]
    if (!entry) {
      const near = nearest(name, Object.keys(entries))
      return [
        {
          ...fault,
          kind: 'undeclared',
          message: `${name} has no entry in the legend, and ${file} takes it.`,
          remedy: near ? `Did you mean ${near}?` : 'Add an entry for it to the legend.',
        },
      ]
    }
    const what = entry.secret ? 'is secret and must stay on the server' : 'stays on the server'
    const away = entry.secret
      ? 'Use it on the server, and let the page ask the server for what it needs.'
      : "Use it on the server; or, if everyone may see it, write reach: 'browser' in its entry."
    return [
      {
        ...fault,
        kind: 'server-only',
        message: `${name} ${what}, and ${file} takes it into browser code.`,
        remedy: `${wayOf(id, name, spot?.place.line, graph)} ${away}`,
      },
    ]
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
function* membersOf(program: Node, namespace: string): Generator<string> {
  const open: unknown[] = [program]
  while (open.length > 0) {
    const node = open.pop()
    if (typeof node !== 'object' || node === null) continue
    const { type, object, property, computed } = node as Node
    const isMember =
      type === 'MemberExpression' && (object as Node).type === 'Identifier' && nameOf(object) === namespace
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
function spotOf(id: string, file: string, name: string): Required<Pick<Fault, 'place' | 'excerpt'>> | undefined {
  const text = sourceOf(id)
  const statement = /(?:import|export)\b[^;'"`]*?from\s*(['"])virtual:mappa\/settings\1/g
  for (const match of text.matchAll(statement)) {
    const at = match[0].search(name === 'default' ? /(?<=import\s+)\w/ : new RegExp(`\\b${name}\\b`))
    const start = (match.index ?? 0) + (at < 0 ? 0 : at)
    if (at < 0 && !/\*\s*as\b/.test(match[0])) continue
    const { line, column } = new LineIndex(text).at(start)
    const length = at < 0 ? 'import'.length : name === 'default' ? 1 : name.length
    const excerpt = { text: text.split(/\r?\n/)[line - 1] ?? '', start: column - 1, end: column - 1 + length }
    return { place: { file, line, column, endColumn: column + length }, excerpt }
  }
  return undefined
}

/** `readings.ts:3 takes READINGS_URL. map.ts:1 imports it, main.ts:4 imports that, index.html loads that.` */
function wayOf(id: string, name: string, line: number | undefined, graph: ImportGraph): string {
  const sentence = [`${graph.nameOf(id)}${line ? `:${line}` : ''} takes ${name}.`]
  const steps: string[] = []
  const seen = new Set([id])
  for (let child = id; ; ) {
    const parent = graph.importersOf(child).find((importer) => !seen.has(importer))
    if (parent === undefined) break
    seen.add(parent)
    const what = steps.length === 0 ? 'it' : 'that'
    const at = importLine(parent, child)
    steps.push(
      `${graph.nameOf(parent)}${at ? `:${at}` : ''} ${/\.html(?:\?|$)/.test(parent) ? 'loads' : 'imports'} ${what}`,
    )
    child = parent
  }
  if (steps.length > 0) sentence.push(`${steps.join(', ')}.`)
  return sentence.join(' ')
}

/** The line on which a module imports another, judged by the other's file name; undefined if none can be told. */
function importLine(importer: string, imported: string): number | undefined {
  const stem = /([^/\\]+?)(?:\.\w+)?(?:\?.*)?$/.exec(imported)?.[1]
  if (!stem) return undefined
  const lines = sourceOf(importer).split('\n')
  const line = lines.findIndex((text) => /\b(?:import|export|from|src=)/.test(text) && text.includes(stem))
  return line < 0 ? undefined : line + 1
}

function sourceOf(id: string): string {
  try {
    return fs.readFileSync(id.split('?', 1)[0] as string, 'utf8')
  } catch {
    return ''
  }
}
