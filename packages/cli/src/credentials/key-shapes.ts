import { wordsOf } from '../code/words.js'
import { eachKeyHint } from './key-hints.js'
import { pairsIn, surroundedIn } from './more-shapes.js'
import { isRandom } from './opening-shapes.js'
import { type Opening, openingOf, openingShape, valueMax, valueMin } from './opens.js'

/** A text that has the shape of a key, which no legend knows. Offsets are UTF-16 code units. */
export interface KeyShape {
  readonly start: number
  readonly end: number
  /** To follow "what looks like": `a private key`. */
  readonly what: string
}

/** So far a line is looked at on each side of a hint, at least: what is longer is data. Characters. */
const lineReach = 600

/** Gives the part of its line to look at for a hint; hints that are near each other share one. Linear for rising offsets. */
export class LineWindows {
  readonly #text: { indexOf(mark: string | number, from: number): number; readonly length: number }
  readonly #mark: string | number
  #start = 0
  #end = -1

  /** A text, or its bytes. */
  constructor(text: string | Uint8Array) {
    this.#text = text as { indexOf(mark: string | number, from: number): number; readonly length: number }
    this.#mark = typeof text === 'string' ? '\n' : 10
  }

  /** The window of an offset, half open. */
  at(offset: number): { readonly start: number; readonly end: number } {
    if (offset < this.#start) [this.#start, this.#end] = [0, -1]
    while (offset > this.#end) {
      if (this.#end >= 0) this.#start = this.#end + 1
      const end = this.#text.indexOf(this.#mark, this.#start)
      this.#end = end < 0 ? this.#text.length : end
    }
    const tile = Math.floor((offset - this.#start) / lineReach)
    return {
      start: Math.max(this.#start, this.#start + (tile - 1) * lineReach),
      end: Math.min(this.#end, this.#start + (tile + 2) * lineReach),
    }
  }
}

/** Texts of the shape of a key, by what they are and by what stands before them. Linear. */
export function keyShapesIn(text: string): KeyShape[] {
  const found = new Map<number, KeyShape>()
  let last = -1
  const windows = new LineWindows(text)
  // A byte for each code unit, so that offsets are the same; what is not an ASCII is not a part of a name or a key.
  eachKeyHint(Buffer.from(text, 'latin1'), (index) => {
    const { start, end } = windows.at(index)
    if (start === last) return true
    last = start
    for (const shape of inLine(text.slice(start, end)))
      if (!found.has(start + shape.start))
        found.set(start + shape.start, { ...shape, start: start + shape.start, end: start + shape.end })
    return true
  })
  for (const shape of text.includes('value') ? pairsIn(text) : [])
    if (!found.has(shape.start)) found.set(shape.start, shape)
  return [...found.values()].sort((a, b) => a.start - b.start)
}

const whatOf: Readonly<Record<Exclude<Opening, 'named'>, string>> = {
  'private-key': 'a private key',
  'signed-token': 'a signed token',
  'labelled-key': 'a prefixed API key',
  address: 'an address with a password',
}

function inLine(line: string): KeyShape[] {
  const key = line.search(/-----BEGIN [A-Z ]*PRIVATE KEY-----/)
  if (key >= 0) return [{ start: key, end: line.length, what: whatOf['private-key'] }]
  const shapes = [...ownShapes(line), ...namedValues(line)]
  // What has a name of its own is told by that.
  const others = surroundedIn(line).filter(
    ({ start, end }) => !shapes.some((known) => known.start < end && start < known.end),
  )
  const apart: KeyShape[] = []
  for (const shape of others.sort((a, b) => a.start - b.start))
    if (shape.start >= (apart.at(-1)?.end ?? 0)) apart.push(shape)
  return [...shapes, ...apart]
}

/** Words that say by themselves what they are. */
function ownShapes(line: string): KeyShape[] {
  const words = [...line.matchAll(/[\w.+/=~-]{12,500}/g)].map(({ 0: word, index }) => ({ word, index }))
  return [...addressesIn(line), ...words].flatMap(({ word, index }) => {
    const opening = openingShape(word)
    return opening === undefined ? [] : [{ start: index, end: index + word.length, what: whatOf[opening] }]
  })
}

/** Longer schemes have no meaning. Characters. */
const schemeMax = 40

/** Words with a scheme and `://`. */
function* addressesIn(line: string): Generator<{ readonly word: string; readonly index: number }> {
  for (let at = line.indexOf('://'); at >= 0; ) {
    const scheme = /[A-Za-z][\w+.-]*$/.exec(line.slice(Math.max(0, at - schemeMax), at))?.[0]
    const rest = /^[^\s"'`<>)\]}]+/.exec(line.slice(at + 3))?.[0]
    if (scheme && rest) yield { word: `${scheme}://${rest}`, index: at - scheme.length }
    at = line.indexOf('://', at + 3 + (scheme && rest ? rest.length : 0))
  }
}

/**
 * A name, and the value that is given to it: in code, layers, JSON, YAML and command lines alike; also as what is in for it
 * (`NAME || 'value'`), and as the next of several texts.
 */
const givenValue = new RegExp(
  `(?:^|[^\\w$-])(["'\`]?)([A-Za-z_$][\\w$.-]{2,60})\\1\\s{0,4}(:=|=>|\\|\\||\\?\\?|[:=,])(?=\\s{0,4}(?:(["'\`])([^"'\`\\n]{${valueMin},${valueMax}})\\4|([^\\s"'\`,;(){}[\\]<>]{${valueMin},${valueMax}})))`,
  'gd',
)

/** Authentication schemes that a key follows (RFC 9110, 11.1). */
const keyScheme = /^(?:Bearer|Basic|Token|ApiKey|Key) (?=\S+$)/i

function namedValues(line: string): KeyShape[] {
  return [...line.matchAll(givenValue)].flatMap((match) => {
    const [, quote, name = '', separator, , quoted, bare] = match
    // Of several texts only the next one is the value of a name, and both are quoted.
    if (separator === ',' && (quote === '' || quoted === undefined)) return []
    const whole = quoted ?? bare ?? ''
    const value = whole.replace(keyScheme, '')
    if (openingOf(value, wordsOf(name)) !== 'named') return []
    // Unquoted text is code as often as a value, so it must look like nothing else.
    if (quoted === undefined && !isRandom(value) && !isLayerLine(line) && !isYamlLine(line, value)) return []
    const end = match.indices?.[quoted === undefined ? 6 : 5]?.[1] ?? 0
    return [{ start: end - value.length, end, what: `a credential, under ${name}` }]
  })
}

/** `NAME=value` and nothing else, as layers, container files and shells have it. */
function isLayerLine(line: string): boolean {
  return /^\s*(?:(?:export|ENV|ARG|-)\s+)?[A-Z][A-Z0-9_]*=\S+\s*$/.test(line)
}

/** `name: value` and nothing else, where the value is not a path through objects. */
function isYamlLine(line: string, value: string): boolean {
  return /^\s*(?:- )?[\w.-]+:\s+\S+\s*$/.test(line) && !/^[A-Za-z_$][\w$]*(?:\.[A-Za-z_$][\w$]*)*$/.test(value)
}
