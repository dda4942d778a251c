import type { Place } from 'mappa'
import { aliasesOf, compilerOf } from '../code/compiler.js'
import { holdsCode } from '../code/parse.js'
import { lineAndColumn } from '../code/place.js'
import type { Read } from '../code/reads.js'
import { codeFileAt } from './entry.js'
import { type Condition, type Fallback, type Module, moduleOf, type NamedFile, type Step } from './module-steps.js'
import { sourcesIn } from './packages.js'
import { pathIn } from './programs.js'
import type { Load, Program, StartFiles } from './start.js'

/** A read of the environment, and what has filled it by then. */
export interface ReadInStart {
  readonly name: string
  readonly place: Place
  /** The expression, and what it is in. */
  readonly read: Read
  readonly fallback: Fallback
  readonly loads: readonly Load[]
  /** What fills it only after this read. */
  readonly after: readonly Load[]
}

/** What a program does with its environment. */
export interface RunThrough {
  readonly reads: readonly ReadInStart[]
  /** Names that its code sets itself. */
  readonly written: ReadonlySet<string>
  /** True if its code makes settings of the layers. */
  readonly settles: boolean
  /** A module that could not be followed. */
  readonly unknown: string | undefined
}

/** So many modules of one program are followed. */
const modulesMax = 5000
/** Imports within imports, so deep: a stack has room for many more. */
const depthOfImportsMax = 1000

/** Goes through the modules of a program in the order in which they run. */
export class Runner {
  readonly #files: StartFiles
  readonly #modules = new Map<string, Module | undefined>()
  readonly #known: ReadonlySet<string>
  readonly #aliases: readonly (readonly [alias: string, path: string])[]
  readonly #hoists: boolean

  constructor(files: StartFiles) {
    this.#files = files
    this.#known = new Set(files.paths)
    this.#aliases = aliasesOf(files.read)
    this.#hoists = compilerOf({ read: files.read, code: files.paths })?.modules !== 'commonjs'
  }

  /**
   * The reads of a program, with what fills its environment at each. No module is parsed where all lack the `names`.
   */
  through(program: Program, names?: ReadonlySet<string>): RunThrough {
    const settling = { settles: false }
    if (names && !this.#mentions(program.modules, names, settling))
      return { reads: [], written: new Set(), unknown: program.unknown, ...settling }
    const loads: Load[] = [...program.loads]
    const written = new Set<string>()
    const reads: (Omit<ReadInStart, 'loads' | 'after'> & { readonly count: number })[] = []
    const seen = new Set<string>()
    let unknown: string | undefined
    let settles = false
    for (const source of program.packages)
      loads.push({ kind: 'package', source, how: 'import', files: [], certain: true })
    const visit = (path: string, isCertain: boolean, depth = 0): void => {
      if (seen.has(path)) return
      if (seen.size > modulesMax || depth > depthOfImportsMax) {
        unknown ??= 'It has too many modules.'
        return
      }
      seen.add(path)
      const module = this.#module(path)
      if (!module) {
        if (holdsCode(path)) unknown ??= `${path} cannot be parsed.`
        return
      }
      for (const name of module.written) written.add(name)
      const isFirst = ({ what }: Step) => what === 'import' && module.hoists
      const steps = [...module.steps.filter(isFirst), ...module.steps.filter((step) => !isFirst(step))]
      for (const step of steps) {
        const place = stepPlace(module, step.at)
        if (step.what === 'read') {
          const { read, fallback, late } = step
          reads.push({
            name: read.name,
            place: stepPlace(module, read.start, read.end),
            read,
            fallback,
            count: late ? Infinity : loads.length,
          })
          continue
        }
        const taken = isCertain ? isStepTaken(step.when, program) : undefined
        if (taken === false) continue
        if (step.what === 'import') {
          settles ||= /^(?:mappa\/node|virtual:mappa\/settings)$/.test(step.source)
          const own = this.#own(path, step.source)
          if (own !== undefined) visit(own, taken === true, depth + 1)
          else if (isOwnPreload(step.source))
            loads.push(taken ? { kind: 'mappa' } : { kind: 'unknown', by: step.source, place })
          else if (isPackageImport(step.source))
            loads.push({
              kind: 'package',
              source: step.source,
              how: 'import',
              files: [],
              certain: taken === true,
              place,
            })
          continue
        }
        const files = step.files?.map((each) => inProject(each, path))
        if (step.what === 'call') {
          if (isPackageImport(step.source))
            loads.push({ kind: 'package', source: step.source, how: 'call', files, certain: taken === true, place })
        } else if (taken && step.reader !== undefined && files !== undefined)
          loads.push({ kind: 'files', reader: step.reader, by: step.by, files, place })
        else loads.push({ kind: 'unknown', by: step.by, files, place })
      }
    }
    for (const path of program.modules) visit(path, true)
    return {
      written,
      settles,
      unknown: program.unknown ?? unknown,
      reads: reads.map(({ count, ...read }) => ({
        ...read,
        loads: loads.slice(0, count),
        after: count === Infinity ? [] : loads.slice(count),
      })),
    }
  }

  /** Tells whether a module of a program mentions a name, by its letters; and notes whether one makes settings. */
  #mentions(modules: readonly string[], names: ReadonlySet<string>, settling: { settles: boolean }): boolean {
    const open = [...modules]
    const seen = new Set(open)
    let found = false
    for (let path = open.pop(); path !== undefined && seen.size <= modulesMax; path = open.pop()) {
      const text = holdsCode(path) ? (this.#files.read(path) ?? '') : ''
      found ||= /\benv\b/.test(text) && [...names].some((name) => text.includes(name))
      if (/['"](?:mappa\/node|virtual:mappa\/settings)['"]/.test(text)) settling.settles = true
      for (const source of sourcesIn(text)) {
        const own = this.#own(path, source)
        if (own === undefined || seen.has(own)) continue
        seen.add(own)
        open.push(own)
      }
    }
    return found
  }

  #module(path: string): Module | undefined {
    if (!this.#modules.has(path)) {
      const text = holdsCode(path) ? this.#files.read(path) : undefined
      this.#modules.set(
        path,
        text === undefined ? undefined : moduleOf({ path, text }, this.#hoists || /\.m[jt]s$/.test(path)),
      )
    }
    return this.#modules.get(path)
  }

  /** The file of the project that an import leads to; undefined for a package's. */
  #own(from: string, source: string): string | undefined {
    // What a build has made imports its like, which git leaves out, too.
    const isMade = !this.#known.has(from)
    const isThere = (each: string) => this.#known.has(each) || (isMade && this.#files.read(each) !== undefined)
    return importedFile(from, source, this.#aliases, isThere)
  }
}

/** The file of the project that an import leads to, by its path or by an alias of the compiler's; undefined for a package's. */
export function importedFile(
  from: string,
  source: string,
  aliases: readonly (readonly [alias: string, path: string])[],
  isThere: (path: string) => boolean,
): string | undefined {
  const folder = from.includes('/') ? from.slice(0, from.lastIndexOf('/') + 1) : ''
  if (source.startsWith('.')) return codeFileAt(pathIn(folder, source), isThere)
  for (const [alias, path] of aliases) {
    const found = source.startsWith(alias)
      ? codeFileAt(pathIn('', path + source.slice(alias.length)), isThere)
      : undefined
    if (found !== undefined) return found
  }
  return undefined
}

/** Tells whether a step is taken; undefined if that cannot be told. */
function isStepTaken(when: readonly Condition[] | undefined, { sets }: Program): boolean | undefined {
  const nodeEnv = sets.get('NODE_ENV')
  // Another place may give any text.
  const isOpen = sets.has('NODE_ENV') && nodeEnv === undefined
  if (when === undefined || (isOpen && when.length > 0)) return undefined
  return when.every(({ stage, negated }) => (nodeEnv === stage) !== negated)
}

function stepPlace({ path, text }: Module, start: number, end = start): Place {
  const { line, column } = lineAndColumn(text, start)
  return { file: path, line, column, endColumn: column + Math.max(end - start, 1) }
}

function inProject({ path, fromModule }: NamedFile, module: string): string {
  const folder = fromModule && module.includes('/') ? module.slice(0, module.lastIndexOf('/') + 1) : ''
  // A path that begins with a slash follows a folder's name here.
  return pathIn(folder, fromModule ? path.replace(/^\//, '') : path)
}

/** Tells whether an import runs the preload. */
function isOwnPreload(source: string): boolean {
  return source === 'mappa/preload'
}

/** Tells whether an import leads to a package that is neither Node's nor ours. */
function isPackageImport(source: string): boolean {
  return (
    !/^(?:\.|node:|virtual:|(?:mappa|@mappa\/\w+)(?:\/|$))/.test(source) &&
    !builtinModules.has(source.split('/')[0] ?? '')
  )
}

/** Modules of Node that people import without `node:`. */
const builtinModules: ReadonlySet<string> = new Set(
  'assert async_hooks buffer child_process cluster console constants crypto dgram diagnostics_channel dns domain events fs http http2 https inspector module net os path perf_hooks process punycode querystring readline repl stream string_decoder sys timers tls trace_events tty url util v8 vm wasi worker_threads zlib test sqlite'.split(
    ' ',
  ),
)
