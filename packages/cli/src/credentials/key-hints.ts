/** Parts of words that stand before keys, or begin them; letters of both cases are one. All of one length, so that a search can jump. */
const words = [
  ...['passw', 'passp', 'secre', 'token', 'crede', 'apike', 'api_k', 'api-k'],
  ...['esske', 'ess_k', 'ess-k', 'ateke', 'ate_k', 'ate-k', 'ingke', 'ing_k', 'ing-k', 'ionke', 'ion_k', 'ion-k'],
  ...['_live', '-live', '_test', '-test', '_prod', '-prod', '_priv', '-priv'],
  // How signed tokens begin (RFC 7515, appendix A).
  ...['eyjhb', 'eyj0e', 'eyjra', 'eyjqa', 'eyj4n', 'eyjja'],
]
const wordLength = 5
const tableMask = (1 << 14) - 1

/** A byte of a letter in either case, and of other signs something of their own. */
const fold = 0x20

/** How far on, by two bytes, a word can begin at the earliest (Wu and Manber, 1994). */
const shifts = new Uint8Array(tableMask + 1).fill(wordLength - 1)
const wordNumbers = new Set<number>()
for (const word of words) {
  const bytes = [...word].map((sign) => sign.charCodeAt(0) | fold)
  for (let at = 0; at + 2 <= wordLength; at++) {
    const slot = slotOf(bytes[at] as number, bytes[at + 1] as number)
    shifts[slot] = Math.min(shifts[slot] as number, wordLength - 2 - at)
  }
  wordNumbers.add(numberOf(bytes, 0))
}

function slotOf(first: number, second: number): number {
  return (first ^ (second << 6)) & tableMask
}

function numberOf(bytes: ArrayLike<number>, at: number): number {
  let number = 0
  for (let step = 0; step < wordLength; step++) number = number * 256 + ((bytes[at + step] as number) | fold)
  return number
}

/** What a value is looked for in, behind a word. Bytes. */
const reach = 96

/**
 * Where a text may hold a key, by its bytes: wide, and in a small part of the time that looking closely takes. `hit` is told
 * the offset, and says whether to go on.
 */
export function eachKeyHint(bytes: Uint8Array, hit: (offset: number) => boolean): void {
  const { length } = bytes
  for (let at = wordLength - 1; at < length; ) {
    const shift = shifts[
      (((bytes[at - 1] as number) | fold) ^ (((bytes[at] as number) | fold) << 6)) & tableMask
    ] as number
    if (shift === 0) {
      const start = at + 1 - wordLength
      if (wordNumbers.has(numberOf(bytes, start)) && mayGoOn(bytes, at + 1) && !hit(start)) return
    }
    at += shift || 1
  }
  const text = Buffer.from(bytes.buffer, bytes.byteOffset, bytes.byteLength)
  for (const mark of ['://', '-----BEGIN '])
    for (let at = text.indexOf(mark); at >= 0; at = text.indexOf(mark, at + mark.length))
      if ((mark !== '://' || hasUser(bytes, at + 3)) && !hit(at)) return
}

/** Whether a digit follows in the same line and word, or behind a sign that gives a value. */
function mayGoOn(bytes: Uint8Array, from: number): boolean {
  const end = Math.min(from + reach, bytes.length)
  let hasDigit = false
  let isGiven = false
  let signs = 0
  for (let at = from; at < end; at++) {
    const byte = bytes[at] as number
    if (byte === 10 || byte === 13) break
    if (byte >= 48 && byte <= 57) hasDigit = true
    if (byte === 58 || byte === 61) isGiven = true
    // A call or a block is no value.
    if (byte === 40 || byte === 123 || byte === 59) break
    signs++
  }
  return hasDigit && signs >= 8 && (isGiven || signs >= 12)
}

/** Whether what follows `://` names a user and a password. */
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
