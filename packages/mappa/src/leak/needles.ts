import { latin1 } from './latin1.js'
import { type Range, withRangesMasked } from './ranges.js'
import { spellingsOf } from './spellings.js'

/** A place of a known text. */
export interface TextFound<Name> extends Range {
  /** The owner of the text. */
  readonly name: Name
}

/** Characters per look-up. */
const keyLength = 8
/** Longer texts are searched for piece by piece, so that no position costs more than so many look-ups. */
const pieceLength = 64

/** So much of a text is searched for: no secret is longer, and data would fill the memory in all its spellings. UTF-16 code units. */
const textMax = 16_384

/** Pieces with the same first eight bytes, by length, the longest first. */
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
  /** The least distance, by the last three of eight bytes, to the next beginning (Wu and Manber, 1994). */
  #shifts: Uint8Array | undefined

  get isEmpty(): boolean {
    return this.#buckets.size === 0
  }

  /** Adds a text in all of its spellings; one of fewer than 8 bytes is not one. */
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
      // Many a survey knows no secret.
      this.#shifts ??= new Uint8Array(1 << shiftBits).fill(keyLength - 2)
      for (let at = 0; at + 3 <= keyLength; at++) {
        const slot = tripleAt(piece, at)
        this.#shifts[slot] = Math.min(this.#shifts[slot] as number, keyLength - 3 - at)
      }
    }
    if (bucket.pieces.has(piece)) return
    bucket.pieces.set(piece, name)
    if (!bucket.lengths.includes(piece.length)) bucket.lengths.push(piece.length)
    bucket.lengths.sort((a, b) => b - a)
  }

  /** Every place of a known text, in order; what overlaps or touches, and is of one name, is one. */
  in(text: string): TextFound<Name>[] {
    const found: TextFound<Name>[] = []
    const shifts = this.#shifts
    if (!shifts) return found
    for (let at = keyLength - 1; at < text.length; ) {
      const shift = shifts[
        (text.charCodeAt(at - 2) ^ (text.charCodeAt(at - 1) << 5) ^ (text.charCodeAt(at) << 10)) & shiftMask
      ] as number
      if (shift === 0) this.#takeAt(at + 1 - keyLength, (start, end) => text.slice(start, end), found)
      at += shift || 1
    }
    return found
  }

  /** The same in bytes, each taken for a sign: twice as fast as making a text of them first. */
  inBytes(bytes: Uint8Array): TextFound<Name>[] {
    const found: TextFound<Name>[] = []
    const shifts = this.#shifts
    if (!shifts) return found
    const slice = (start: number, end: number) => latin1(bytes.subarray(start, end))
    const { length } = bytes
    for (let at = keyLength - 1; at < length; ) {
      const shift = shifts[
        ((bytes[at - 2] as number) ^ ((bytes[at - 1] as number) << 5) ^ ((bytes[at] as number) << 10)) & shiftMask
      ] as number
      if (shift === 0) this.#takeAt(at + 1 - keyLength, slice, found)
      at += shift || 1
    }
    return found
  }

  /** Takes what stands at a place, if anything does; the longest counts. */
  #takeAt(at: number, slice: (start: number, end: number) => string, found: TextFound<Name>[]): void {
    const bucket = this.#buckets.get(slice(at, at + keyLength))
    const length = bucket?.lengths.find((each) => bucket.pieces.has(slice(at, at + each)))
    if (!bucket || length === undefined) return
    const name = bucket.pieces.get(slice(at, at + length)) as Name
    const last = found.at(-1)
    if (last && at <= last.end && last.name === name)
      found[found.length - 1] = { ...last, end: Math.max(last.end, at + length) }
    else found.push({ start: at, end: at + length, name })
  }

  /** A text with every known text masked. */
  mask(text: string): string {
    return withRangesMasked(text, this.in(text))
  }
}

/** Numbers that stand for three characters have so many bits: the table has to stay near the processor. */
const shiftBits = 17
const shiftMask = (1 << shiftBits) - 1

function tripleAt(text: string, at: number): number {
  return (text.charCodeAt(at) ^ (text.charCodeAt(at + 1) << 5) ^ (text.charCodeAt(at + 2) << 10)) & shiftMask
}
