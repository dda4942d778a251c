import { parseParts } from './expansion.js'
import { explainFlaw } from './flaw-texts.js'
import { flawAt, type LayerFlaw } from './flaws.js'
import type { Flaw, Style } from './item-kinds.js'
import { LineIndex } from './line-index.js'
import { isName } from './names.js'
import { type Cursor, cursorAt, scanItem } from './scan.js'
import { decodeValue, encodeValue, readsPlain } from './value.js'
import type { AssignmentRange } from './values.js'

/** One item of a layer: a blank line, a comment, or an assignment with all its lines. Offsets are into `text`. */
interface Item {
  readonly text: string
  readonly assignment?: Assignment
}

interface Assignment {
  readonly name: string
  readonly nameStart: number
  readonly valueStart: number
  readonly valueEnd: number
  readonly style: Style
  readonly loose: boolean
}

/** The value of a name's last assignment. */
function valueIn(items: readonly Item[], name: string): string | undefined {
  const item = items.findLast((item) => item.assignment?.name === name)
  if (!item?.assignment) return undefined
  const { valueStart, valueEnd, style } = item.assignment
  return decodeValue(item.text.slice(valueStart, valueEnd), style)
}

/** Offsets of a name in the expansions of a value, as it is written. */
function expansionsOf(name: string, written: string, style: Style): readonly number[] {
  const places: number[] = []
  parseParts(written, style, (each, start) => {
    if (each === name) places.push(start + 2)
  })
  return places
}

/** Something in the text that could not be understood. Lines and columns count from 1. */
export interface DocumentFault {
  readonly flaw: Flaw
  readonly line: number
  readonly column: number
  readonly message: string
  readonly remedy: string
}

/**
 * A layer's text as a document that can be edited. Printing an unedited document gives the same text back,
 * also where it could not be understood; an edit changes only the lines of its own name.
 */
export class LayerDocument {
  #items: Item[]
  readonly #head: string
  readonly #flaws: readonly LayerFlaw[]
  readonly #source: string

  /** @internal Use {@link readLayer}. */
  constructor(text: string) {
    const cursor = cursorAt(text)
    const items: Item[] = []
    const flaws: LayerFlaw[] = []
    this.#head = text.slice(0, cursor.next)
    while (scanItem(cursor)) {
      items.push(itemAt(cursor))
      if (cursor.kind === 'fault') flaws.push(flawAt(cursor))
    }
    this.#items = items
    this.#flaws = flaws
    this.#source = text
  }

  /** The flaws found when the text was read, in its order. */
  get faults(): readonly DocumentFault[] {
    const lines = new LineIndex(this.#source)
    return this.#flaws.map(({ flaw, start, name }) => ({ flaw, ...lines.at(start), ...explainFlaw(flaw, name) }))
  }

  /** Every name that is assigned, in the order of the text; a repeated name comes once. */
  names(): string[] {
    return [...new Set(this.#items.flatMap((item) => item.assignment?.name ?? []))]
  }

  /** The value of a name as the program will see it (its last assignment counts), or undefined. */
  get(name: string): string | undefined {
    return valueIn(this.#items, name)
  }

  /** Finds where each name is assigned in the present text: every time, in order. */
  ranges(): ReadonlyMap<string, readonly AssignmentRange[]> {
    const ranges = new Map<string, AssignmentRange[]>()
    let start = this.#head.length
    for (const { text, assignment } of this.#items) {
      if (assignment) {
        const { name, nameStart, valueStart, valueEnd, style, loose } = assignment
        const range = {
          nameStart: start + nameStart,
          valueStart: start + valueStart,
          valueEnd: start + valueEnd,
          style,
          loose,
        }
        const known = ranges.get(name)
        if (known) known.push(range)
        else ranges.set(name, [range])
      }
      start += text.length
    }
    return ranges
  }

  /**
   * Gives a name a value: changes its last assignment in place, keeping its quoting where that can hold the value, or
   * adds it as {@link add} does.
   * @throws {RangeError} if the name is not valid, the value holds a NUL, or an open quote would swallow what is written.
   */
  set(name: string, value: string): void {
    const index = this.#items.findLastIndex((item) => item.assignment?.name === name)
    const item = this.#items[index]
    if (!item?.assignment) {
      this.add(name, value)
      return
    }
    const { valueStart, valueEnd, style } = item.assignment
    // A bare value that all read alike is not followed by one that they do not.
    const isPlain = style === 'bare' && readsPlain(item.text.slice(valueStart, valueEnd))
    const written = this.#inLines(encodeValue(value, isPlain ? undefined : style))
    const rest = item.text.slice(valueEnd)
    // Behind an empty value a comment may follow at once; behind any other it needs a blank.
    const gap = written !== '' && rest.startsWith('#') ? ' ' : ''
    const lead = item.text.slice(0, valueStart)
    // Blanks that only kept a comment away would stand between the sign and the value, which shells read otherwise.
    const start = written !== '' && valueStart === valueEnd ? lead.replace(/[ \t]+$/, '') : lead
    this.#edit({ [name]: value }, this.#items.with(index, readItem(start + written + gap + rest)))
  }

  /**
   * Adds a name: behind the last one that shares most of its words (`SMS_URL` beside `SMS_TOKEN`), else at the end.
   * `comment` goes above it. Line ends and `export` are as its neighbour has them.
   * @throws {RangeError} if the name is not valid or is there already, the value holds a NUL, or an open quote would swallow
   *   what is written.
   */
  add(name: string, value: string, options: { readonly comment?: string } = {}): void {
    if (!isName(name)) throw new RangeError('This is not a valid variable name.')
    if (this.#items.some((item) => item.assignment?.name === name)) throw new RangeError(`${name} already exists.`)
    const neighbour = this.#neighbourOf(name)
    const beside = this.#items[neighbour]
    const style = beside?.assignment?.style
    const written = this.#inLines(encodeValue(value, style === 'single' || style === 'double' ? style : undefined))
    const lead = /^[ \t]*export[ \t]+(?=[A-Za-z_])/.exec(beside?.text ?? '')?.[0] ?? ''
    const lineEnd = this.#lineEnd()
    const comments = options.comment === undefined ? [] : options.comment.split(/\r\n|\r|\n/)
    const fresh = [
      ...comments.map((line) => ({ text: `${`# ${line}`.trimEnd()}${lineEnd}` })),
      readItem(`${lead}${name}=${written}${lineEnd}`),
    ]
    const at = neighbour < 0 ? this.#items.length : neighbour + 1
    this.#edit({ [name]: value }, [...closed(this.#items.slice(0, at), lineEnd), ...fresh, ...this.#items.slice(at)])
  }

  /**
   * Gives a name another one, in each of its assignments, and in the expansions of this document's values (`${NAME}`). True if one
   * of them was there.
   * @throws {RangeError} if the new name is not valid or is there already, or what cannot be understood would change by it.
   */
  rename(name: string, fresh: string): boolean {
    if (!isName(fresh)) throw new RangeError('This is not a valid variable name.')
    const names = this.names()
    if (fresh !== name && names.includes(name) && names.includes(fresh))
      throw new RangeError(`${fresh} already exists.`)
    const changed = new Set<string>()
    const items = this.#items.map((item) => {
      if (!item.assignment) return item
      const { nameStart, valueStart, valueEnd, style } = item.assignment
      const written = item.text.slice(valueStart, valueEnd)
      const places = written.includes(`\${${name}`) ? expansionsOf(name, written, style) : []
      const isOwn = item.assignment.name === name
      if (!isOwn && places.length === 0) return item
      // From the last on, so that offsets stay right.
      const value = places.reduceRight((text, at) => text.slice(0, at) + fresh + text.slice(at + name.length), written)
      const lead = item.text.slice(0, valueStart)
      const renamed = isOwn ? lead.slice(0, nameStart) + fresh + lead.slice(nameStart + name.length) : lead
      changed.add(isOwn ? fresh : item.assignment.name)
      return readItem(renamed + value + item.text.slice(valueEnd))
    })
    if (changed.size === 0) return false
    const meant = [...changed].map((each) => [each, valueIn(items, each)] as const)
    this.#edit({ [name]: undefined, ...Object.fromEntries(meant) }, items)
    return true
  }

  /**
   * Removes every assignment of a name; true if there was one.
   * @throws {RangeError} if what cannot be understood would change by it.
   */
  remove(name: string): boolean {
    const items = this.#items.filter((item) => item.assignment?.name !== name)
    if (items.length === this.#items.length) return false
    this.#edit({ [name]: undefined }, items)
    return true
  }

  /**
   * Takes over edited items. What cannot be understood may read otherwise beside what is new, such as a quote that is open
   * and would be closed by it, so that the text is read again: what was meant must stand there, and all else stay.
   */
  #edit(meant: Readonly<Record<string, string | undefined>>, items: Item[]): void {
    const [first] = this.#flaws.filter(({ flaw }) => flaw === 'unclosed-quote').concat(this.#flaws)
    if (first) {
      const again = readLayer(this.#head + items.map((item) => item.text).join(''))
      const names = new Set([...this.names(), ...again.names(), ...Object.keys(meant)])
      const expected = (name: string) => (Object.hasOwn(meant, name) ? meant[name] : this.get(name))
      if ([...names].some((name) => again.get(name) !== expected(name))) {
        const { line } = new LineIndex(this.#source).at(first.start)
        throw new RangeError(
          first.flaw === 'unclosed-quote'
            ? `The quote opened in line ${line} would include this line. Close it first.`
            : `Line ${line} is not valid, and this edit would change its meaning. Correct it first.`,
        )
      }
    }
    this.#items = items
  }

  /** A written value with the document's own line ends; inside quotes all of them read as LF. */
  #inLines(written: string): string {
    return written.includes('\n') ? written.replaceAll('\n', this.#lineEnd()) : written
  }

  /** The item behind which a name belongs: the last of those that share most of its leading words; -1 if none does. */
  #neighbourOf(name: string): number {
    const words = name.split('_')
    let best = -1
    let most = 1
    for (const [index, { assignment }] of this.#items.entries()) {
      if (!assignment) continue
      const others = assignment.name.split('_')
      const differ = words.findIndex((word, at) => word !== others[at])
      const shared = differ < 0 ? words.length : differ
      if (shared < most) continue
      most = shared
      best = index
    }
    return best
  }

  /** The text, with every byte that was not edited as it was. */
  toString(): string {
    return this.#head + this.#items.map((item) => item.text).join('')
  }

  /** New lines end as the first line of what was read does. */
  #lineEnd(): string {
    return /^[^\n]*\r\n/.test(this.#source) ? '\r\n' : '\n'
  }
}

/** Items whose last one ends its line, so that something can follow. */
function closed(items: readonly Item[], lineEnd: string): Item[] {
  const last = items.at(-1)
  if (!last || last.text.endsWith('\n')) return [...items]
  return [...items.slice(0, -1), { ...last, text: last.text + (last.text.endsWith('\r') ? '\n' : lineEnd) }]
}

/**
 * Reads layer text into a document that can be edited and printed. Never throws: what cannot be understood is in
 * `faults`, and its lines are kept.
 *
 * ```ts
 * const layer = readLayer('# hive scales\nSCALE_COUNT=12\n')
 * layer.set('SCALE_COUNT', '14')
 * layer.toString() // '# hive scales\nSCALE_COUNT=14\n'
 * ```
 */
export function readLayer(text: string): LayerDocument {
  if (typeof text !== 'string') throw new TypeError('readLayer takes the text of a layer, not a file name.')
  return new LayerDocument(text)
}

function readItem(text: string): Item {
  const cursor = cursorAt(text)
  scanItem(cursor)
  return itemAt(cursor)
}

function itemAt(cursor: Cursor): Item {
  const text = cursor.text.slice(cursor.start, cursor.next)
  if (cursor.kind !== 'assignment') return { text }
  const { start, nameStart, nameEnd, valueStart, valueEnd, style, loose } = cursor
  const name = cursor.text.slice(nameStart, nameEnd)
  return {
    text,
    assignment: {
      name,
      nameStart: nameStart - start,
      valueStart: valueStart - start,
      valueEnd: valueEnd - start,
      style,
      loose,
    },
  }
}
