import { flawAt, type LayerFlaw } from './flaws.js'
import { type Cursor, cursorAt, type Style, scanItem } from './scan.js'
import { decodeValue } from './value.js'

const styles: readonly Style[] = ['bare', 'single', 'double', 'joined']
/** What is kept of an assignment: where its name and value start and end, its style, and the hash of its name. */
const spanSize = 6
/** Lines of layer files are seldom shorter; where they are, the tables grow. */
const lineLengthGuess = 32

/**
 * Names and values of a layer. Only offsets are kept; a value is cut from the text when it is asked for, which makes
 * reading a large text faster and smaller than a `Map` of strings.
 */
export class LayerValues implements Iterable<readonly [name: string, value: string]> {
  readonly #text: string
  #spans: Int32Array
  /** Open addressing by the hash of the name: 0 is free, else the number of an assignment, from 1. At most half full. */
  #slots: Int32Array
  #size = 0
  /** What could not be understood, in the order of the text. */
  readonly flaws: readonly LayerFlaw[]

  /** @internal Use {@link readValues}. */
  constructor(text: string) {
    this.#text = text
    const capacity = 2 ** Math.ceil(Math.log2(text.length / lineLengthGuess + 16))
    this.#spans = new Int32Array(capacity * spanSize)
    this.#slots = new Int32Array(capacity * 2)
    const cursor = cursorAt(text)
    const flaws: LayerFlaw[] = []
    while (scanItem(cursor)) {
      if (cursor.kind === 'assignment') this.#add(cursor)
      else if (cursor.kind === 'fault') flaws.push(flawAt(cursor))
    }
    this.flaws = flaws
  }

  /** How many names are set. */
  get size(): number {
    return this.#size
  }

  /** The value of a name, the last of a repeated one; undefined if it is not set. */
  get(name: string): string | undefined {
    const hash = hashOf(name, 0, name.length)
    const number = this.#slots[this.#slotOf(name, 0, name.length, hash)] as number
    return number === 0 ? undefined : this.#value(number - 1)
  }

  /** Every name once, in the order of the text. */
  *names(): Generator<string> {
    for (let at = 0; at < this.#size; at++) yield this.#name(at)
  }

  *[Symbol.iterator](): Generator<readonly [name: string, value: string]> {
    for (let at = 0; at < this.#size; at++) yield [this.#name(at), this.#value(at)]
  }

  #name(at: number): string {
    return this.#text.slice(this.#spans[at * spanSize], this.#spans[at * spanSize + 1])
  }

  #value(at: number): string {
    const from = at * spanSize
    const written = this.#text.slice(this.#spans[from + 2], this.#spans[from + 3])
    const style = this.#spans[from + 4] as number
    return style === 0 ? written : decodeValue(written, styles[style] as Style)
  }

  #add({ text, nameStart, nameEnd, valueStart, valueEnd, style }: Cursor): void {
    const hash = hashOf(text, nameStart, nameEnd)
    const slot = this.#slotOf(text, nameStart, nameEnd, hash)
    let number = this.#slots[slot] as number
    if (number === 0) {
      number = ++this.#size
      this.#slots[slot] = number
    }
    const from = (number - 1) * spanSize
    const spans = this.#spans
    spans[from] = nameStart
    spans[from + 1] = nameEnd
    spans[from + 2] = valueStart
    spans[from + 3] = valueEnd
    spans[from + 4] = style === 'bare' ? 0 : styles.indexOf(style)
    spans[from + 5] = hash
    if (this.#size * 2 === this.#slots.length) this.#grow()
  }

  #grow(): void {
    const spans = new Int32Array(this.#spans.length * 2)
    spans.set(this.#spans)
    this.#spans = spans
    this.#slots = new Int32Array(this.#slots.length * 2)
    const last = this.#slots.length - 1
    for (let at = 0; at < this.#size; at++) {
      let slot = (spans[at * spanSize + 5] as number) & last
      while (this.#slots[slot] !== 0) slot = (slot + 1) & last
      this.#slots[slot] = at + 1
    }
  }

  /** The slot of the name that stands in `source` at `[start, end)`, or the free one where it belongs. */
  #slotOf(source: string, start: number, end: number, hash: number): number {
    const last = this.#slots.length - 1
    for (let slot = hash & last; ; slot = (slot + 1) & last) {
      const number = this.#slots[slot] as number
      if (number === 0) return slot
      if (this.#spans[(number - 1) * spanSize + 5] === hash && this.#isNamed(number - 1, source, start, end))
        return slot
    }
  }

  #isNamed(at: number, source: string, start: number, end: number): boolean {
    const own = this.#spans[at * spanSize] as number
    if ((this.#spans[at * spanSize + 1] as number) - own !== end - start) return false
    for (let at = 0; at < end - start; at++)
      if (source.charCodeAt(start + at) !== this.#text.charCodeAt(own + at)) return false
    return true
  }
}

/** FNV-1a, its high bits folded into the low ones that choose a slot. */
function hashOf(source: string, start: number, end: number): number {
  let hash = 0x811c9dc5
  for (let at = start; at < end; at++) hash = Math.imul(hash ^ source.charCodeAt(at), 0x01000193)
  return hash ^ (hash >>> 15)
}

/**
 * Reads names and values only: the fast way, for settling. `readLayer` gives the document that can be edited.
 *
 * ```ts
 * readValues('SCALE_COUNT=12\n').get('SCALE_COUNT') // '12'
 * ```
 */
export function readValues(text: string): LayerValues {
  return new LayerValues(text)
}
