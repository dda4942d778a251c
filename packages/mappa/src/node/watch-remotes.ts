import { asLegend } from '../legend/check.js'
import type { Legend } from '../legend/legend.js'
import type { Settings } from '../legend/types.js'
import { type Change, changesBetween } from '../settle/changes.js'
import type { Fault } from '../settle/faults/faults.js'
import { type Layer, layerFromValues } from '../settle/stack/layer.js'
import { type Survey, surveyLayersAsync } from '../settle/survey.js'
import { path } from './files/builtins.js'
import { loadLegendAnew } from './legends/legend-anew.js'
import { type Gathered, type OpenSource, rootOf, startWaiting, type WaitingOptions } from './machine.js'
import { askTwice, lostFault, type RemoteSource, remoteFault, timeoutUsual, withinLimits } from './remotes/asking.js'
import { checkedTexts } from './remotes/remote.js'
import { keepOrigins } from './tell.js'
import { mustWatch, type Watching, watchFiles } from './watch.js'

/** Options of {@link watchAsync}. */
export interface WatchOptions extends WaitingOptions {
  /** The legend's file, absolute or from the root: it is read again when it changes. What it imports is not. */
  readonly legendFile?: string
  /** Milliseconds after which a source is asked again that does not tell by itself. 100 to 86,400,000; 30,000 by default. */
  readonly every?: number
  /**
   * Called when a source is lost, and with none when all answer again. Meanwhile the values that it gave last are kept, so
   * that nothing stops. A fault names the source, and neither its address nor its token.
   */
  readonly onLost?: (faults: readonly Fault[]) => void
}

/** Something that goes on until it is closed. */
export interface WatchingRemotes<E> extends Watching<E> {
  /** The last settings that were right; undefined while there have been none. */
  readonly settings: Settings<E> | undefined
  /** Sources that do not answer now, and whose last values are kept. */
  readonly lost: readonly Fault[]
}

const everyUsual = 30_000

/**
 * Watches this machine's layers, remote sources and, if it is named, the legend's file. Resolves once all sources have been
 * asked; what is wrong is in the survey, and nothing throws. `onChange` is called as that of {@link watch}: with settings only
 * if all of them are right, so that a faulty value changes nothing anywhere but in what is said of it.
 *
 * ```ts
 * const watching = await watchAsync(definition, { from: import.meta.url, remotes: [store] }, (found, changes) => {
 *   if (found.ok) scales.pause = found.settings.pause
 *   else for (const { message } of found.faults) console.error(message)
 * })
 * ```
 */
export async function watchAsync<E>(
  given: Legend<E>,
  options: WatchOptions,
  onChange: (found: Survey<Settings<E>>, changes: readonly Change[]) => void,
): Promise<WatchingRemotes<E>> {
  mustWatch(given, options, onChange, 'watchAsync')
  const watched = new Watched(asLegend(given) as Legend<E>, options, onChange)
  await watched.start()
  return watched
}

/** A source as it is followed. */
interface Followed {
  readonly source: RemoteSource
  readonly stop: AbortController
  /** Its last values; undefined before the first answer. */
  texts: Readonly<Record<string, string | undefined>> | undefined
  fault: Fault | undefined
}

class Watched<E> implements WatchingRemotes<E> {
  readonly #options: WatchOptions
  readonly #onChange: (found: Survey<Settings<E>>, changes: readonly Change[]) => void
  readonly #root: string
  readonly #every: number
  readonly #timeout: number
  readonly #legendFile: string | undefined
  readonly #followed = new Map<unknown, Followed>()
  #definition: Legend<E>
  #legendFault: Fault | undefined
  #survey: Survey<Settings<E>> | undefined
  #good: Survey<Settings<E>> | undefined
  #files: readonly string[] = []
  #closeFiles = () => {}
  #lostBefore = '[]'
  /** True if something has changed since the last reading began. */
  #isStale = false
  #isLegendStale = false
  #reading: Promise<void> | undefined
  #isClosed = false

  constructor(
    definition: Legend<E>,
    options: WatchOptions,
    onChange: (found: Survey<Settings<E>>, changes: readonly Change[]) => void,
  ) {
    this.#definition = definition
    this.#options = options
    this.#every = withinLimits('every', options.every, everyUsual)
    this.#timeout = withinLimits('timeout', options.timeout, timeoutUsual)
    this.#onChange = onChange
    this.#root = rootOf(options)
    this.#legendFile = options.legendFile === undefined ? undefined : path.resolve(this.#root, options.legendFile)
  }

  get survey(): Survey<Settings<E>> {
    return this.#survey as Survey<Settings<E>>
  }

  get settings(): Settings<E> | undefined {
    return this.#good?.settings
  }

  get lost(): readonly Fault[] {
    return [...this.#followed.values()].flatMap(({ texts, fault }) => (texts && fault ? [fault] : []))
  }

  async start(): Promise<void> {
    await this.#read()
    this.#closeFiles = watchFiles(
      () => [...this.#files, ...(this.#legendFile === undefined ? [] : [this.#legendFile])],
      () => this.#again(true),
    )
  }

  close(): void {
    this.#isClosed = true
    this.#closeFiles()
    for (const { stop } of this.#followed.values()) stop.abort()
  }

  /** Reads again, one reading after the other; several changes during one are one. */
  #again(withLegend = false): void {
    if (this.#isClosed) return
    this.#isStale = true
    this.#isLegendStale ||= withLegend
    this.#reading ??= this.#readAgain()
  }

  async #readAgain(): Promise<void> {
    try {
      while (this.#isStale && !this.#isClosed) {
        this.#isStale = false
        if (this.#isLegendStale) await this.#readLegend()
        await this.#read()
      }
    } finally {
      this.#reading = undefined
    }
  }

  async #readLegend(): Promise<void> {
    this.#isLegendStale = false
    if (this.#legendFile === undefined) return
    const loaded = await loadLegendAnew(this.#legendFile)
    this.#legendFault = 'fault' in loaded ? loaded.fault : undefined
    if ('definition' in loaded) this.#definition = asLegend(loaded.definition) as unknown as Legend<E>
  }

  async #read(): Promise<void> {
    const definition = this.#definition
    const start = await startWaiting(this.#root, definition, this.#options)
    const layers = await this.#layersOf(start.sources)
    const gathered: Gathered = start.gathered(layers)
    this.#files = gathered.files
    const faults = [...(gathered.faults ?? []), ...(this.#legendFault ? [this.#legendFault] : [])]
    const found = await surveyLayersAsync(definition, { ...gathered, faults })
    if (this.#isClosed) return
    const before = this.#survey
    this.#survey = found
    const changes = found.ok && before ? changesBetween(this.#good ?? before, found) : []
    if (found.ok) {
      this.#good = found
      // Only the first is a start; what changes later goes to `onChange`.
      if (found.settings) keepOrigins(found.settings as object, found, this.#root, before === undefined)
    }
    if (before && (changes.length > 0 || JSON.stringify(found.faults) !== JSON.stringify(before.faults)))
      this.#onChange(found, changes)
    this.#tellLost()
  }

  #tellLost(): void {
    const lost = JSON.stringify(this.lost)
    if (lost === this.#lostBefore) return
    this.#lostBefore = lost
    this.#options.onLost?.(this.lost)
  }

  /** The layers of sources: asked for those that are new, and the last answer for all others. */
  async #layersOf(sources: readonly OpenSource[]): Promise<Layer[]> {
    const keys = new Set(sources.map(({ key }) => key))
    for (const [key, { stop }] of this.#followed)
      if (!keys.has(key)) {
        stop.abort()
        this.#followed.delete(key)
      }
    const all = await Promise.all(
      sources.map(({ key, source }) => this.#followed.get(key) ?? this.#follow(key, source)),
    )
    return all.map(({ source, texts, fault }) => {
      const layer = layerFromValues(source.name, texts ?? {}, { source: 'remote' })
      return texts || !fault ? layer : { ...layer, faults: [fault] }
    })
  }

  async #follow(key: unknown, source: RemoteSource): Promise<Followed> {
    const followed: Followed = { source, stop: new AbortController(), texts: undefined, fault: undefined }
    await this.#ask(followed)
    if (this.#isClosed) return followed
    this.#followed.set(key, followed)
    const { signal } = followed.stop
    if (source.follow)
      source.follow({
        signal,
        onChange: (texts) => this.#receive(followed, texts),
        onLost: (error) => this.#receive(followed, undefined, error),
      })
    else {
      let isAsked = false
      const timer = setInterval(async () => {
        // A slow one is not asked once more meanwhile, nor does what it says late undo what it said since.
        if (isAsked) return
        isAsked = true
        const before = JSON.stringify([followed.texts, followed.fault])
        await this.#ask(followed)
        isAsked = false
        if (!signal.aborted && JSON.stringify([followed.texts, followed.fault]) !== before) this.#again()
      }, this.#every)
      timer.unref()
      signal.addEventListener('abort', () => clearInterval(timer), { once: true })
    }
    return followed
  }

  #receive(followed: Followed, given: unknown, error?: unknown): void {
    if (followed.stop.signal.aborted) return
    const before = JSON.stringify([followed.texts, followed.fault])
    take(followed, () => {
      if (given === undefined) throw error
      return given
    })
    if (JSON.stringify([followed.texts, followed.fault]) !== before) this.#again()
  }

  async #ask(followed: Followed): Promise<void> {
    const { source } = followed
    try {
      const values = await askTwice((signal) => source.load({ signal }), this.#timeout)
      take(followed, () => values)
    } catch (error) {
      take(followed, () => {
        throw error
      })
    }
  }
}

/** Keeps what a source gave last when it gives nothing that can be taken. */
function take(followed: Followed, values: () => unknown): void {
  try {
    followed.texts = checkedTexts(values())
    followed.fault = undefined
  } catch (error) {
    followed.fault = (followed.texts ? lostFault : remoteFault)(followed.source, error)
  }
}
