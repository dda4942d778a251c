import { checksumOf } from '../checksum.js'
import { askedFile, type GotValue, type NotingRules, type RawPlace, type RecordLine, type Way } from '../protocol.js'
import { byNode, callerOf } from './calls.js'

const fs = process.getBuiltinModule('node:fs')
// A program may put others in their place.
const { openSync, writeSync } = fs

export type Environment = Record<string, string | undefined>

/** What a process writes down while it runs: each line at once, since a signal may end it at any time. */
export class Notes {
  readonly asked: NotingRules
  readonly #file: number
  readonly #plain: ReadonlySet<string>
  readonly #secret: ReadonlySet<string>

  /** @throws if the run is over and its folder gone. */
  constructor(
    readonly folder: string,
    readonly real: Environment,
  ) {
    this.asked = JSON.parse(fs.readFileSync(`${folder}/${askedFile}`, 'utf8')) as NotingRules
    this.#plain = new Set(this.asked.plain)
    this.#secret = new Set(this.asked.secret)
    this.#file = openSync(`${folder}/${process.pid}-${Math.random().toString(36).slice(2)}.jsonl`, 'ax', 0o600)
  }

  sees(way: Way): boolean {
    return this.asked.without?.includes(way) !== true
  }

  write(line: RecordLine): void {
    try {
      writeSync(this.#file, `${JSON.stringify(line)}\n`)
    } catch {
      // A full disk must not stop the program.
    }
  }

  /** The place behind a call, as a part of a line. */
  static place(call: unknown): { readonly place?: RawPlace } {
    const place = callerOf(call)
    return place === undefined || place === byNode ? {} : { place }
  }

  /** What may be written down of a value. */
  got(name: string, text: string | undefined, isCovered = false): GotValue {
    if (text === undefined) return { is: 'unset' }
    if (text === '') return { is: 'empty' }
    const isPlain = this.#plain.has(name)
    if (!isPlain && !this.#secret.has(name)) return { is: 'set' }
    return isPlain && !isCovered && !this.#holdsSecret(text)
      ? { is: 'set', text }
      : { is: 'set', checksum: checksumOf(text, this.asked.key) }
  }

  /** Tells whether a value of a name that may be shown holds what may not. */
  #holdsSecret(text: string): boolean {
    if (/:\/\/[^/\s]*@/.test(text)) return true
    return this.asked.secret.some((name) => {
      const own = this.real[name]
      return own !== undefined && own.length >= needleMin && text.includes(own)
    })
  }
}

/** A shorter text is in everything. Characters. */
const needleMin = 8
