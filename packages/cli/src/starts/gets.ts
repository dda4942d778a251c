import { type Place, readLayer } from 'mappa'
import type { Packages } from './packages.js'
import { layerReaders } from './readers/readers.js'
import type { ReadInStart } from './run-through.js'
import type { Load, PackageLoad, Reader, Start, StartFiles } from './start.js'

/** What the layers of the start's stage say of a name. */
export interface Expected {
  readonly name: string
  /** Undefined if no layer gives it a value. */
  readonly text: string | undefined
  /** True for a switch: its text "false" is true to code that tests it. */
  readonly isSwitch?: boolean
}

/** What code gets of a name in a start, against what the layers of its stage give. */
export type Gets =
  | { readonly is: 'same' }
  /** The start sets it itself: undefined where another place gives the text. */
  | { readonly is: 'set'; readonly text: string | undefined }
  /** Another reader gives another text: `by` reads `file`. */
  | {
      readonly is: 'other'
      readonly by: string
      readonly file: string
      readonly reader: Reader
      readonly read: ReadInStart
    }
  /** Nothing gives it: `after` is what comes only after the read, `by` other readers that do not give it. */
  | {
      readonly is: 'lost'
      readonly read: ReadInStart
      readonly by: readonly Load[]
      readonly after: Load | undefined
    }
  | { readonly is: 'unknown'; readonly why: string; readonly read: ReadInStart | undefined }

/** Compares what a start's code gets with what the layers say. */
export class Comparison {
  readonly #files: StartFiles
  readonly #packages: Packages
  readonly #texts = new Map<string, ReadonlyMap<string, string | typeof untold>>()

  constructor(files: StartFiles, packages: Packages) {
    this.#files = files
    this.#packages = packages
  }

  /** What a read gets. Of several reads of a name the worst counts, which the caller chooses. */
  gets({ program }: Start, expected: Expected, read: ReadInStart): Gets {
    const { name, text } = expected
    if (program.sets.has(name)) {
      const own = program.sets.get(name)
      return own === text ? { is: 'same' } : { is: 'set', text: own }
    }
    const fillers = read.loads.flatMap((load) => this.#resolved(load, read.loads))
    const by: Load[] = []
    for (const load of fillers) {
      if (load.kind === 'mappa') return { is: 'same' }
      if (load.kind === 'files')
        for (const file of load.files) {
          const own = this.#textsOf(file, load.reader).get(name)
          if (own === undefined) continue
          if (own === text) return { is: 'same' }
          if (own === untold) return { is: 'unknown', why: `only ${load.by} can tell what ${file} gives`, read }
          return load.reader === 'other'
            ? { is: 'unknown', why: `${load.by} reads ${file} in its own way`, read }
            : { is: 'other', by: load.by, file, reader: load.reader, read }
        }
      else if (load.kind === 'unknown') {
        const isWithout = load.files?.every((file) => !this.#textsOf(file, 'other').has(name)) ?? false
        if (!isWithout) return { is: 'unknown', why: `${load.by} may set it`, read }
      }
      by.push(load)
    }
    if (text === undefined) return { is: 'same' }
    if (read.fallback !== undefined && read.fallback !== 'computed' && read.fallback.text === text)
      return { is: 'same' }
    const later = read.after.flatMap((load) => this.#resolved(load, read.after))
    const after = later.find((load) => this.#mayGive(load, name))
    return { is: 'lost', read, by: after ? by : [...by, ...later], after }
  }

  /** The reader that takes a file for a program, if one does before Mappa gives the values; `unknown` if it may. */
  readerOf(file: string, loads: readonly Load[]): Reader | 'unknown' | undefined {
    for (const load of loads.flatMap((each) => this.#resolved(each, loads))) {
      if (load.kind === 'mappa') return undefined
      if (load.kind === 'files' && load.files.includes(file)) return load.reader
      if (load.kind === 'unknown' && (load.files?.includes(file) ?? true)) return 'unknown'
    }
    return undefined
  }

  #mayGive(load: Exclude<Load, PackageLoad>, name: string): boolean {
    if (load.kind === 'mappa') return true
    return load.files?.some((file) => this.#textsOf(file, 'other').has(name)) ?? true
  }

  /** What a package's load comes to. */
  #resolved(load: Load, all: readonly Load[]): readonly Exclude<Load, PackageLoad>[] {
    if (load.kind !== 'package') return [load]
    const { source, how, files, certain, place } = load
    const by = source.replace(/^.*node_modules\/((?:@[^/]+\/)?[^/]+)\/.*$/, '$1')
    const reading = this.#packages.readingOf(source)
    if (reading === 'no') return []
    const isCalled = all.some((each) => each.kind === 'package' && each.source === source && each.how === 'call')
    if (how === 'import' && reading === 'on-call' && isCalled) return []
    if (how === 'call' && reading === 'on-import') return []
    const unknown = { kind: 'unknown' as const, by, files: files?.length ? files : undefined, place }
    if (reading === 'unknown' || !certain || files === undefined || (how === 'import' && reading === 'on-call'))
      return [unknown]
    const own = files.length > 0 ? files : ['.env']
    if (files.length === 0 && this.#packages.readsFamily(source)) return [unknown]
    return [{ kind: 'files', reader: 'other', by, files: own, place }]
  }

  #textsOf(file: string, reader: Reader): ReadonlyMap<string, string | typeof untold> {
    const key = `${reader}\0${file}`
    const known = this.#texts.get(key) ?? this.#read(file, reader)
    this.#texts.set(key, known)
    return known
  }

  /** What a reader makes of a file. The Node that runs this is asked itself. */
  #read(file: string, reader: Reader): ReadonlyMap<string, string | typeof untold> {
    const text = this.#files.read(file) ?? ''
    if (reader === 'node') return this.#files.readAsNode(text)
    if (reader !== 'other') {
      const [read] = layerReaders[reader].versions
      const { values } = read(text, new Map())
      return new Map([...values].map(([name, value]) => [name, value ?? untold]))
    }
    const layer = readLayer(text)
    return new Map(layer.names().map((name) => [name, layer.get(name) ?? '']))
  }
}

/** A value that the text of a file does not tell. */
const untold = Symbol('untold')

/** The place where a load stands, for a sentence: `server.js:3`. */
export function inBrackets(place: Place | undefined): string {
  return place === undefined ? '' : ` (${place.file}:${place.line})`
}
