import type { ReaderAnswer } from './reader.js'

const outerBlank = /[ \t]/
const lineBreak = /[\n\r]/

/**
 * Reads as the service manager reads an `EnvironmentFile`: pieces in quotes join, a backslash at the end of a line continues it, nothing
 * is expanded (its manual, systemd.exec). Written to agree with systemd 252; see the table in docs/format.md.
 */
export function readAsServiceManager(text: string): ReaderAnswer {
  const values = new Map<string, string | undefined>()
  let at = 0
  const end = text.length
  while (at < end) {
    while (at < end && /[ \t\n\r]/.test(text.charAt(at))) at++
    if (at >= end) break
    if (/[#;]/.test(text.charAt(at))) {
      at = behindComment(text, at)
      continue
    }
    // An equals sign at the start belongs to the name.
    const from = at++
    while (at < end && !lineBreak.test(text.charAt(at)) && text[at] !== '=') at++
    if (text[at] !== '=') continue
    const name = text.slice(from, at).replace(/[ \t]+$/, '')
    const { value, next } = valueAt(text, at + 1)
    // A name that no environment takes is left out with a warning.
    if (/^[A-Za-z_]\w*$/.test(name)) values.set(name, value)
    at = next
  }
  return { values }
}

/** A comment ends with its line, unless a backslash is before the line's end. */
function behindComment(text: string, from: number): number {
  let at = from
  while (at < text.length && !lineBreak.test(text.charAt(at))) at += text[at] === '\\' ? 2 : 1
  return at
}

function valueAt(text: string, from: number): { readonly value: string; readonly next: number } {
  let value = ''
  let at = from
  /** Where blanks at the end of the value begin, if those are dropped. */
  let bare = -1
  while (at < text.length) {
    const char = text.charAt(at)
    if (bare === -1) {
      if (lineBreak.test(char)) break
      if (char === "'") {
        const close = closeOf(text, at + 1, "'")
        value += text.slice(at + 1, close)
        at = close + 1
        continue
      }
      if (char === '"') {
        const piece = doublePiece(text, at + 1)
        value += piece.value
        at = piece.next
        continue
      }
      if (outerBlank.test(char)) {
        at++
        continue
      }
    }
    if (lineBreak.test(char)) break
    if (char === '\\') {
      const next = text[at + 1] ?? ''
      if (!lineBreak.test(next)) value += next
      bare = value.length
      at += 2
      continue
    }
    value += char
    if (!outerBlank.test(char)) bare = value.length
    else if (bare === -1) bare = 0
    at++
  }
  return { value: bare === -1 ? value : value.slice(0, bare), next: at }
}

function closeOf(text: string, from: number, quote: string): number {
  const found = text.indexOf(quote, from)
  return found === -1 ? text.length : found
}

function doublePiece(text: string, from: number): { readonly value: string; readonly next: number } {
  let value = ''
  let at = from
  while (at < text.length && text[at] !== '"') {
    const char = text.charAt(at)
    if (char === '\\') {
      const next = text[at + 1] ?? ''
      if (/["\\`$]/.test(next)) value += next
      else if (next !== '\n' && next !== '') value += char + next
      at += 2
    } else {
      value += char
      at++
    }
  }
  return { value, next: at + 1 }
}
