import { latin1 } from './latin1.js'

declare const TextEncoder: new () => { encode(text: string): Uint8Array }

/** A shorter text is found everywhere, and is not a secret worth the name. UTF-8 bytes; and characters of a spelling. */
export const bytesMin = 8

/**
 * The spellings in which a text travels: as it is, line by line, inside JSON, a URL or a page, in hexadecimal, and in base64
 * wherever it starts in the text that is encoded (RFC 4648, 4 and 5). Those of fewer than 8 characters are left out; none for
 * a text of fewer than 8 bytes.
 */
export function spellingsOf(text: string): readonly string[] {
  if (fewBytes(text)) return []
  const bytes = new TextEncoder().encode(text)
  const json = JSON.stringify(text).slice(1, -1)
  const escaped = percentEncoded(bytes)
  const all = [
    text,
    // As bytes that are taken for characters one by one, as a search of files takes them.
    ...(/[^\x00-\x7f]/.test(text) ? [latin1(bytes)] : []),
    ...text.split(/\r\n|\r|\n/).map((line) => line.trim()),
    json,
    JSON.stringify(json).slice(1, -1),
    escaped,
    escaped.replace(/%[0-9A-F]{2}/g, (code) => code.toLowerCase()),
    escaped.replaceAll('%20', '+'),
    percentEncoded(bytes, "!'()*"),
    percentEncoded(bytes, ":/?#[]@!$&'()*+,;="),
    text.replace(/[&<>"']/g, (char) => entities[char] as string),
    hex(bytes),
    hex(bytes).toUpperCase(),
    ...base64Forms(bytes),
  ]
  return [...new Set(all)].filter((each) => each.length >= bytesMin)
}

/** Tells whether a text has fewer than the least bytes in UTF-8; of a million short values, encoding each to see takes seconds. */
function fewBytes(text: string): boolean {
  let bytes = 0
  for (let at = 0; at < text.length && bytes < bytesMin; at++) {
    const code = text.charCodeAt(at)
    // Either half of a pair stands for two of its four bytes.
    bytes += code < 0x80 ? 1 : code < 0x800 || (code & 0xf800) === 0xd800 ? 2 : 3
  }
  return bytes < bytesMin
}

const entities: Readonly<Record<string, string>> = {
  '&': '&amp;',
  '<': '&lt;',
  '>': '&gt;',
  '"': '&quot;',
  "'": '&#39;',
}

/** RFC 3986, 2.1: unreserved characters stay, and those that are `kept`. */
function percentEncoded(bytes: Uint8Array, kept = ''): string {
  let text = ''
  for (const byte of bytes) {
    const char = String.fromCharCode(byte)
    text +=
      /[A-Za-z0-9._~-]/.test(char) || kept.includes(char)
        ? char
        : `%${byte.toString(16).toUpperCase().padStart(2, '0')}`
  }
  return text
}

function hex(bytes: Uint8Array): string {
  let text = ''
  for (const byte of bytes) text += byte.toString(16).padStart(2, '0')
  return text
}

const chars = 'ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/'

/** Base64 in both alphabets at each of three alignments, without the characters that what stands around has a part in. */
function base64Forms(bytes: Uint8Array): string[] {
  return [0, 1, 2].flatMap((ahead) => {
    let text = ''
    let held = 0
    let bits = 0
    // Bytes in front that are not known: their bits take the place of the first ones.
    for (const byte of [...new Array<number>(ahead).fill(0), ...bytes]) {
      held = ((held << 8) | byte) & 0x3fff
      bits += 8
      while (bits >= 6) {
        bits -= 6
        text += chars[(held >> bits) & 63]
      }
    }
    const whole = text.slice([0, 2, 3][ahead])
    return [whole, whole.replaceAll('+', '-').replaceAll('/', '_')]
  })
}
