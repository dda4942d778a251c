import { holdsCode } from '../code/parse.js'
import { Comparison } from './gets.js'
import { Packages } from './packages.js'
import { type ReadInStart, Runner } from './run-through.js'
import type { Load, Reader, Start, StartFiles } from './start.js'
import { startsOf } from './start-list.js'
import { changedCommand, stageOfStart } from './told.js'

/** A value that goes from one layer file to another. */
export interface MovedValue {
  readonly name: string
  readonly from: string
  readonly to: string
}

/** A start that would lose a value, since another reader takes it out of the file that it leaves, or get one that it has not. */
export interface LosingStart {
  readonly start: Start
  readonly moved: MovedValue
  /** The start's command with Mappa in it, which gives the value from its new file; undefined if no change is known to. */
  readonly changed: string | undefined
}

const readersOfProjects = new WeakMap<StartFiles, OtherReaders | 'none'>()

/**
 * The other readers of a project's starts, worked out once; undefined if a look at commands and the letters of code shows that it has
 * none that Mappa knows the reading of.
 */
export function knownReadersOf(files: StartFiles): OtherReaders | undefined {
  const found = readersOfProjects.get(files) ?? (mayHaveReaders(files) ? new OtherReaders(files) : 'none')
  readersOfProjects.set(files, found)
  return found === 'none' ? undefined : found
}

/** To go through every module takes long, so it is asked first whether there is a reason. */
function mayHaveReaders(files: StartFiles): boolean {
  const isKnown = (load: Load) => load.kind === 'files' && load.reader !== 'other'
  return (
    startsOf(files).some(({ program }) => program.loads.some(isKnown)) ||
    files.paths.some((path) => holdsCode(path) && files.read(path)?.includes('loadEnvFile'))
  )
}

/** The other readers of a project's starts, and what would be lost if values left their files. */
export class OtherReaders {
  readonly #all: readonly {
    readonly start: Start
    readonly loads: readonly Load[]
    readonly reads: readonly ReadInStart[]
    readonly names: ReadonlySet<string>
  }[]
  readonly #comparison: Comparison

  constructor(files: StartFiles) {
    const runner = new Runner(files)
    this.#comparison = new Comparison(files, new Packages(files))
    this.#all = startsOf(files).map((start) => {
      const run = runner.through(start.program)
      // What is behind the last read is what a read gets at most.
      const loads = run.reads.reduce(
        (most, each) => (each.loads.length > most.length ? each.loads : most),
        start.program.loads,
      )
      const all = run.unknown === undefined ? loads : [...loads, ...start.program.packages.map(asPackage)]
      return {
        start,
        loads: all,
        reads: run.reads,
        names: run.unknown === undefined ? new Set(run.reads.map(({ name }) => name)) : new Set(['*']),
      }
    })
  }

  /** Who reads a file, beside Mappa. */
  of(file: string): ReadonlySet<Reader | 'unknown'> {
    return new Set(this.readersOf(file).map(({ reader }) => reader))
  }

  /** Who reads a file, beside Mappa, and in which start. */
  readersOf(file: string): readonly { readonly reader: Reader | 'unknown'; readonly start: Start }[] {
    return this.#all.flatMap(({ start, loads }) => {
      const reader = this.#comparison.readerOf(file, loads)
      return reader === undefined ? [] : [{ reader, start }]
    })
  }

  /** The starts that would lose values, or get others. */
  losing(moved: readonly MovedValue[], stages: readonly string[], around: StageLayers): readonly LosingStart[] {
    return this.#all.flatMap(({ start, loads, names, reads }) =>
      moved.flatMap((each): LosingStart[] => {
        if (start.program.sets.has(each.name)) return []
        const own = reads.filter(({ name }) => name === each.name).map((read) => read.loads)
        // Code that cannot be followed may read it before everything else, or after.
        const moments = names.has('*') ? [...own, start.program.loads, loads] : own
        const taken = moments.map((past) =>
          [each.from, each.to].map((file) => this.#comparison.readerOf(file, past) !== undefined),
        )
        const loses = taken.some(([from, to]) => from && !to)
        const gains = taken.some(([from, to]) => !from && to)
        // Whenever it is read, another reader takes both files, or neither.
        if (!loses && !gains) return []
        if (!loses) return [{ start, moved: each, changed: undefined }]
        const stage = stageOfStart(start, stages) ?? 'development'
        const isReached = around.filesOf(stage).includes(each.to)
        const isOwn = start.form === 'script' && start.outer === 'known'
        const isSafe = isReached && isOwn && this.#staysWithLayers(start, reads, around.textsOf(stage))
        return [{ start, moved: each, changed: isSafe ? changedCommand(start) : undefined }]
      }),
    )
  }

  /** Tells whether each read gets from the layers what it gets now: else loading them would change another value. */
  #staysWithLayers(start: Start, reads: readonly ReadInStart[], texts: ReadonlyMap<string, string>): boolean {
    return reads.every((read) => {
      const text = texts.get(read.name)
      return (
        text === undefined || /^(?:same|set)$/.test(this.#comparison.gets(start, { name: read.name, text }, read).is)
      )
    })
  }
}

/** The layers of each stage, before values move. */
export interface StageLayers {
  readonly filesOf: (stage: string) => readonly string[]
  readonly textsOf: (stage: string) => ReadonlyMap<string, string>
}

function asPackage(source: string) {
  return { kind: 'package' as const, source, how: 'import' as const, files: [], certain: true }
}
