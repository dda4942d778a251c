import { overParsed, type SourceFile, walk } from '../code/parse.js'
import type { StartFiles } from './start.js'

/** How an installed package stands to layer files. */
export type Reading =
  /** No code that it loads does both: name a layer file, and write to the environment. */
  | 'no'
  /** Its own code does, when it is loaded. */
  | 'on-import'
  /** Its own code does, when a program calls it. */
  | 'on-call'
  /** It cannot be told. */
  | 'unknown'

/** So many folders upwards packages are searched for. */
const upMax = 4

interface Manifest {
  readonly name?: unknown
  readonly main?: unknown
  readonly module?: unknown
  readonly exports?: unknown
  readonly bin?: unknown
}

/** The folder of an installed package, seen from a folder; undefined if it is not installed. */
function packageFolder(name: string, from: string, files: StartFiles): string | undefined {
  // Within node_modules, then at the root and above it.
  const nested = from.split('/node_modules/')
  const own = nested.map((_, at) => `${nested.slice(0, nested.length - at).join('/node_modules/')}/`)
  const above = Array.from({ length: upMax + 1 }, (_, at) => '../'.repeat(at))
  for (const folder of [...(from.includes('node_modules/') ? own : []), ...above]) {
    const found = `${folder}node_modules/${name}`
    if (files.read(`${found}/package.json`) !== undefined) return found
  }
  return undefined
}

function manifestIn(folder: string, { read }: StartFiles): Manifest {
  try {
    return JSON.parse(read(`${folder}/package.json`) ?? '{}') as Manifest
  } catch {
    return {}
  }
}

/** The file of an installed tool, by its command; undefined if none has it. */
export function binOf(command: string, files: StartFiles): string | undefined {
  if (!/^[\w.@-]+(?:\/[\w.-]+)?$/.test(command)) return undefined
  const folder = packageFolder(command, '', files)
  const own = folder === undefined ? undefined : binIn(folder, command, files)
  if (own !== undefined) return own
  // A tool may be called otherwise than its package.
  for (const name of dependenciesOf(files)) {
    const other = packageFolder(name, '', files)
    const found = other === undefined ? undefined : binIn(other, command, files)
    if (found !== undefined) return found
  }
  return undefined
}

function binIn(folder: string, command: string, files: StartFiles): string | undefined {
  const { bin, name } = manifestIn(folder, files)
  if (typeof bin === 'string')
    return String(name).replace(/^@[^/]+\//, '') === command ? joinedPath(folder, bin) : undefined
  const own = typeof bin === 'object' && bin !== null ? (bin as Record<string, unknown>)[command] : undefined
  return typeof own === 'string' ? joinedPath(folder, own) : undefined
}

function dependenciesOf({ read }: StartFiles): readonly string[] {
  try {
    const { dependencies, devDependencies } = JSON.parse(read('package.json') ?? '{}') as Record<string, object>
    return [...Object.keys(dependencies ?? {}), ...Object.keys(devDependencies ?? {})]
  } catch {
    return []
  }
}

function joinedPath(folder: string, path: string): string {
  const steps = folder.split('/')
  for (const step of path.split('/')) {
    if (step === '..' && steps.length > 0 && steps.at(-1) !== '..') steps.pop()
    else if (step !== '.' && step !== '') steps.push(step)
  }
  return steps.join('/')
}

/** The file that an import leads to, of an installed package or within one; undefined if it is not there. */
function resolvedModule(source: string, from: string, files: StartFiles): string | undefined {
  const isThere = (path: string) => files.read(path) !== undefined
  if (source.startsWith('.'))
    return moduleAt(joinedPath(from.split('/').slice(0, -1).join('/'), source), isThere, files)
  const [, name, rest = ''] = /^((?:@[^/]+\/)?[^/]+)(?:\/(.*))?$/.exec(source) ?? []
  const folder = name === undefined ? undefined : packageFolder(name, from, files)
  if (folder === undefined) return undefined
  const manifest = manifestIn(folder, files)
  const exported = exportOf(manifest.exports, rest === '' ? '.' : `./${rest}`)
  if (exported !== undefined) return moduleAt(joinedPath(folder, exported), isThere, files)
  if (rest !== '') return moduleAt(`${folder}/${rest}`, isThere, files)
  const main = typeof manifest.main === 'string' ? manifest.main : 'index.js'
  return moduleAt(joinedPath(folder, main), isThere, files) ?? moduleAt(`${folder}/index.js`, isThere, files)
}

function moduleAt(path: string, isThere: (path: string) => boolean, files: StartFiles): string | undefined {
  const found = [path, `${path}.js`, `${path}.cjs`, `${path}.mjs`, `${path}.json`].find(isThere)
  if (found !== undefined) return found
  const { main } = manifestIn(path, files)
  const inner = typeof main === 'string' ? joinedPath(path, main) : `${path}/index.js`
  return [inner, `${inner}.js`, `${path}/index.js`, `${path}/index.mjs`].find(isThere)
}

/** The target of an export, by the conditions of a program in Node (Node's documentation, Packages). */
function exportOf(exports: unknown, path: string): string | undefined {
  if (typeof exports === 'string') return path === '.' ? exports : undefined
  if (typeof exports !== 'object' || exports === null) return undefined
  const map = exports as Readonly<Record<string, unknown>>
  const isPaths = Object.keys(map).some((key) => key.startsWith('.'))
  if (!isPaths) return path === '.' ? conditioned(map) : undefined
  if (Object.hasOwn(map, path)) return conditioned(map[path])
  for (const [key, target] of Object.entries(map)) {
    const [lead, tail] = key.split('*')
    if (lead === undefined || tail === undefined || !path.startsWith(lead) || !path.endsWith(tail)) continue
    return conditioned(target)?.replaceAll('*', path.slice(lead.length, path.length - tail.length))
  }
  return undefined
}

function conditioned(target: unknown): string | undefined {
  if (typeof target === 'string') return target
  if (typeof target !== 'object' || target === null) return undefined
  const map = target as Readonly<Record<string, unknown>>
  for (const condition of ['node', 'import', 'require', 'module-sync', 'default'])
    if (Object.hasOwn(map, condition)) {
      const found = conditioned(map[condition])
      if (found !== undefined) return found
    }
  return undefined
}

/** So much of what packages load is read for one project; more counts as unknown. Files and characters. */
const packageFilesMax = 4000
const charactersMax = 40_000_000

/** Reads what packages load, and keeps what it found: several starts of a project load the same. */
export class Packages {
  readonly #files: StartFiles
  readonly #known = new Map<string, Reading>()
  readonly #seen = new Map<string, FileReading>()
  #characters = 0

  constructor(files: StartFiles) {
    this.#files = files
  }

  /** How the code behind an import of the project, or a tool's file, stands to layer files. */
  readingOf(source: string): Reading {
    const known = this.#known.get(source) ?? this.#search(source)
    this.#known.set(source, known)
    return known
  }

  /** Tells whether the code behind an import names layer files of one machine: such a reader takes the whole family. */
  readsFamily(source: string): boolean {
    return this.#reached(source).some((path) => namesLocal({ path, text: this.#files.read(path) ?? '' }))
  }

  #search(source: string): Reading {
    const entry = this.#programFile(source)
    if (entry === undefined) return 'unknown'
    const reached = this.#reached(source)
    let found: Reading = 'no'
    for (const path of reached) {
      const { reads } = this.#look(path)
      if (reads === 'yes') return this.#look(entry).exports ? 'on-call' : 'on-import'
      if (reads === 'perhaps') found = 'unknown'
    }
    return this.#seen.size > packageFilesMax || this.#characters > charactersMax ? 'unknown' : found
  }

  #programFile(source: string): string | undefined {
    return source.includes('node_modules/') ? source : resolvedModule(source, '', this.#files)
  }

  /** Every file that an import loads, over packages, as far as the limits go. */
  #reached(source: string): readonly string[] {
    const entry = this.#programFile(source)
    const open = entry === undefined ? [] : [entry]
    const reached = new Set(open)
    while (open.length > 0 && this.#characters <= charactersMax && this.#seen.size <= packageFilesMax) {
      const path = open.pop() as string
      for (const each of this.#look(path).imports) {
        const target = resolvedModule(each, path, this.#files)
        if (target === undefined || reached.has(target) || target.endsWith('.json')) continue
        reached.add(target)
        open.push(target)
      }
    }
    return [...reached]
  }

  #look(path: string): FileReading {
    const known = this.#seen.get(path)
    if (known) return known
    const text = this.#files.read(path) ?? ''
    this.#characters += text.length
    const found = readingIn(text)
    this.#seen.set(path, found)
    return found
  }
}

interface FileReading {
  readonly imports: readonly string[]
  readonly reads: 'no' | 'yes' | 'perhaps'
  readonly exports: boolean
}

/** A layer file's name in quotes or at the end of a path, and not `process.env`. */
const namesLayer = /['"`/]\.env(?:['"`]|\.(?:local|\$\{|['"`]))/

/** Tells whether a module has the name of a layer file of one machine, or its end; help for people may mention one. */
function namesLocal(file: SourceFile): boolean {
  if (!/\.local\b/.test(file.text)) return false
  let isNamed = false
  const found = overParsed(file, ({ programs }) => {
    for (const program of programs)
      walk(program, ({ type, value }) => {
        const text = type === 'TemplateElement' ? (value as { cooked?: unknown }).cooked : value
        if (/^(?:StringLiteral|TemplateElement)$/.test(type) && /^\S*\.local$/.test(String(text))) isNamed = true
      })
  })
  return isNamed || (found !== undefined && 'line' in found)
}

/** Text of a member of the environment that is only known when the code runs is set. */
const writes =
  /process\.env\[[^\]\n]+\]\s*(?:\|\||\?\?)?=(?!=)|Object\.assign\(\s*process\.env\b|process\.env\s*=(?!=)\s*/

/** What a text imports, by its letters: to parse each module only to see that nothing is read in it would take seconds. */
export function sourcesIn(text: string): readonly string[] {
  return [...text.matchAll(/(?:\brequire\(|\bfrom|\bimport\(?)\s*(['"])([^'"\n]+)\1/g)].flatMap(([, , source = '']) =>
    /^[a-z]+:/.test(source) ? [] : [source],
  )
}

/** What one file of a package does, by its text: parsing whole packages would take seconds. */
function readingIn(text: string): FileReading {
  const imports = sourcesIn(text)
  const exports =
    /\bmodule\.exports\b|\bexports\.\w|\bexport\s*[{*]|\bexport\s+(?:default|const|let|var|function|class|async)/.test(
      text,
    )
  if (!namesLayer.test(text) || !text.includes('process.env')) return { imports, exports, reads: 'no' }
  const alias = /\b([A-Za-z_$][\w$]*)\s*=\s*process\.env\b(?![.[\w])/.exec(text)?.[1]
  const isWritten =
    writes.test(text) ||
    (alias !== undefined && new RegExp(`\\b${alias.replaceAll('$', '\\$')}\\[[^\\]\\n]+\\]\\s*=(?!=)`).test(text))
  if (isWritten) return { imports, exports, reads: 'yes' }
  // The whole object may be handed to what writes to it.
  return { imports, exports, reads: /process\.env\b(?![.[\w])/.test(text) ? 'perhaps' : 'no' }
}
