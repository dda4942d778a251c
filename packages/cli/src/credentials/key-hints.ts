import { wordsOf } from '../code/words.js'
import { takesKey } from './more-shapes.js'
import { mayOpen, valueMax, valueMin } from './opens.js'

/** Marks of prefixed keys, in either case. All have one length, so that a search can jump. */
const marks = ['live', 'test', 'prod', 'secr', 'priv'].flatMap((word) => [`_${word}`, `-${word}`])
const markLength = 5
const tableMask = (1 << 14) - 1

/** A byte of a letter in either case, and of other characters something of their own. */
const fold = 0x20

/** The least distance, by two bytes, to the next mark (Wu and Manber, 1994). */
const shifts = new Uint8Array(tableMask + 1).fill(markLength - 1)
const markNumbers = new Set<number>()
for (const mark of marks) {
  const bytes = [...mark].map((char) => char.charCodeAt(0) | fold)
  for (let at = 0; at + 2 <= markLength; at++) {
    const slot = slotOf(bytes[at] as number, bytes[at + 1] as number)
    shifts[slot] = Math.min(shifts[slot] as number, markLength - 2 - at)
  }
  markNumbers.add(numberOf(bytes, 0))
}

function slotOf(first: number, second: number): number {
  return (first ^ (second << 6)) & tableMask
}

function numberOf(bytes: ArrayLike<number>, at: number): number {
  let number = 0
  for (let step = 0; step < markLength; step++) number = number * 256 + ((bytes[at + step] as number) | fold)
  return number
}

/**
 * Where a text may hold a key, by its bytes: wider than what looks closely, and in a small part of its time. `hit` is told the
 * offset, and says whether to go on.
 */
export function eachKeyHint(bytes: Uint8Array, hit: (offset: number) => boolean): void {
  const { length } = bytes
  for (let at = markLength - 1; at < length; ) {
    const shift = shifts[
      (((bytes[at - 1] as number) | fold) ^ (((bytes[at] as number) | fold) << 6)) & tableMask
    ] as number
    if (shift === 0) {
      const start = at + 1 - markLength
      if (markNumbers.has(numberOf(bytes, start)) && mayGoOn(bytes, at + 1) && !hit(start)) return
    }
    at += shift || 1
  }
  const text = Buffer.from(bytes.buffer, bytes.byteOffset, bytes.byteLength)
  for (const [mark, follows] of fixedMarks)
    for (let at = text.indexOf(mark); at >= 0; at = text.indexOf(mark, at + mark.length))
      if (follows(bytes, at + mark.length) && !hit(at)) return
  for (let at = nameMin; at < length; at++) {
    const byte = bytes[at] as number
    const isHint =
      gives[byte] === 1
        ? mayBeValue(bytes, at + 1) && isNamed(bytes, at - 1)
        : byte === 95 || byte === 45
          ? isPrefixed(bytes, at)
          : byte === 40
            ? isCall(bytes, at)
            : byte === 32 && bytes[at - 1] !== 32 && isOption(bytes, at)
    if (isHint && !hit(at)) return
  }
}

/** `--password word`: a blank behind an option that is one's name. */
function isOption(bytes: Uint8Array, at: number): boolean {
  if (!isNameByte(bytes[at - 1] as number)) return false
  let start = at
  while (start > 0 && at - start <= nameMax && isNameByte(bytes[start - 1] as number)) start--
  return bytes[start] === 45 && bytes[start + 1] === 45 && mayBeValue(bytes, at + 1) && isNamed(bytes, at - 1)
}

/** Beginnings of other keys, and what must follow: an address with a password, a private key, a signed token (RFC 7519). */
const fixedMarks: readonly (readonly [mark: string, follows: (bytes: Uint8Array, from: number) => boolean])[] = [
  ['://', hasUser],
  ['-----BEGIN ', () => true],
  ['AKIA', hasKey],
  ['ASIA', hasKey],
  ['earer ', (bytes, from) => hasKey(bytes, afterBlanks(bytes, from))],
  ['asic ', (bytes, from) => hasKey(bytes, afterBlanks(bytes, from), true)],
  ['hook', (bytes, from) => mayGoOn(bytes, from)],
  ['-u', (bytes, from) => isBlank(bytes[from]) || bytes[from] === 61],
  ['--user', (bytes, from) => isBlank(bytes[from]) || bytes[from] === 61],
  ['value', (bytes, from) => bytes.subarray(from, from + 6).includes(58)],
  ['eyJ', (bytes, from) => valueEnds[bytes[from] as number] !== 1],
]

/** Signs behind which a name's value stands: `: = | ? ,`, and a blank behind an option. */
const gives = new Uint8Array(256)
for (const char of ':=|?,') gives[char.charCodeAt(0)] = 1

/** The first byte that is not a blank, of the next few. */
function afterBlanks(bytes: Uint8Array, from: number): number {
  let at = from
  while (at < from + blanksMax && isBlank(bytes[at])) at++
  return at
}

/** A key of sixteen characters or more, with a digit unless it is base64 of words. */
function hasKey(bytes: Uint8Array, from: number, isText = false): boolean {
  let digits = 0
  for (let at = from; at < from + 16; at++) {
    const byte = bytes[at] as number
    if (byte === undefined || byte <= 32 || valueEnds[byte] === 1) return false
    if (byte >= 48 && byte <= 57) digits++
  }
  return isText || digits > 0 || mayGoOn(bytes, from + 16)
}

/** Tells whether some twenty letters and digits follow, and before stand some small letters. */
function isPrefixed(bytes: Uint8Array, at: number): boolean {
  let digits = 0
  for (let next = at + 1; next <= at + 20; next++) {
    const byte = bytes[next] as number
    if (byte >= 48 && byte <= 57) digits++
    else if (!((byte >= 97 && byte <= 122) || (byte >= 65 && byte <= 90))) return false
  }
  const [before, other] = [bytes[at - 1] as number, bytes[at - 2] as number]
  return (digits > 0 || mayGoOn(bytes, at + 21)) && before >= 97 && before <= 122 && other >= 97 && other <= 122
}

/** Tells whether a call is one that may be given a key, and a text follows. */
function isCall(bytes: Uint8Array, at: number): boolean {
  if (!isQuote(bytes[afterBlanks(bytes, at + 1)]) || !mayBeValue(bytes, at + 1)) return false
  let start = at
  while (start > 0 && at - start <= nameMax && isNameByte(bytes[start - 1] as number)) start--
  if (at - start < nameMin) return false
  const name = Buffer.from(bytes.buffer, bytes.byteOffset + start, at - start).toString('latin1')
  return takesKey(name, false) || takesKey(name, true)
}

/** Signs that end a value without quotes, or any. */
const valueEnds = new Uint8Array(256)
for (const char of ' \t\r\n"\'`,;(){}[]<>') valueEnds[char.charCodeAt(0)] = 1

const blanksMax = 4

function isBlank(byte: number | undefined): boolean {
  return byte === 32 || byte === 9
}

function isQuote(byte: number | undefined): boolean {
  return byte === 34 || byte === 39 || byte === 96
}

/** Tells whether a value that opens something may follow: it has a digit and is long enough, up to `valueEnd`. */
function mayBeValue(bytes: Uint8Array, from: number): boolean {
  let at = from
  const second = bytes[at]
  // The second sign of := => || and ??.
  if (second === 61 || second === 62 || second === 124 || second === 63) at++
  for (let blanks = 0; blanks < blanksMax && isBlank(bytes[at]); blanks++) at++
  const quote = isQuote(bytes[at]) ? bytes[at++] : undefined
  let hasDigit = false
  const start = at
  for (const last = Math.min(at + valueMax, bytes.length); at < last; at++) {
    const byte = bytes[at] as number
    if (byte >= 48 && byte <= 57) hasDigit = true
    if (quote === undefined ? valueEnds[byte] === 1 : byte === quote || byte === 10) break
    if (hasDigit && at - start >= valueMin) return true
  }
  return hasDigit && at - start >= valueMin
}

/** Tells whether a name stands before that may open something. */
function isNamed(bytes: Uint8Array, from: number): boolean {
  let at = from
  const first = bytes[at]
  if (first === 61 || first === 58 || first === 124 || first === 63) at--
  for (let blanks = 0; blanks < blanksMax && isBlank(bytes[at]); blanks++) at--
  if (isQuote(bytes[at])) at--
  const end = at + 1
  while (at >= 0 && end - at <= nameMax && isNameByte(bytes[at] as number)) at--
  if (end - at - 1 < nameMin) return false
  const name = Buffer.from(bytes.buffer, bytes.byteOffset + at + 1, end - at - 1).toString('latin1')
  let known = knownNames.get(name)
  if (known === undefined) {
    known = mayOpen(wordsOf(name))
    if (knownNames.size >= namedCountMax) knownNames.clear()
    knownNames.set(name, known)
  }
  return known
}

const nameMin = 3
const nameMax = 62

/** Names that were looked at: code says the same ones again and again. */
const knownNames = new Map<string, boolean>()
const namedCountMax = 10_000

/** Letters, digits, `_`, `$`, `.` and `-`. */
function isNameByte(byte: number): boolean {
  return (
    (byte >= 97 && byte <= 122) ||
    (byte >= 65 && byte <= 90) ||
    (byte >= 48 && byte <= 57) ||
    byte === 95 ||
    byte === 36 ||
    byte === 46 ||
    byte === 45
  )
}

/** Tells whether a digit follows in the same word. */
function mayGoOn(bytes: Uint8Array, from: number): boolean {
  for (let at = from; at < bytes.length && at - from < valueMax; at++) {
    const byte = bytes[at] as number
    if (valueEnds[byte] === 1) return false
    if (byte >= 48 && byte <= 57) return true
  }
  return false
}

/** Tells whether what follows `://` names a user and a password. */
function hasUser(bytes: Uint8Array, from: number): boolean {
  let colon = false
  for (let at = from; at < Math.min(from + 300, bytes.length); at++) {
    const byte = bytes[at] as number
    if (byte === 64) return colon
    if (byte === 58) colon = true
    if (byte <= 32 || byte === 47 || byte === 34 || byte === 39 || byte === 96 || byte === 63) return false
  }
  return false
}
