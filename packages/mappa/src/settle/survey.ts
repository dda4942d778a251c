import { isAccepted } from '../legend/accepted.js'
import { asLegend } from '../legend/check.js'
import { hides } from '../legend/entry.js'
import type { Legend } from '../legend/legend.js'
import type { Settings } from '../legend/types.js'
import { explain } from './explain/explain.js'
import { noticesOf } from './explain/notices.js'
import type { Fault, Notice } from './faults/faults.js'
import { mustBeSources } from './given-sources.js'
import type { Problem } from './reading/read.js'
import {
  type AcceptedOccurrence,
  type Given,
  givenIn,
  type Reading,
  readSources,
  type Sources,
} from './reading/read.js'
import { secrecyOf } from './reading/secrecy.js'
import { assemble } from './reading/settings.js'
import { namesOf } from './stack/key-lines.js'
import type { Layer } from './stack/layer.js'
import type { Stage } from './stack/stage.js'
import { type Trail, trailOf } from './trail.js'
import { answerOf } from './value/seen.js'

/**
 * What layers come to: the settings, or what is wrong with them; and where each value is from. Where `ok` is true, there are
 * settings.
 */
export type Survey<S = unknown> = SurveyParts & Outcome<S>

/** Settings that are typed and frozen, or none where there are faults. */
type Outcome<S> = { readonly ok: true; readonly settings: S } | { readonly ok: false; readonly settings: undefined }

/** Other parts of a survey. */
interface SurveyParts {
  readonly stage: Stage
  /** The layers that were laid over each other, lowest first. */
  readonly layers: readonly Layer[]
  readonly faults: readonly Fault[]
  readonly notices: readonly Notice[]
  /** Accepted faults and notices that occurred, each with its variable. */
  readonly accepted: readonly AcceptedOccurrence[]
  /** Where layer files were looked for, if they were. */
  readonly root: string | undefined
  /** Sources that might give values and were not asked, by their names. */
  readonly notAsked: readonly string[]
  /** The trail of every variable that the legend declares or a layer file sets. */
  readonly trails: ReadonlyMap<string, Trail>
  /** The trail of any name, also of one that nothing sets. */
  trail(name: string): Trail
  /**
   * A text with the texts of all known secrets masked, in any spelling that they travel in: for what is logged or shown
   * beside these settings. Secrets of fewer than 8 bytes are not searched for.
   */
  mask(text: string): string
  /** The names of the secrets whose texts are in a text, in any spelling; empty if none does. */
  secretsIn(text: string): readonly string[]
  /**
   * Where secrets are in a text or in the bytes of a file, in any spelling, in order. Offsets of a text are in UTF-16 code
   * units, those of a file in bytes.
   */
  secretPlaces(source: string | Uint8Array): readonly { readonly name: string; readonly start: number }[]
  /** Text by name as a child process gets it: every entry and every name in a layer file, defaults included. */
  readonly texts: ReadonlyMap<string, string>
  /** Those texts with the kind of source that gives each. */
  readonly given: readonly Given[]
}

/** Thrown by `settle`: names every fault, each with its place. */
export class SettleError extends Error {
  override readonly name = 'SettleError'
  declare readonly stage: Stage
  declare readonly faults: readonly Fault[]

  /** @internal */
  constructor(message: string, stage: Stage, faults: readonly Fault[]) {
    super(message)
    // Not enumerable: an uncaught error would print them a second time below its message.
    Object.defineProperties(this, { name: { enumerable: false }, stage: { value: stage }, faults: { value: faults } })
  }
}

/**
 * Lays layers over each other and reads them through a legend; reports, and never throws for what it finds.
 * Without a legend everything is text, and everything is treated as secret.
 */
export function surveyLayers<E>(given: Legend<E> | undefined, sources: Sources): Survey<Settings<E>> {
  mustBeSources(sources, 'surveyLayers')
  const definition = asLegend(given)
  const reading = sources.thorough ? searched(readSources(definition, sources)) : readSources(definition, sources)
  const found = new Findings<Settings<E>>(reading, reading.sound ? [] : explain(definition, sources, reading), sources)
  return found as unknown as Survey<Settings<E>>
}

/** A reading in which a value that may reach a browser is at fault if it contains the text of a secret. */
function searched(reading: Reading): Reading {
  const problems = reading.settings.flatMap(({ name, entry, text, value }): Problem[] => {
    if (entry.reach !== 'browser' || hides(entry) || text === undefined) return []
    const winner = reading.stack.find(name)
    const found = secrecyOf(reading).secretsIn(`${text}\n${JSON.stringify(value)}`)
    return found.length > 0 && winner
      ? [{ name, entry, breach: 'secret-in-browser', winner, clearedBy: undefined, found }]
      : []
  })
  return problems.length === 0 ? reading : { ...reading, problems: [...reading.problems, ...problems], sound: false }
}

/** The same, waiting for what asynchronous schemas say of their values. */
export async function surveyLayersAsync<E>(
  given: Legend<E> | undefined,
  sources: Sources,
): Promise<Survey<Settings<E>>> {
  mustBeSources(sources, 'surveyLayersAsync')
  const { waiting } = readSources(asLegend(given), sources)
  if (waiting.length === 0) return surveyLayers(given, sources)
  const answers = await Promise.all(waiting.map(async ({ name, promise }) => [name, await answerOf(promise)] as const))
  return surveyLayers(given, { ...sources, answers: new Map(answers) })
}

/** The reading of each survey, for code that needs more of it. */
const readings = new WeakMap<object, Reading>()

/** @throws {TypeError} if it is not a survey, but a copy of one. */
export function readingOf(found: Survey): Reading {
  const reading = readings.get(found)
  if (!reading) throw new TypeError('It takes a survey, not a copy of one.')
  return reading
}

/** A survey whose slower parts are computed only when they are looked at. */
class Findings<S> implements SurveyParts {
  readonly #reading: Reading
  readonly #surroundings: Sources['surroundings']
  #settings: S | undefined
  #texts: ReadonlyMap<string, string> | undefined
  #notices: readonly Notice[] | undefined
  #accepted: readonly AcceptedOccurrence[] | undefined
  #trails: ReadonlyMap<string, Trail> | undefined
  readonly #made = new Map<string, Trail>()
  readonly ok: boolean
  readonly faults: readonly Fault[]
  readonly notAsked: readonly string[]
  readonly root: string | undefined

  constructor(reading: Reading, faults: readonly Fault[], { surroundings, notAsked = [], root }: Sources) {
    this.root = root
    this.notAsked = notAsked.map(({ layer = '' }) => layer)
    this.#reading = reading
    readings.set(this, reading)
    this.#surroundings = surroundings
    this.faults = faults.map((fault) => secrecyOf(reading).veiled(fault))
    this.ok = reading.sound
  }

  get stage() {
    return this.#reading.stage
  }

  get layers() {
    return this.#reading.layers
  }

  get texts() {
    this.#texts ??= new Map(this.given.map(({ name, text }) => [name, text]))
    return this.#texts
  }

  get settings() {
    if (this.ok) this.#settings ??= assemble(this.#reading.settings, this.stage) as S
    return this.#settings
  }

  get notices() {
    this.#sortNotices()
    return this.#notices as readonly Notice[]
  }

  get accepted() {
    this.#sortNotices()
    return this.#accepted as readonly AcceptedOccurrence[]
  }

  #sortNotices() {
    if (this.#notices) return
    const { definition, accepted } = this.#reading
    const all = [...noticesOf(this.#reading), ...(this.#surroundings?.() ?? [])]
    const open = all.filter(({ kind, name }) => !isAccepted(definition?.accepted, kind, [name]))
    this.#notices = open.map((notice) => secrecyOf(this.#reading).veiled(notice))
    this.#accepted = [
      ...accepted,
      ...all.filter((notice) => !open.includes(notice)).map(({ kind, name }) => ({ kind, name })),
    ]
  }

  get trails() {
    const { layers, entries } = this.#reading
    const named = layers.filter(({ source }) => source !== 'environment').flatMap((layer) => namesOf(layer, entries))
    this.#trails ??= new Map([...new Set([...entries.keys(), ...named])].map((name) => [name, this.trail(name)]))
    return this.#trails
  }

  get given() {
    return givenIn(this.#reading)
  }

  trail(name: string) {
    let trail = this.#made.get(name)
    if (!trail) {
      trail = trailOf(name, this.#reading)
      this.#made.set(name, trail)
    }
    return trail
  }

  mask(text: string) {
    return secrecyOf(this.#reading).mask(text)
  }

  secretsIn(text: string) {
    return secrecyOf(this.#reading).namesIn(text)
  }

  secretPlaces(source: string | Uint8Array) {
    return secrecyOf(this.#reading).placesIn(source)
  }

  /** The printed form, also with hidden members and getters: its findings, and no text. */
  [Symbol.for('nodejs.util.inspect.custom')]() {
    return { stage: this.stage, ok: this.ok, faults: this.faults }
  }
}
