import { type Range, withRangesMasked } from './ranges.js'
import { spellingsOf } from './spellings.js'

/** A place of a known text. */
export interface TextFound<Name> extends Range {
  /** Whose text it is. */
  readonly name: Name
}

/** So many signs are looked up at once. */
const keyLength = 8
/** Longer texts are looked for piece by piece, so that no position costs more than so many look-ups. */
const pieceLength = 64

/** So much of a text is looked for: no secret is longer, and data would fill the memory in all its spellings. UTF-16 code units. */
const textMax = 16_384

/** What begins with the same eight signs: pieces by their length, the longest first. */
interface Bucket<Name> {
  readonly lengths: number[]
  readonly pieces: Map<string, Name>
}

/**
 * Known texts to be found in other texts, in every spelling that they travel in. A search takes time in line with the text,
 * however many there are.
 */
export class Needles<Name = string> {
  readonly #buckets = new Map<string, Bucket<Name>>()
  /** Which pairs of first signs there are: one look tells that nothing begins here. */
  readonly #first = new Uint8Array(1 << 16)

  get isEmpty(): boolean {
    return this.#buckets.size === 0
  }

  /** Adds a text in all of its spellings; one of fewer than 8 bytes is none. */
  add(text: string, name: Name): void {
    for (const spelling of spellingsOf(text.slice(0, textMax))) {
      for (let at = 0; at + keyLength <= spelling.length; at += pieceLength)
        this.#addPiece(spelling.slice(at, at + pieceLength), name)
      // The last piece may be too short to be looked up, so it reaches back.
      if (spelling.length > pieceLength) this.#addPiece(spelling.slice(-pieceLength), name)
    }
  }

  #addPiece(piece: string, name: Name): void {
    const key = piece.slice(0, keyLength)
    let bucket = this.#buckets.get(key)
    if (!bucket) {
      bucket = { lengths: [], pieces: new Map() }
      this.#buckets.set(key, bucket)
      this.#first[pairAt(piece, 0)] = 1
    }
    if (bucket.pieces.has(piece)) return
    bucket.pieces.set(piece, name)
    if (!bucket.lengths.includes(piece.length)) bucket.lengths.push(piece.length)
    bucket.lengths.sort((a, b) => b - a)
  }

  /** Every place of a known text, in order; what overlaps or touches, and is of one name, is one. */
  in(text: string): TextFound<Name>[] {
    const found: TextFound<Name>[] = []
    if (this.isEmpty) return found
    for (let at = 0; at + keyLength <= text.length; at++) {
      if (this.#first[pairAt(text, at)] === 0) continue
      const bucket = this.#buckets.get(text.slice(at, at + keyLength))
      const length = bucket?.lengths.find((each) => bucket.pieces.has(text.slice(at, at + each)))
      if (!bucket || length === undefined) continue
      const name = bucket.pieces.get(text.slice(at, at + length)) as Name
      const last = found.at(-1)
      if (last && at <= last.end && last.name === name)
        found[found.length - 1] = { ...last, end: Math.max(last.end, at + length) }
      else found.push({ start: at, end: at + length, name })
    }
    return found
  }

  /** A text with every known text masked. */
  mask(text: string): string {
    return withRangesMasked(text, this.in(text))
  }
}

function pairAt(text: string, at: number): number {
  return ((text.charCodeAt(at) * 31) ^ (text.charCodeAt(at + 1) * 257)) & 0xffff
}
