import type { Flaw } from '../format/scan.js'
import type { Breach } from '../legend/constraints.js'
import type { Slip } from './slips.js'

/** What stops: each kind says what is wrong. */
export type FaultKind =
  | 'missing'
  | Breach
  | Flaw
  | 'unset'
  | 'asked-for'
  | 'cycle'
  | 'too-long'
  | 'too-deep'
  | 'bare-dollar'
  | 'secret-in-browser'
  | 'unreadable'
  | 'unknown-stage'
  | 'stage-in-layer'
  | 'no-layers'
  | 'legend'
  | 'refused'
  | 'server-only'
  | 'undeclared'
  | 'hidden-by-local'
  | 'set-twice'
  | 'remote'
  | 'nested-stage'
  | 'no-entry'
  | Slip
  | 'schema-issue'
  | 'read-failed'
  | 'not-plain'
  | 'needs-waiting'
  | 'rule'
  | 'slow-pattern'

/** What does not stop. */
export type NoticeKind =
  | 'undeclared'
  | 'read-differently'
  | 'hidden-by-local'
  | 'empty-ignored'
  | 'changes-loading'
  | 'misnamed'
  | 'writable-by-others'
  | 'unread'
  | 'computed-read'
  | 'unparsed'
  | 'former-name'
  | 'deprecated'
  | 'placeholder'
  | 'key-of-other-stage'
  | 'weak-secret'
  | 'shared-secret'
  | 'password-shown'

/** Where something stands. Lines and columns count from 1, columns in UTF-16 code units; the end column is exclusive. */
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
  /** What to do: a sentence, or a line or command that can be pasted. */
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

/** Control characters, line ends, direction marks and lone surrogates as `\u{…}`, so that what is read is what is there. */
export function printable(text: string): string {
  return text.replace(
    /[\p{Cc}\p{Cs}\u2028\u2029\u200e\u200f\u202a-\u202e\u2066-\u2069]/gu,
    (char) => shortEscapes[char] ?? `\\u{${(char.codePointAt(0) as number).toString(16)}}`,
  )
}

const shortEscapes: Readonly<Record<string, string>> = { '\n': '\\n', '\r': '\\r', '\t': '\\t' }

/** The known name nearest to a mistyped one, if one is near. */
export function nearest(name: string, known: Iterable<string>): string | undefined {
  const reachMax = Math.min(3, Math.floor(name.length / 3))
  let best: string | undefined
  let least = reachMax + 1
  for (const other of known) {
    if (Math.abs(other.length - name.length) >= least) continue
    const distance = editDistance(name.toUpperCase(), other.toUpperCase())
    if (distance < least) {
      least = distance
      best = other
    }
  }
  return best
}

/** Insertions, removals, replacements and swaps of neighbours between two texts. */
function editDistance(a: string, b: string): number {
  let before: number[] = []
  let last = Array.from({ length: b.length + 1 }, (_, at) => at)
  for (let i = 1; i <= a.length; i++) {
    const row = [i]
    for (let j = 1; j <= b.length; j++) {
      const same = a[i - 1] === b[j - 1] ? 0 : 1
      let cost = Math.min((last[j] as number) + 1, (row[j - 1] as number) + 1, (last[j - 1] as number) + same)
      if (i > 1 && j > 1 && a[i - 1] === b[j - 2] && a[i - 2] === b[j - 1])
        cost = Math.min(cost, (before[j - 2] as number) + 1)
      row.push(cost)
    }
    before = last
    last = row
  }
  return last[b.length] as number
}
