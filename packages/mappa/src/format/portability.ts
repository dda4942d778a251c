import { closingQuote } from './closing-quote.js'
import type { Style } from './item-kinds.js'
import { assignmentInside } from './names.js'

/** Parts of a value that other readers, such as a shell, read differently. */
export type Difference =
  | 'blanks'
  | 'quotes'
  | 'backslashes'
  | 'escapes'
  | 'shell-characters'
  | 'dollar'
  | 'tilde'
  | 'assignment-inside'

const expandingDollar = /\$[A-Za-z0-9_@*#?$!(-]/

/** In the order of their mention. */
const outside: readonly (readonly [Difference, RegExp])[] = [
  ['blanks', /[ \t]/],
  ['quotes', /["']/],
  ['backslashes', /\\/],
  ['shell-characters', /[`;&|<>()]/],
  ['dollar', expandingDollar],
  // POSIX, section 2.6.1: in an assignment also behind a colon.
  ['tilde', /^~|:~|\$\{[A-Za-z_]\w*:?[-+?]~/],
]

/** Why a value, as written, is outside the portable subset; empty if a shell would read it as we do. */
export function differencesOf(written: string, style: Style): readonly Difference[] {
  if (style === 'bare') return outside.flatMap(([difference, pattern]) => (pattern.test(written) ? [difference] : []))
  const found = new Set<Difference>()
  for (const piece of piecesOf(written)) {
    // A value may be millions of short pieces, so each is asked first whether it holds the sign at all.
    const inner = piece.slice(1, -1)
    if (inner === '' && !/[^'"]/.test(piece)) continue
    if (piece.startsWith('"')) {
      const hides = inner.includes('\\')
      if (hides && /\\(?!["\\$])/.test(inner.replace(/\\["\\$]/g, ''))) found.add('escapes')
      if (inner.includes('`')) found.add('shell-characters')
      if (inner.includes('$') && expandingDollar.test(hides ? inner.replace(/\\[\s\S]/g, '') : inner))
        found.add('dollar')
    } else if (!piece.startsWith("'")) {
      for (const [difference, pattern] of outside)
        if (difference !== 'tilde' && pattern.test(piece)) found.add(difference)
      // Behind a quote a tilde is an ordinary one.
      if (/:~|\$\{[A-Za-z_]\w*:?[-+?]~/.test(piece)) found.add('tilde')
    }
    if (inner.includes('\n') && assignmentInside.test(inner)) found.add('assignment-inside')
  }
  return [...found]
}

/** Quoted pieces with their quotes, and what stands between; ends at a quote that does not close. */
function* piecesOf(written: string): Generator<string> {
  for (let at = 0; at < written.length; ) {
    const char = written[at]
    const plain = /["']/g
    plain.lastIndex = at
    const end =
      char === '"'
        ? closingQuote(written, at + 1) + 1
        : char === "'"
          ? written.indexOf("'", at + 1) + 1
          : (plain.exec(written)?.index ?? written.length)
    if (end === 0) return
    yield written.slice(at, end)
    at = end
  }
}

/** Names that a shell gives a value itself; bash refuses some of them, and replaces others. POSIX, 2.5.3, and bash. */
const namesOfShells = new Set(
  'UID EUID PPID GROUPS BASHPID BASHOPTS SHELLOPTS RANDOM SRANDOM SECONDS LINENO IFS OPTIND OPTARG FUNCNAME DIRSTACK HISTCMD _'.split(
    ' ',
  ),
)

/** Tells whether a shell gives a name its value itself, so that a file cannot. */
export function isNameOfShell(name: string): boolean {
  return namesOfShells.has(name)
}
