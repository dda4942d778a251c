import type { LayerFlaw } from '../../format/flaws.js'
import { type AssignmentRange, type IsHidden, type ParsedValue, readValues } from '../../format/values.js'
import type { Fault } from '../faults/faults.js'
import type { Texts } from './stage.js'

/** The kind of a layer's source. */
export type LayerSource = keyof typeof layerSources

/** Facts about a kind of layer. */
interface SourceFacts {
  /** How a run marks it for child processes: they read it again, or it was asked for them. */
  readonly marked?: 'read' | 'asked'
  /** True if only this machine fills it, so that what it names may be anywhere. */
  readonly ownMachine?: true
  /** The label of its remedy. */
  readonly remedy: 'Write' | 'Set'
}

/** The kinds of layers, each with what holds of it; where each stands is in `node/layers/layer-order.ts`. */
export const layerSources = {
  file: { marked: 'read', remedy: 'Write' },
  directory: { marked: 'read', remedy: 'Set' },
  remote: { marked: 'asked', remedy: 'Set' },
  environment: { ownMachine: true, remedy: 'Set' },
  'command-line': { ownMachine: true, remedy: 'Set' },
  given: { ownMachine: true, remedy: 'Set' },
} as const satisfies Readonly<Record<string, SourceFacts>>

/** The facts about a kind of layer, in one shape. */
export function sourceFacts(source: LayerSource): SourceFacts {
  return layerSources[source]
}

/** One source of text values. Layers are given lowest first: a later one hides an earlier one. */
export interface Layer {
  /** Its name in reports: `.env.staging`, `the process environment`. For a file, its path from the root. */
  readonly name: string
  readonly source: LayerSource
  /** The text it was read from, for places; only a file has one. */
  readonly text?: string
  /** True if it belongs to this machine only (`.env.local`). */
  readonly local?: boolean
  /** True if it belongs to one stage only (`.env.staging`). */
  readonly staged?: boolean
  readonly flaws: readonly LayerFlaw[]
  /** Faults of making the layer. */
  readonly faults?: readonly Fault[]
  /** The text of a name; with `back`, as it is so many assignments before the last one. Only layer files have such. */
  get(name: string, back?: number): string | undefined
  /** Every name once. */
  names(): Iterable<string>
  /**
   * Visits names and texts in order; of a repeated name the last one counts. `dollar` says that a text may expand. Names that
   * are `hidden` may be left out.
   */
  each(visit: (name: string, text: string, dollar: boolean) => void, hidden?: IsHidden): void
  /** The parts of a text that may expand. Only layer files have such. */
  parsed?(name: string, back?: number): ParsedValue | undefined
  /** The assignments of a name, in order: all, or the last few. Only layer files have such. */
  ranges?(name: string, most?: number): readonly AssignmentRange[]
  /** The printed form of a layer, without its text, which may hold secrets. */
  toJSON?(): unknown
  /** Tells whether a comment behind a name's value keeps it: `# mappa keep: reason`. Only layer files have such. */
  isKept?(name: string): boolean
  /** The file that holds a name's text alone, path from the root; only directories of one-value files have such. */
  fileOf?(name: string): string
}

/** Facts about a layer beside its values. */
export type LayerOptions = Pick<Layer, 'local' | 'staged' | 'fileOf'> & { readonly source?: LayerSource }

/**
 * A layer from layer text.
 *
 * ```ts
 * const layer = layerFromText('.env', 'COLLECTOR_PORT=4100\n')
 * ```
 */
export function layerFromText(name: string, text: string, options: LayerOptions = {}): Layer {
  if (typeof text !== 'string') throw new TypeError('layerFromText takes a name and a text.')
  const values = readValues(text)
  const { source = 'file', local, staged, fileOf } = options
  const layer = {
    source,
    name,
    get flaws() {
      return values.flaws
    },
    get: (variable, back) => values.get(variable, back),
    names: () => values.names(),
    each: (visit, hidden) => values.each(visit, hidden),
    parsed: (variable, back) => values.parsed(variable, back),
    ranges: (variable, most) => values.ranges(variable, most),
    isKept: (variable) => keepWords.test(values.behind(variable)),
    toJSON: withoutText,
    [Symbol.for('nodejs.util.inspect.custom')]: withoutText,
  } as { -readonly [Word in keyof Layer]: Layer[Word] }
  // By themselves: what is spread into an object makes it a slow one, at each start for each layer.
  if (local !== undefined) layer.local = local
  if (staged !== undefined) layer.staged = staged
  if (fileOf !== undefined) layer.fileOf = fileOf
  // Printers that list members, such as tables, skip it.
  return Object.defineProperty(layer, 'text', { value: text })
}

/** Keeps an undeclared name, and says why. */
const keepWords = /^[ \t]+#[ \t]*mappa keep:[ \t]*\S/

/** Copies of a layer keep it, so it looks at the one that it is asked of. */
function withoutText(this: Layer): object {
  const { name, source, local, staged } = this
  return { name, source, ...(local && { local }), ...(staged && { staged }) }
}

/** A layer from texts by name, such as a process environment; read when asked, so a large one costs nothing. */
export function layerFromValues(name: string, values: Texts, options: LayerOptions = {}): Layer {
  if (typeof values !== 'object' || values === null)
    throw new TypeError('layerFromValues takes a name and an object of texts.')
  return {
    source: 'given',
    ...options,
    name,
    flaws: [],
    // One look-up only, since each asks the system; what an object inherits is not a text.
    get(variable) {
      const text: unknown = values[variable]
      return typeof text === 'string' ? text : undefined
    },
    names: () => Object.keys(values),
    each(visit) {
      for (const name of Object.keys(values)) {
        const text = values[name]
        if (text !== undefined) visit(name, text, false)
      }
    },
  }
}
