import { type BareDollar, type Part, parseParts } from './expansion.js'
import { flawAt, type LayerFlaw } from './flaws.js'
import { cursorAt, type Style, scanItem } from './scan.js'
import { decodeValue } from './value.js'

const styles: readonly Style[] = ['bare', 'single', 'double', 'joined']
/** What is kept of an assignment: where its name and value start and end, its style, and whether it holds a dollar sign. */
const spanSize = 6

/** What a value is made of, and where in the text it starts. */
export interface ParsedValue {
  readonly parts: readonly Part[]
  readonly bare: readonly BareDollar[]
  readonly valueStart: number
}

/**
 * Names and values of a layer. Only offsets are kept, and names and values are cut from the text when they are asked
 * for: a start reads a file once from end to end, and a large text costs less than a `Map` of its strings would.
 */
export class LayerValues {
  readonly #text: string
  readonly #spans: number[] = []
  #index: NameIndex | undefined
  /** What could not be understood, in the order of the text. */
  readonly flaws: readonly LayerFlaw[]

  /** @internal Use {@link readValues}. */
  constructor(text: string) {
    this.#text = text
    const spans = this.#spans
    const flaws: LayerFlaw[] = []
    const cursor = cursorAt(text)
    while (scanItem(cursor)) {
      const { kind, style } = cursor
      if (kind === 'assignment')
        spans.push(
          cursor.nameStart,
          cursor.nameEnd,
          cursor.valueStart,
          cursor.valueEnd,
          style === 'bare' ? 0 : styles.indexOf(style),
          cursor.dollar ? 1 : 0,
        )
      else if (kind === 'fault') flaws.push(flawAt(cursor))
    }
    this.flaws = flaws
  }

  /**
   * Visits every assignment in the order of the text; of a repeated name the last one counts. Values come with their
   * expansions as they stand; `dollar` says that there may be some.
   */
  each(visit: (name: string, value: string, dollar: boolean) => void): void {
    for (let at = 0; at < this.#spans.length; at += spanSize)
      visit(this.#name(at), this.#value(at), this.#spans[at + 5] === 1)
  }

  /**
   * What the value of a name is made of, and where in the text it starts; undefined if it holds no dollar sign.
   * `back` counts assignments of the name from its last one.
   */
  parsed(name: string, back = 0): ParsedValue | undefined {
    const at = this.#findBack(name, back)
    if (at < 0 || this.#spans[at + 5] === 0) return undefined
    const valueStart = this.#spans[at + 2] as number
    const written = this.#text.slice(valueStart, this.#spans[at + 3])
    const parsed = parseParts(written, styles[this.#spans[at + 4] as number] as Style)
    return 'parts' in parsed ? { ...parsed, valueStart } : undefined
  }

  /** The value of a name, `back` assignments before its last one; undefined if there is none. */
  get(name: string, back = 0): string | undefined {
    const at = this.#findBack(name, back)
    return at < 0 ? undefined : this.#value(at)
  }

  /** Every name once, in the order of the text. */
  names(): Set<string> {
    const names = new Set<string>()
    for (let at = 0; at < this.#spans.length; at += spanSize) names.add(this.#name(at))
    return names
  }

  #find(name: string): number {
    this.#index ??= new NameIndex(this.#text, this.#spans)
    return this.#index.find(name)
  }

  /** Repeated names are rare, so those that a later assignment hides are looked for one by one. */
  #findBack(name: string, back: number): number {
    let at = this.#find(name)
    for (let left = back; left > 0 && at >= 0; left--) {
      do at -= spanSize
      while (at >= 0 && this.#name(at) !== name)
    }
    return at
  }

  #name(at: number): string {
    return this.#text.slice(this.#spans[at], this.#spans[at + 1])
  }

  #value(at: number): string {
    const written = this.#text.slice(this.#spans[at + 2], this.#spans[at + 3])
    const style = this.#spans[at + 4] as number
    return style === 0 ? written : decodeValue(written, styles[style] as Style)
  }
}

/** A hash table from names to where their last assignment stands in `spans`: open addressing, at most half full. */
class NameIndex {
  readonly #text: string
  readonly #spans: readonly number[]
  /** 0 is free, else an offset into `spans`, from 1. */
  readonly #slots: Int32Array

  constructor(text: string, spans: readonly number[]) {
    this.#text = text
    this.#spans = spans
    this.#slots = new Int32Array(2 ** Math.ceil(Math.log2((spans.length / spanSize) * 2 + 2)))
    for (let at = 0; at < spans.length; at += spanSize)
      this.#slots[this.#slotOf(text, spans[at] as number, spans[at + 1] as number)] = at + 1
  }

  find(name: string): number {
    return (this.#slots[this.#slotOf(name, 0, name.length)] as number) - 1
  }

  /** The slot of the name that stands in `source` at `[start, end)`, or the free one where it belongs. */
  #slotOf(source: string, start: number, end: number): number {
    const last = this.#slots.length - 1
    let hash = 0x811c9dc5 // FNV-1a, its high bits folded into the low ones that choose a slot
    for (let at = start; at < end; at++) hash = Math.imul(hash ^ source.charCodeAt(at), 0x01000193)
    for (let slot = (hash ^ (hash >>> 15)) & last; ; slot = (slot + 1) & last) {
      const at = (this.#slots[slot] as number) - 1
      if (at < 0 || this.#isNamed(at, source, start, end)) return slot
    }
  }

  #isNamed(at: number, source: string, start: number, end: number): boolean {
    const own = this.#spans[at] as number
    if ((this.#spans[at + 1] as number) - own !== end - start) return false
    for (let more = end - start - 1; more >= 0; more--)
      if (source.charCodeAt(start + more) !== this.#text.charCodeAt(own + more)) return false
    return true
  }
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
