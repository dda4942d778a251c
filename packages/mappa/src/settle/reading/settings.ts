import { credentialsIn, withoutCredentials } from '../../leak/credentials.js'
import { Needles } from '../../leak/needles.js'
import { masked } from '../../leak/ranges.js'
import { type AnyEntry, fixedAt, hides, placeOf, reachesBrowser } from '../../legend/entry.js'
import { must, whatIs } from '../../legend/given.js'
import { mask } from '../../legend/mask.js'
import type { LayerSource } from '../stack/layer.js'
import type { Stage } from '../stack/stage.js'
import { saidBy } from '../value/said.js'
import { witness } from './witness.js'

/** A setting ready to be put in its place. */
export interface Setting {
  readonly name: string
  readonly value: unknown
  readonly entry: AnyEntry
  /** The text that the value was read from, if there is a value. */
  readonly text: string | undefined
  readonly source: LayerSource | 'default'
}

/** Node's `util.inspect` looks for this; registered globally, so the core needs no import for it. */
const inspected = Symbol.for('nodejs.util.inspect.custom')

/** For each group of settings, its secrets' masks, so that printing and `reveal` know them. */
const maskedBy = new WeakMap<object, Map<string, string>>()
/** The same for values that hold a secret or a password within. */
const coveredBy = new WeakMap<object, Map<string, () => unknown>>()

const stages = new WeakMap<object, Stage>()

/** For settings as a whole, what a page takes of them when it is served. */
const pages = new WeakMap<object, Readonly<Record<string, unknown>>>()

type Group = Record<string, unknown>

/** The prototype of every group of settings, which prints it masked. */
const printing = Object.freeze(
  Object.create(Object.prototype, {
    toJSON: { value: maskedCopy },
    [inspected]: {
      value(this: Group, _depth: number, _options: unknown, inspect?: (value: unknown, options: unknown) => string) {
        const copy = maskedCopy.call(this)
        return inspect ? inspect(copy, _options) : copy
      },
    },
  }),
)

/** A shorter text is found everywhere. Characters. */
const textMin = 8

/** Covers secrets within other values: the text of one that the legend declares, and a password in an address. */
class Covers {
  readonly #texts: readonly string[]
  #needles: Needles<string> | undefined

  constructor(settings: readonly Setting[]) {
    this.#texts = settings.flatMap(({ entry, text }) =>
      text !== undefined && text.length >= textMin && hides(entry) ? [text] : [],
    )
  }

  /** Tells whether a value is to be covered. Every start asks. */
  hasWithin(text: string): boolean {
    if (this.#texts.some((each) => text.includes(each))) return true
    return text.includes('://') && text.includes('@') && credentialsIn(text, false).length > 0
  }

  /** The value with whatever is secret in it masked; one of a class, which a `read` made, as a whole. */
  over(value: unknown): unknown {
    if (typeof value === 'string') return withoutCredentials(this.#all().mask(value), false)
    if (Array.isArray(value)) return value.map((each) => this.over(each))
    if (typeof value !== 'object' || value === null) return typeof value === 'number' ? value : masked
    if (Object.getPrototypeOf(value) !== Object.prototype && Object.getPrototypeOf(value) !== null) return masked
    return Object.fromEntries(Object.entries(value).map(([key, each]) => [key, this.over(each)]))
  }

  #all(): Needles<string> {
    if (!this.#needles) {
      this.#needles = new Needles()
      for (const text of this.#texts) this.#needles.add(text, '')
    }
    return this.#needles
  }
}

/**
 * Settings from their parts: nested by place and frozen. Secrets, and values that hold one, are not enumerable, so that copying
 * spreads none. Reading an `absent` one throws.
 */
export function assemble(settings: readonly Setting[], stage: Stage, absent?: ReadonlySet<string>): object {
  const groups = new Map<string, Group>()
  const root = newGroup()
  const page: Record<string, unknown> = Object.create(null)
  const covers = new Covers(settings)
  const watched = witness()?.settled(stage.name)
  for (const { name, value, entry, text, source } of settings) {
    if (reachesBrowser(entry) && fixedAt(entry) === 'start' && !hides(entry)) page[name] = value
    const isCovered = text !== undefined && !hides(entry) && covers.hasWithin(text)
    const get = watched ? noting(value, (getter) => watched(name, text, source, isCovered, getter)) : () => value
    if (entry.as === undefined && !hides(entry) && !isCovered && !absent?.has(name) && !watched) {
      root[name] = value
      continue
    }
    const steps = placeOf(name, entry)
    let group = root
    for (let depth = 1; depth < steps.length; depth++) {
      const path = steps.slice(0, depth).join('.')
      let next = groups.get(path)
      if (!next) {
        next = newGroup()
        groups.set(path, next)
        Object.defineProperty(group, steps[depth - 1] as string, { value: next, enumerable: true })
      }
      group = next
    }
    const key = steps[steps.length - 1] as string
    // No place is one that a prototype could catch, so the plain way, which is much the fastest, will do.
    if (absent?.has(name)) Object.defineProperty(group, key, { get: () => refuse(name), enumerable: false })
    else if (isCovered) {
      Object.defineProperty(group, key, { get, enumerable: false })
      coveredBy.get(group)?.set(key, () => covers.over(value))
    } else if (!hides(entry) || value === undefined) {
      if (watched) {
        Object.defineProperty(group, key, { get, enumerable: true })
        coveredBy.get(group)?.set(key, () => value)
      } else group[key] = value
    } else {
      // A getter, since what prints hidden members shows that there is one, and asks for nothing.
      Object.defineProperty(group, key, { get, enumerable: entry.secret !== true })
      maskedBy.get(group)?.set(key, mask(saidBy(value), entry))
    }
  }
  for (const group of groups.values()) Object.freeze(group)
  stages.set(root, stage)
  pages.set(root, page)
  return Object.freeze(root)
}

/**
 * The stage that settings were settled for, and who named it.
 * @throws {TypeError} if these are not settings as `settle` gives them.
 */
export function stageOf(settings: object): Stage {
  const stage = stages.get(settings)
  if (!stage) throw new TypeError('stageOf takes settings from settle, not a part or a copy of them.')
  return stage
}

/** The texts of the secrets of settings. */
export function secretTextsIn(settings: object): readonly string[] {
  const texts: string[] = []
  copyOf(
    settings as Group,
    (_, value) => texts.push(saidBy(value)),
    (_, value) => value,
  )
  return texts
}

/** Settings that a page gets when it is served, by variable name. */
export function pageValuesIn(settings: object): Readonly<Record<string, unknown>> {
  const values = pages.get(settings)
  if (!values) throw new TypeError('A page takes settings from settle, not a part or a copy of them.')
  return values
}

/** True while settings are printed, which is no use of them. */
let isPrinting = false

/** A getter of a program that is watched. */
function noting(value: unknown, note: (getter: () => unknown) => void): () => unknown {
  const get = () => {
    if (!isPrinting) note(get)
    return value
  }
  return get
}

function refuse(name: string): never {
  throw new TypeError(`The test reads ${name}, but was given no value for it.`)
}

function newGroup(): Group {
  const group = Object.create(printing) as Group
  maskedBy.set(group, new Map())
  coveredBy.set(group, new Map())
  return group
}

function maskedCopy(this: Group): Group {
  isPrinting = true
  try {
    return copyOf(
      this,
      (mask) => mask,
      (cover) => cover(),
    )
  } finally {
    isPrinting = false
  }
}

/**
 * A plain copy of settings with the text of their secrets in it. The copy prints what it holds: use it only to hand
 * values on, never to print or log.
 */
export function reveal<S extends object>(settings: S): S {
  must(typeof settings === 'object' && settings !== null, `reveal takes settings, but got ${whatIs(settings)}.`)
  const own = (_: unknown, value: unknown) => value
  return copyOf(settings as unknown as Group, own, own) as S
}

function copyOf(
  group: Group,
  secret: (mask: string, value: unknown) => unknown,
  covered: (cover: () => unknown, value: unknown) => unknown,
): Group {
  const masks = maskedBy.get(group)
  const covers = coveredBy.get(group)
  const copy: Group = {}
  for (const key of Object.getOwnPropertyNames(group)) {
    // A variable that a test was not given.
    if (Object.getOwnPropertyDescriptor(group, key)?.get && !masks?.has(key) && !covers?.has(key)) continue
    const value = group[key]
    const isGroup = maskedBy.has(value as object)
    const cover = covers?.get(key)
    const shown = cover ? covered(cover, value) : masks?.has(key) ? secret(masks.get(key) as string, value) : value
    copy[key] = isGroup ? copyOf(value as Group, secret, covered) : shown
  }
  return copy
}
