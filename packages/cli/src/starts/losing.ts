import { Comparison } from './gets.js'
import { Packages } from './packages.js'
import { Runner } from './run-through.js'
import type { Reader, Start, StartFiles } from './start.js'
import { startsOf } from './starts.js'
import { changedCommand, stageOfStart } from './told.js'

/** A value that goes from one layer file to another. */
export interface MovedValue {
  readonly name: string
  readonly from: string
  readonly to: string
}

/** A start that would lose a value, since another reader takes it out of the file that it leaves. */
export interface LosingStart {
  readonly start: Start
  readonly moved: MovedValue
  /** The start's command with Mappa in it, which gives the value from its new file; undefined if no change is known to. */
  readonly changed: string | undefined
}

/** The other readers of a project's starts, and what would be lost if values left their files. */
export class OtherReaders {
  readonly #all: readonly {
    readonly start: Start
    readonly loads: Parameters<Comparison['readerOf']>[1]
    readonly names: ReadonlySet<string>
  }[]
  readonly #comparison: Comparison

  constructor(files: StartFiles) {
    const runner = new Runner(files)
    this.#comparison = new Comparison(files, new Packages(files))
    this.#all = startsOf(files).map((start) => {
      const run = runner.through(start.program, start.program.sets.get('NODE_ENV'))
      // What is behind the last read is what a read gets at most.
      const loads = run.reads.reduce(
        (most, each) => (each.loads.length > most.length ? each.loads : most),
        start.program.loads,
      )
      const all = run.unknown === undefined ? loads : [...loads, ...start.program.packages.map(asPackage)]
      return {
        start,
        loads: all,
        names: run.unknown === undefined ? new Set(run.reads.map(({ name }) => name)) : new Set(['*']),
      }
    })
  }

  /** Who reads a file, beside Mappa. */
  of(file: string): ReadonlySet<Reader | 'unknown'> {
    return new Set(this.#all.flatMap(({ loads }) => this.#comparison.readerOf(file, loads) ?? []))
  }

  /** The starts that would lose values; `layersOf` names the layer files of a stage. */
  losing(
    moved: readonly MovedValue[],
    stages: readonly string[],
    layersOf: (stage: string) => readonly string[],
  ): readonly LosingStart[] {
    return this.#all.flatMap(({ start, loads, names }) =>
      moved.flatMap((each): LosingStart[] => {
        const isRead = names.has(each.name) || names.has('*')
        if (!isRead || start.program.sets.has(each.name) || this.#comparison.readerOf(each.from, loads) === undefined)
          return []
        const isReached = layersOf(stageOfStart(start, stages) ?? 'development').includes(each.to)
        const isOwn = start.form === 'script' && start.outer === 'known'
        return [{ start, moved: each, changed: isReached && isOwn ? changedCommand(start) : undefined }]
      }),
    )
  }
}

function asPackage(source: string) {
  return { kind: 'package' as const, source, how: 'import' as const, files: [], certain: true }
}
