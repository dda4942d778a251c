import type { FaultKind, NoticeKind } from './kinds.js'

/** A place in a file. Lines and columns count from 1, columns in UTF-16 code units; the end column is exclusive. */
export interface Place {
  /** Path from the root. */
  readonly file: string
  readonly line: number
  readonly column: number
  readonly endColumn: number
}

/** The line of a place as it may be shown, secrets masked, and what of it to mark: `[start, end)`. */
export interface Excerpt {
  readonly text: string
  readonly start: number
  readonly end: number
}

interface Report<Kind extends string> {
  readonly kind: Kind
  /** The variable, if it is about one. */
  readonly name?: string
  /** One sentence: what is expected and what was found. Holds no secret. */
  readonly message: string
  /** The layer it was found in, if any. */
  readonly layer?: string
  readonly place?: Place
  readonly excerpt?: Excerpt
  /** The remedy: a sentence, or a line or command to paste. */
  readonly remedy?: string
}

/** A problem that stops. */
export type Fault = Report<FaultKind>
/** A problem that does not stop. */
export type Notice = Report<NoticeKind>

/** Text for a message: quoted, cut short, and with nothing that a terminal would obey. */
export function quote(text: string): string {
  const short = text.length > shownMax ? `${text.slice(0, shownMax)}…` : text
  return `"${printable(short)}"`
}

/** Longer values are cut in messages, which should fit on a line or two. */
const shownMax = 60

/**
 * Control characters, line ends, direction marks and lone surrogates as `\u{…}`, so that what is read is what is there. So
 * is the first character of what a CI system would obey in a log: `::error::`, `##[error]`.
 */
export function printable(text: string): string {
  if (typeof text !== 'string') throw new TypeError('printable takes a text.')
  return text.replace(
    // Cc and Cs by their numbers: looking the classes up would cost every start.
    /[\0-\x1f\x7f-\x9f\ud800-\udfff\u2028\u2029\u200e\u200f\u202a-\u202e\u2066-\u2069\u061c]|(?<=^|\s):(?=:[a-z-]+(?:\s|::))|#(?=#(?:\[|vso\[|teamcity\[))/giu,
    (char) => shortEscapes[char] ?? `\\u{${(char.codePointAt(0) as number).toString(16)}}`,
  )
}

const shortEscapes: Readonly<Record<string, string>> = { '\n': '\\n', '\r': '\\r', '\t': '\\t' }
