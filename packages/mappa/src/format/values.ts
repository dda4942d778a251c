import { type BareDollar, type Part, parseParts } from './expansion.js'
import { flawAt, type LayerFlaw } from './flaws.js'
import type { Style } from './item-kinds.js'
import { type Cursor, cursorAt, scanItem } from './scan.js'
import { decodeValue } from './value.js'

const styles: readonly Style[] = ['bare', 'single', 'double', 'joined']
/** Numbers kept for an assignment: start and end of its name and value, and its style. */
const spanSize = 5
const [hasDollar, isLoose] = [1, 2]

/** The ranges of an assignment in a text; half-open, in UTF-16 code units. */
export interface AssignmentRange {
  readonly nameStart: number
  readonly valueStart: number
  readonly valueEnd: number
  readonly style: Style
  /** True if spaces stand around the equals sign, which a shell would refuse. */
  readonly loose: boolean
}

/** The parts of a value, and its start in the text. */
export interface ParsedValue {
  readonly parts: readonly Part[]
  readonly bare: readonly BareDollar[]
  readonly valueStart: number
}

/** Tells whether a higher layer sets the name at `[start, end)` of a text, so that its value does not matter. */
export type IsHidden = (text: string, start: number, end: number) => boolean

/**
 * Names and values of a layer. A start visits each once and keeps nothing; only when names are asked for, offsets are
 * kept of where they stand, which costs a large text less than a `Map` of its strings would.
 */
export class LayerValues {
  readonly #text: string
  #spans: readonly number[] | undefined
  #index: NameIndex | undefined
  #flaws: readonly LayerFlaw[] | undefined
  #lastParsed: { readonly at: number; readonly value: ParsedValue | undefined } | undefined

  /** @internal Use {@link readValues}. */
  constructor(text: string) {
    this.#text = text
  }

  /** Flaws, in the order of the text. */
  get flaws(): readonly LayerFlaw[] {
    if (!this.#flaws) this.#scan(() => {})
    return this.#flaws as readonly LayerFlaw[]
  }

  /**
   * Visits every assignment in the order of the text; of a repeated name the last one counts. Values come with their
   * expansions as they stand; `dollar` says that there may be some. Names that are `hidden` are left out.
   */
  each(visit: (name: string, value: string, dollar: boolean) => void, hidden?: IsHidden): void {
    const text = this.#text
    this.#scan((cursor) => {
      const { nameStart, nameEnd, style } = cursor
      if (hidden?.(text, nameStart, nameEnd)) return
      const written = text.slice(cursor.valueStart, cursor.valueEnd)
      visit(text.slice(nameStart, nameEnd), style === 'bare' ? written : decodeValue(written, style), cursor.dollar)
    })
  }

  #scan(assigned: (cursor: Cursor) => void): void {
    const flaws: LayerFlaw[] = []
    const cursor = cursorAt(this.#text)
    while (scanItem(cursor)) {
      if (cursor.kind === 'assignment') assigned(cursor)
      else if (cursor.kind === 'fault') flaws.push(flawAt(cursor))
    }
    this.#flaws ??= flaws
  }

  #spansOf(): readonly number[] {
    if (!this.#spans) {
      const spans: number[] = []
      this.#scan(({ nameStart, nameEnd, valueStart, valueEnd, style, dollar, loose }) => {
        const flags = styles.indexOf(style) * 4 + (dollar ? hasDollar : 0) + (loose ? isLoose : 0)
        spans.push(nameStart, nameEnd, valueStart, valueEnd, flags)
      })
      this.#spans = spans
    }
    return this.#spans
  }

  /**
   * What the value of a name is made of, and where in the text it starts; undefined if it holds no dollar sign.
   * `back` counts assignments of the name from its last one.
   */
  parsed(name: string, back = 0): ParsedValue | undefined {
    const at = this.#findBack(name, back)
    const spans = this.#spansOf()
    if (at < 0 || ((spans[at + 4] as number) & hasDollar) === 0) return undefined
    // Several ask for the same one in turn, and it may be long.
    if (this.#lastParsed?.at === at) return this.#lastParsed.value
    const valueStart = spans[at + 2] as number
    const parsed = parseParts(this.#text.slice(valueStart, spans[at + 3]), this.#style(at))
    const value = 'parts' in parsed ? { ...parsed, valueStart } : undefined
    this.#lastParsed = { at, value }
    return value
  }

  /** The value of a name, `back` assignments before its last one; undefined if there is none. */
  get(name: string, back = 0): string | undefined {
    const at = this.#findBack(name, back)
    return at < 0 ? undefined : this.#value(at)
  }

  /** Blanks and comment after the last value of a name; empty if there are none. */
  behind(name: string): string {
    const at = this.#find(name)
    if (at < 0) return ''
    const end = this.#spansOf()[at + 3] as number
    const lineEnd = this.#text.indexOf('\n', end)
    return this.#text.slice(end, lineEnd < 0 ? undefined : lineEnd).trimEnd()
  }

  /** Finds where a name is assigned, in the order of the text: every time, or the last so many times. */
  ranges(name: string, most = Infinity): readonly AssignmentRange[] {
    const spans = this.#spansOf()
    const ranges: AssignmentRange[] = []
    for (let at = this.#find(name); at >= 0 && ranges.length < most; at = this.#indexOf().before(at))
      ranges.push({
        nameStart: spans[at] as number,
        valueStart: spans[at + 2] as number,
        valueEnd: spans[at + 3] as number,
        style: this.#style(at),
        loose: ((spans[at + 4] as number) & isLoose) !== 0,
      })
    return ranges.reverse()
  }

  /** Every name once, in the order of the text. */
  names(): readonly string[] {
    const names: string[] = []
    const index = this.#indexOf()
    for (let at = 0; at < this.#spansOf().length; at += spanSize) if (index.before(at) < 0) names.push(this.#name(at))
    return names
  }

  #indexOf(): NameIndex {
    this.#index ??= new NameIndex(this.#text, this.#spansOf())
    return this.#index
  }

  #find(name: string): number {
    return this.#indexOf().find(name)
  }

  #findBack(name: string, back: number): number {
    let at = this.#find(name)
    for (let left = back; left > 0 && at >= 0; left--) at = this.#indexOf().before(at)
    return at
  }

  #name(at: number): string {
    const spans = this.#spansOf()
    return this.#text.slice(spans[at], spans[at + 1])
  }

  #value(at: number): string {
    const spans = this.#spansOf()
    return decodeValue(this.#text.slice(spans[at + 2], spans[at + 3]), this.#style(at))
  }

  #style(at: number): Style {
    return styles[(this.#spansOf()[at + 4] as number) >> 2] as Style
  }
}

/** A hash table from names to where their last assignment is in `spans`: open addressing, at most half full. */
class NameIndex {
  readonly #text: string
  readonly #spans: readonly number[]
  /** 0 is free, else an offset into `spans`, from 1. */
  readonly #slots: Int32Array
  /** By assignment, the one before it of the same name: an offset into `spans`, from 1, and 0 for none. */
  readonly #earlier: Int32Array

  constructor(text: string, spans: readonly number[]) {
    this.#text = text
    this.#spans = spans
    this.#slots = new Int32Array(2 ** Math.ceil(Math.log2((spans.length / spanSize) * 2 + 2)))
    this.#earlier = new Int32Array(spans.length / spanSize)
    for (let at = 0; at < spans.length; at += spanSize) {
      const slot = this.#slotOf(text, spans[at] as number, spans[at + 1] as number)
      this.#earlier[at / spanSize] = this.#slots[slot] as number
      this.#slots[slot] = at + 1
    }
  }

  /** The assignment of the same name before this one; negative if there is none. */
  before(at: number): number {
    return (this.#earlier[at / spanSize] as number) - 1
  }

  find(name: string): number {
    return (this.#slots[this.#slotOf(name, 0, name.length)] as number) - 1
  }

  /** The slot of the name that is in `source` at `[start, end)`, or the free one where it belongs. */
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
