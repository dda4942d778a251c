import { escapes, parseParts, unexpanded } from './expansion.js'
import type { Style } from './item-kinds.js'

/**
 * Text that a value stands for, from how it is written, with expansions left as they stand: both directions in this
 * one file.
 * `written` is a value as the scanner found it, quotes included and without a flaw.
 */
export function decodeValue(written: string, style: Style): string {
  if (style === 'bare') return written
  if (style === 'single') return plainLineEnds(written.slice(1, -1))
  if (style === 'double') return decodeDouble(written.slice(1, -1))
  const parsed = parseParts(written, style)
  return 'parts' in parsed ? unexpanded(parsed.parts) : written
}

/** `\n \r \t \" \\ \$` are escapes; any other backslash stays. */
function decodeDouble(inner: string): string {
  const text = plainLineEnds(inner)
  if (!text.includes('\\')) return text
  return text.replace(/\\([nrt"\\$])/g, (_, char: string) => escapes[char] as string)
}

function plainLineEnds(text: string): string {
  return text.includes('\r') ? text.replaceAll('\r\n', '\n') : text
}

/** Tells whether a value is made of characters that no reader of layer files takes for anything but themselves. */
export function readsPlain(value: string): boolean {
  return /^[A-Za-z0-9_./:@%+,=-]*$/.test(value)
}

/**
 * How to write `value` so that it reads back the same. Keeps `style` where it can; otherwise takes the plainest
 * form that other readers agree on: bare, then single quotes, then double.
 * @throws {RangeError} if the value holds a NUL, which no environment can carry.
 */
export function encodeValue(value: string, style?: Style): string {
  if (value.includes('\0')) throw new RangeError('A value cannot contain a NUL character: no environment can hold one.')
  if (style === 'bare' && readsBare(value)) return value
  // A shell would execute what stands between backticks in double quotes.
  if (style === 'double' && !value.includes('`')) return encodeDouble(value)
  if (style !== 'single' && style !== 'double' && readsPlain(value)) return value
  if (!/['\r]/.test(value)) return `'${value}'`
  return value.includes('`') && !value.includes('\r') ? encodeSingles(value) : encodeDouble(value)
}

/** Single-quoted pieces that join, their own quotes between them in double ones. */
function encodeSingles(value: string): string {
  return value
    .split("'")
    .map((piece) => piece && `'${piece}'`)
    .join(`"'"`)
}

function readsBare(value: string): boolean {
  return !/^["'#]|^[ \t]|[ \t]$|[ \t]#|[\n\r]|\$\{/.test(value)
}

function encodeDouble(value: string): string {
  const escaped = value.replace(/["\\$]/g, '\\$&').replaceAll('\r', '\\r')
  return `"${escaped}"`
}
