import type { RawPlace, Way } from '../protocol.js'
import { byNode, callerOf, programBehind, startsChild } from './calls.js'
import type { Environment, Notes } from './notes.js'

/** So many places that read everything are noted; the same few do it again and again. */
const wholesMax = 50

/** So many reads of a name by packages are placed, to find one by the program's own code: each costs some microseconds. */
const packageReadsMax = 20

/** Names that JavaScript looks for by itself, to print an object, to wait for it or to tell what it is. */
const ofLanguage = new Set(['toJSON', 'then', ...Object.getOwnPropertyNames(Object.prototype)])

/** An environment in the place of the real one: it gives what that gives, and notes what is asked for. */
export class WatchedEnvironment {
  readonly #notes: Notes
  readonly #real: Environment
  /** Names that code of the program has asked for: only its first time is noted, before and after the name is set. */
  readonly #seen = new Set<string>()
  /** How often only packages have asked for a name. */
  readonly #packageReads = new Map<string, number>()
  readonly #assigned = new Set<string>()
  /** Counts what is done with the environment. */
  #calls = 0
  #lastRead: { readonly name: string; readonly file: string | undefined; readonly call: number } | undefined
  /** Names of a walk over all of them that was begun, and how many of them have come by, or were described. */
  #walk: readonly (string | symbol)[] = []
  #walked = 0
  #toDescribe = 0
  /** A copy describes each name before it reads it. */
  #described: string | undefined
  #wholes = 0
  readonly proxy: Environment
  /** The same as the environment, for what looks behind a proxy, as printing does. The environment itself would make each read slower. */
  readonly #behind: Environment

  constructor(notes: Notes) {
    this.#notes = notes
    this.#real = notes.real
    this.#behind = { ...this.#real }
    this.proxy = new Proxy(this.#behind, this.#traps()) as Environment
  }

  /** All of it as plain names and texts, asked for by a call of the program. */
  all(call: unknown): Environment {
    this.#noteAll('code', programBehind(call))
    return { ...this.#real }
  }

  /** Takes note that something other than the program's code has set a name. */
  assign(name: string): void {
    this.#assigned.add(name)
    this.#reopen(name)
    this.renew(name)
  }

  /** The next reads of a name are noted again. */
  #reopen(name: string): void {
    this.#seen.delete(name)
    this.#packageReads.delete(name)
  }

  /** Has what stands behind follow the environment in one name. */
  renew(name: string): void {
    const text = this.#real[name]
    if (text === undefined) delete this.#behind[name]
    else this.#behind[name] = text
  }

  #traps(): ProxyHandler<object> {
    const real = this.#real
    const seen = this.#seen
    const traps: ProxyHandler<object> = {
      get: (_, name) => {
        this.#calls++
        if (typeof name === 'string' && !seen.has(name)) this.#noteGet(name, traps.get)
        return real[name as string]
      },
      has: (_, name) => {
        this.#calls++
        if (typeof name === 'string' && !seen.has(name)) {
          // A loop over all names asks for each whether it is still there.
          if (this.#walk[this.#walked] === name) this.#described = name
          this.#note('membership', name, traps.has)
        }
        return Reflect.has(real, name)
      },
      getOwnPropertyDescriptor: (_, name) => {
        this.#calls++
        if (typeof name === 'string') {
          if (this.#toDescribe > 0) {
            this.#toDescribe--
            this.#described = name
          } else if (!seen.has(name)) this.#note('descriptors', name, traps.getOwnPropertyDescriptor)
        }
        return Reflect.getOwnPropertyDescriptor(real, name)
      },
      ownKeys: () => {
        this.#walk = Reflect.ownKeys(real)
        this.#walked = 0
        this.#toDescribe = this.#walk.length
        this.#described = undefined
        this.#noteWhole(traps.ownKeys)
        return this.#walk as string[]
      },
      set: (_, name, value) => {
        const isSet = Reflect.set(real, name, value)
        this.renew(name as string)
        this.#noteSet(name, traps.set)
        return isSet
      },
      defineProperty: (_, name, about) => {
        const isSet = Reflect.defineProperty(real, name, about)
        this.renew(name as string)
        this.#noteSet(name, traps.defineProperty)
        return isSet
      },
      deleteProperty: (_, name) => {
        const isGone = Reflect.deleteProperty(real, name)
        this.renew(name as string)
        return isGone
      },
      getPrototypeOf: () => Reflect.getPrototypeOf(real),
      setPrototypeOf: (_, prototype) => Reflect.setPrototypeOf(real, prototype),
      // As the environment itself refuses it.
      preventExtensions: () => Object.isFrozen(Object.preventExtensions(real)),
    }
    return traps
  }

  #noteGet(name: string, trap: unknown): void {
    if (this.#described === name) this.#described = undefined
    else this.#note('reads', name, trap)
  }

  /** Notes a name that is asked for by itself, and not in its turn in a walk over all of them. */
  #note(way: Way, name: string, trap: unknown): void {
    if (!this.#notes.sees(way)) return
    if (this.#walk[this.#walked] === name) {
      this.#walked++
      return
    }
    // The language asks each object for these.
    if (ofLanguage.has(name) && typeof this.#real[name] !== 'string') return
    const place = callerOf(trap)
    if (place === byNode) return
    this.#lastRead = { name, file: place?.file, call: this.#calls }
    const isPackages = place !== undefined && /[\\/]node_modules[\\/]/.test(place.file)
    const before = this.#packageReads.get(name) ?? 0
    if (isPackages) this.#packageReads.set(name, before + 1)
    if (!isPackages || before + 1 >= packageReadsMax) this.#seen.add(name)
    if (isPackages && before > 0) return
    this.#notes.write({ kind: 'read', name, ...(place && { place }), got: this.#notes.got(name, this.#real[name]) })
  }

  #noteWhole(trap: unknown): void {
    const place = callerOf(trap)
    if (place !== byNode) this.#noteAll('code', place)
    else if (startsChild(trap)) this.#noteAll('child', programBehind(trap))
  }

  #noteAll(by: 'code' | 'child', place: RawPlace | undefined): void {
    if (this.#wholes >= wholesMax || !this.#notes.sees('walks')) return
    this.#wholes++
    this.#notes.write({ kind: 'whole', for: by, ...(place && { place }) })
  }

  #noteSet(name: string | symbol, trap: unknown): void {
    if (typeof name !== 'string' || this.#assigned.has(name) || !this.#notes.sees('assignments')) return
    const last = this.#lastRead
    this.#assigned.add(name)
    this.#reopen(name)
    const place = callerOf(trap)
    if (place === byNode) return
    const asked = last?.name === name && last.call === this.#calls && last.file === place?.file
    this.#notes.write({ kind: 'set', name, ...(place && { place }), by: 'code', ...(asked && { asked }) })
  }
}
