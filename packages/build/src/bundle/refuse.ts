import { entriesOf, type Fault, fixedAt, type Legend, reachesBrowser } from 'mappa'
import { LineIndex, nearest, textAt } from 'mappa/plugin'
import type { Suspicion } from './suspect.js'
import { settingsId, takenFromEnv, takenFromProcess, takenSettings } from './taken.js'

/** The part of Vite's module graph that a refusal needs. */
export interface ModuleGraph {
  /** Ids of the modules, or pages, that a browser loads first. */
  readonly entries: readonly string[]
  /** The id of what a module imports under a path. */
  resolve(path: string, importer: string): Promise<string | undefined>
  /** A module's name in messages: its path from Vite's root. */
  nameOf(id: string): string
}

/** A module that browser code may not import at all, with the way it took. */
export async function refusedModule(id: string, why: string, graph: ModuleGraph): Promise<Fault> {
  const file = graph.nameOf(id)
  const way = await wayTo(id, graph)
  const [first] = way
  const place = first && graph.nameOf(first.importer)
  return {
    kind: 'beyond-reach',
    message: `${file} ${why}, but browser code imports it.`,
    layer: file,
    ...(first && place !== undefined && { place: { file: place, line: first.line, column: 1, endColumn: 2 } }),
    remedy: `${stepsText(way, graph)}Import single settings there: import { NAME } from 'virtual:mappa/settings'`,
  }
}

/** A module as a builder hands it on: its id, its code, and whether it is of the project itself. */
export interface ModuleText {
  readonly id: string
  readonly code: string
  readonly isOwn: boolean
  /** The program as ESTree; asked for only where the text alone does not do. */
  readonly parse: () => unknown
}

/** Names that browser code takes and may not have, each as a fault with its place. */
export async function refusedNames(
  { id, code, isOwn, parse }: ModuleText,
  definition: Legend,
  suspicion: Suspicion,
  graph: ModuleGraph,
): Promise<Fault[]> {
  const [ofSettings, ofEnv, ofProcess] = [
    suspicion.ofSettings(code),
    suspicion.ofEnv(code, isOwn),
    isOwn && suspicion.ofProcess(code),
  ]
  if (!ofSettings && !ofEnv && !ofProcess) return []
  const program = parse()
  const settings = ofSettings ? takenSettings(program) : nothing
  const names = new Set([...settings.names].filter((name) => !suspicion.allows(name)))
  const texts = new Set<string>()
  // Of these, others may give names that the legend does not know.
  for (const { names: read } of [
    ...(ofEnv ? [takenFromEnv(program)] : []),
    ...(ofProcess ? [takenFromProcess(program)] : []),
  ])
    for (const name of read)
      if (!suspicion.allowsText(name) && suspicion.concerns(name, isOwn) && !names.has(name)) texts.add(name)
  const refused = [...(settings.whole ? [wholeName] : []), ...names, ...texts]
  if (refused.length === 0) return []
  const way = await wayTo(id, graph)
  return refused.map((name) => refusal(name, id, definition, way, graph, texts.has(name)))
}

const nothing = { names: new Set<string>(), whole: false }
/** Stands for all settings at once: no variable has this name. */
const wholeName = '*'

/** Names that a page itself asks for between percent characters and may not have, each as a fault with its place. */
export function refusedInPage(html: string, id: string, definition: Legend, graph: ModuleGraph): Fault[] {
  const entries = entriesOf(definition)
  return [...html.matchAll(/%([A-Za-z_]\w*)%/g)].flatMap(({ 1: name = '', index }): Fault[] => {
    const entry = Object.hasOwn(entries, name) ? entries[name] : undefined
    if (!entry || (reachesBrowser(entry) && fixedAt(entry) === 'build')) return []
    const { place, excerpt } = placed(html, graph.nameOf(id), index + 1, name.length)
    return [{ ...refusal(name, id, definition, [], graph, true), place, excerpt }]
  })
}

/** Why browser code may not have a name, with the way that it took. */
function refusal(
  name: string,
  id: string,
  definition: Legend,
  way: readonly Step[],
  graph: ModuleGraph,
  isText: boolean,
): Fault {
  const entries = entriesOf(definition)
  const entry = Object.hasOwn(entries, name) ? entries[name] : undefined
  const file = graph.nameOf(id)
  const spot = takenSpot(id, file, name)
  if (name === wholeName)
    return {
      layer: file,
      ...spot,
      kind: 'beyond-reach',
      message: `${file} imports all settings into browser code, but only single names are allowed there.`,
      remedy: "Write: import { NAME } from 'virtual:mappa/settings'",
    }
  const fault = { name, layer: file, ...spot }
  if (!entry) {
    const near = nearest(name, Object.keys(entries))
    return {
      ...fault,
      kind: 'undeclared',
      message: `${file} takes ${name}, but it is not in the legend.`,
      remedy: near ? `Write: ${near}` : 'Add it to the legend.',
    }
  }
  if (reachesBrowser(entry)) {
    const message = isText
      ? `${name} is fixed at start, but ${file} reads it as a build-time value.`
      : `${name} is fixed at start, but ${file} takes it in a worker, which has no page.`
    const away = isText
      ? `Write: import { ${name} } from '${settingsId}'`
      : 'Take it in the page, and send it to the worker with postMessage.'
    return {
      ...fault,
      kind: 'fixed-at-start',
      message,
      remedy: isText ? away : `${wayText(file, name, spot?.place.line, way, graph)} ${away}`,
    }
  }
  const what = entry.secret ? 'is secret and must stay on the server' : 'stays on the server'
  const away = entry.secret
    ? 'Use it on the server, and let the page ask the server.'
    : "Use it on the server. If everyone may see it, write reach: 'browser' in its entry."
  return {
    ...fault,
    kind: 'beyond-reach',
    message: `${name} ${what}, but ${file} takes it into browser code.`,
    remedy: `${wayText(file, name, spot?.place.line, way, graph)} ${away}`,
  }
}

/** Finds where a name is taken, in the file as a person wrote it: what Vite passes on has other lines. */
function takenSpot(id: string, file: string, name: string): Required<Pick<Fault, 'place' | 'excerpt'>> | undefined {
  const text = sourceOf(id)
  const whole = name === wholeName
  const word = name.replace(/[^\w]/g, '\\$&')
  const statement = /(?:import|export)\b[^;'"`]*?from\s*(['"])virtual:mappa\/settings\1/g
  for (const { 0: found, index } of text.matchAll(statement)) {
    const at = whole ? (/\{/.test(found) ? -1 : 0) : found.search(new RegExp(`(?<![\\w$])${word}(?![\\w$])`))
    if (at >= 0) return placed(text, file, index + at, whole ? found.length : name.length)
  }
  if (whole) {
    const [at, length] = [text.search(/virtual:mappa\/settings/), settingsId.length]
    return at < 0 ? undefined : placed(text, file, at, length)
  }
  // Where code takes the environment or the settings apart, or renames them, the name follows later.
  const known = /\bimport\s*\.\s*meta\b|\bprocess\b|virtual:mappa\/settings/.exec(text)?.index ?? 0
  const direct = new RegExp(`(?<=\\benv\\s*(?:\\??\\.\\s*|(?:\\?\\.)?\\[\\s*['"\`]))${word}(?![\\w$])`).exec(
    text,
  )?.index
  const other = () => [...text.matchAll(new RegExp(`(?<![\\w$])${word}(?![\\w$])`, 'g'))].map(({ index }) => index)
  const at = direct ?? other().sort((a, b) => Math.abs(a - known) - Math.abs(b - known))[0]
  return at === undefined ? undefined : placed(text, file, at, name.length)
}

function placed(text: string, file: string, at: number, length: number) {
  const { line, column } = new LineIndex(text).at(at)
  const lineText = text.split(/\r?\n/)[line - 1] ?? ''
  const end = Math.min(column - 1 + length, Math.max(lineText.length, column))
  const excerpt = { text: lineText, start: column - 1, end }
  return { place: { file, line, column, endColumn: end + 1 }, excerpt }
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

/** Imports of a module or loads of a page, with their lines. Found in the text, since it may be in any language. */
function importsIn(text: string): { path: string; line: number }[] {
  const imports = /(?:\bfrom|\bimport\s*\(?|\bnew\s+URL\s*\(|<script\b[^>]*\bsrc\s*=)\s*(['"])([^'"\n]+)\1/g
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
