import { isNameOfShell } from 'mappa/command'
import type { ReaderAnswer } from './reader.js'

/** Longer values are not told: each may hold another twice. */
const expandedTextMax = 100_000

/** What ends the part of a file that can be told: a command, a substitution, a construct in which shells differ. */
class Open extends Error {}

/**
 * Reads as a POSIX shell sources a file with `set -a` (POSIX, 2.2 Quoting, 2.6 Word Expansions). Only
 * assignments are told; behind anything that would run a command, all names have the value undefined.
 */
export function readAsShell(text: string, around: ReadonlyMap<string, string> = new Map()): ReaderAnswer {
  const values = new Map<string, string | undefined>()
  const reading = new ShellText(text, values, around)
  try {
    while (reading.line());
  } catch (error) {
    if (!(error instanceof Open)) throw error
    // What comes behind may set them again.
    for (const [name] of values) values.set(name, undefined)
    for (const [, name = ''] of text.matchAll(/\b([A-Za-z_]\w*)=/g)) values.set(name, undefined)
    return { values, untoldAt: text.slice(0, reading.start).split('\n').length }
  }
  return { values }
}

class ShellText {
  readonly #text: string
  readonly #values: Map<string, string | undefined>
  readonly #around: ReadonlyMap<string, string>
  #at = 0
  /** Where the line that is read begins. */
  start = 0

  constructor(text: string, values: Map<string, string | undefined>, around: ReadonlyMap<string, string>) {
    this.#text = text
    this.#values = values
    this.#around = around
  }

  /** One line: a comment, or assignments, behind `export` or not. False at the end. */
  line(): boolean {
    this.#take(/[ \t\n]*/y)
    if (this.#at >= this.#text.length) return false
    this.start = this.#at
    if (this.#take(/#[^\n]*/y) !== undefined) return true
    const exports = this.#take(/export[ \t]+/y) !== undefined
    do {
      const name = this.#take(/[A-Za-z_]\w*(?==)/y)
      if (name === undefined) throw new Open()
      this.#at++
      this.#values.set(name, this.#word(exports))
      this.#take(/[ \t]+/y)
      if (this.#take(/#[^\n]*/y) !== undefined) return true
    } while (this.#at < this.#text.length && this.#text[this.#at] !== '\n')
    return true
  }

  #take(pattern: RegExp): string | undefined {
    pattern.lastIndex = this.#at
    const found = pattern.exec(this.#text)
    if (!found) return undefined
    this.#at = pattern.lastIndex
    return found[0]
  }

  /** The value of an assignment, up to a blank or the end of its line. */
  #word(isSplit: boolean): string {
    let value = ''
    while (this.#at < this.#text.length) {
      const char = this.#text.charAt(this.#at)
      if (/[ \t\n]/.test(char)) break
      this.#at++
      if (char === "'") value += this.#upTo("'")
      else if (char === '"') value += this.#double()
      else if (char === '\\') {
        const next = this.#text[this.#at++]
        if (next === undefined) throw new Open()
        if (next !== '\n') value += next
      } else if (char === '$') {
        const own = this.#dollar(true)
        // An argument of export may be split.
        if (isSplit && /[ \t\n*?[\\]/.test(own)) throw new Open()
        value += own
        if (value.length > expandedTextMax) throw new Open()
      } else if (/[`;&|<>()]/.test(char) || (char === '~' && (value === '' || value.endsWith(':')))) throw new Open()
      else if (isSplit && /[*?[]/.test(char)) throw new Open()
      else value += char
    }
    return value
  }

  #upTo(sign: string): string {
    const end = this.#text.indexOf(sign, this.#at)
    if (end === -1) throw new Open()
    const found = this.#text.slice(this.#at, end)
    this.#at = end + 1
    return found
  }

  #double(): string {
    let value = ''
    for (;;) {
      const char = this.#text[this.#at++]
      if (char === undefined || char === '`') throw new Open()
      if (char === '"') return value
      if (char === '\\') {
        const next = this.#text[this.#at++]
        if (next === undefined) throw new Open()
        if (next !== '\n') value += /[$`"\\]/.test(next) ? next : `\\${next}`
      } else value += char === '$' ? this.#dollar(false) : char
      if (value.length > expandedTextMax) throw new Open()
    }
  }

  /** What stands behind a dollar sign. */
  #dollar(isBare: boolean): string {
    const name = this.#take(/[A-Za-z_]\w*/y)
    // A line that goes on belongs to the name.
    if (this.#text.startsWith('\\\n', this.#at)) throw new Open()
    if (name !== undefined) return this.#valueOf(name) ?? ''
    // Where quotes would be meant, shells differ.
    if (isBare && /['"]/.test(this.#text[this.#at] ?? '')) throw new Open()
    if (/[\d@*#?$!(-]/.test(this.#text[this.#at] ?? '')) throw new Open()
    if (this.#text[this.#at] !== '{') return '$'
    const expansion = /\{([A-Za-z_]\w*)(?:(:?[-+])([\w.,/:@%+=-]*))?\}/y
    expansion.lastIndex = this.#at
    const [all, mentioned = '', operator, word = ''] = expansion.exec(this.#text) ?? []
    if (all === undefined) throw new Open()
    this.#at += all.length
    const own = this.#valueOf(mentioned)
    const isGiven = operator?.startsWith(':') ? own !== undefined && own !== '' : own !== undefined
    if (operator === undefined) return own ?? ''
    return operator.endsWith('-') ? (isGiven ? (own ?? '') : word) : isGiven ? word : ''
  }

  #valueOf(name: string): string | undefined {
    // A shell gives such names values of its own.
    if (name === '_' || isNameOfShell(name)) throw new Open()
    if (!this.#values.has(name)) return this.#around.get(name)
    const own = this.#values.get(name)
    if (own === undefined) throw new Open()
    return own
  }
}
