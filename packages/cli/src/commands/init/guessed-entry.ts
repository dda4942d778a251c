import { wordsOf } from '../../code/words.js'
import { namesCredential } from '../../credentials/opening-names.js'
import { isLabelledKey, isPrivateKey, isSecretConnection, isSignedToken } from '../../credentials/opening-shapes.js'
import type { Words, WrittenEntry } from '../../declared/legend-edits.js'
import type { Candidate } from '../../guess/finding.js'
import { namesPhone, namesPort } from '../../guess/names.js'
import { isMail, webAddress } from '../../guess/shapes.js'
import { wordsOfEntry } from '../../lift/edit/legend.js'

/** Facts about a variable before it has an entry. */
export interface Known {
  readonly name: string
  /** Its texts in layer files, by those files; empty ones are left out. */
  readonly texts: ReadonlyMap<string, string>
  /** Texts that starts of the project give it: its type must take them, too. */
  readonly started: readonly string[]
  /** The comment above it. */
  readonly comment: string | undefined
  /** The candidate of its reads in code, if any. */
  readonly read: Candidate | undefined
  /** True if it reaches pages: by its name, where a bundler puts such there, or by where code reads it. */
  readonly page: boolean
}

/** An entry for a variable, guessed from its texts, its name and the code that reads it. */
export function guessedEntry({ name, texts, started, comment, read, page }: Known): WrittenEntry {
  const values = [...texts.values(), ...started].filter((text) => !text.includes('${'))
  const secret = !page && seemsSecret(name, values, read)
  const words: Words = {
    ...typeWords(name, values, read, secret),
    ...(secret && { secret: true }),
    ...(page && { reach: 'browser' }),
  }
  const own = read?.entry.default
  // Unchanged code splits the text itself.
  const fallback = typeof own === 'object' ? own.join(',') : own
  const isGiven = texts.size > 0
  // Unchanged code would take the text "false" for true.
  const isFalse =
    fallback === false && (read?.sites.some(({ variable }) => variable?.fallback?.form === 'boolean') ?? false)
  // A value that every stage has is required, unless code checks for it.
  const isAskedFor = read?.sites.some(({ variable }) => variable?.asks) ?? false
  const optional = isShared(texts) ? isAskedFor : (read?.entry.optional ?? (!isGiven && read === undefined))
  // A credential in code is not a default, and code goes on with it.
  const reads = read?.sites.filter(({ variable }) => variable?.given !== true) ?? []
  const isFallenBack =
    fallback !== undefined || (reads.length > 0 && reads.every(({ variable }) => variable?.fallback !== undefined))
  const value = fallback === undefined || isFalse || secret ? undefined : defaultOf(words.type, fallback)
  return {
    name,
    words: {
      ...words,
      ...(value !== undefined && { default: value }),
      // With a fallback, code goes on without a value.
      ...(value === undefined && (isFallenBack || isOptional(texts, optional)) && { optional: true }),
    },
    ...(comment && { description: comment }),
  }
}

/** Tells whether a stage may do without it: code deals with that, or only some stages have it. */
function isOptional(texts: ReadonlyMap<string, string>, optional: boolean): boolean {
  return optional || (texts.size > 0 && !isShared(texts))
}

/** Tells whether every stage finds it in a file: what all share, or each stage's own. */
function isShared(texts: ReadonlyMap<string, string>): boolean {
  const files = [...texts.keys()]
  return (
    files.some((file) => file === '.env' || file === '.env.local') ||
    ['development', 'production'].every((stage) => files.some((file) => file.startsWith(`.env.${stage}`)))
  )
}

function seemsSecret(name: string, values: readonly string[], read: Candidate | undefined): boolean {
  const words = wordsOf(name)
  if (read?.secret === true) return true
  if (words.includes('public') || words.includes('publishable')) return false
  return (
    namesCredential(words) ||
    opening.has(words.at(-1) ?? '') ||
    values.some((text) => isPrivateKey(text) || isSignedToken(text) || isLabelledKey(text) || isSecretConnection(text))
  )
}

/** Last words of names whose values open something. Too many secrets do less harm than one too few. */
const opening: ReadonlySet<string> = new Set(
  'key token secret password passwd passphrase pass pwd salt pepper credential credentials'.split(' '),
)

function typeWords(name: string, values: readonly string[], read: Candidate | undefined, secret: boolean): Words {
  const words = wordsOf(name)
  const all = (test: (text: string) => boolean) => values.length > 0 && values.every(test)
  if (all(isPrivateKey)) return { type: 'pem' }
  if (secret) return { type: 'string' }
  if (namesPort(words) && all((text) => /^[1-9]\d{0,4}$/.test(text) && Number(text) < 65536)) return { type: 'port' }
  if (all((text) => /^(?:true|false)$/.test(text))) return { type: 'boolean' }
  // Numbers that nobody counts with stay text.
  if (!namesPhone(words) && !/_(?:ID|VERSION|CODE|PIN)$/.test(name)) {
    if (all((text) => /^-?(?:0|[1-9]\d{0,14})$/.test(text))) return { type: 'integer' }
    if (all((text) => /^-?\d{1,15}\.\d{1,15}$/.test(text))) return { type: 'number' }
  }
  if (all((text) => webAddress(text) !== undefined)) return { type: 'string', format: 'uri' }
  if (all((text) => isMail(text) && !text.includes('<'))) return { type: 'string', format: 'email' }
  if (values.length > 0 || !read) return { type: 'string' }
  const { type, format } = wordsOfEntry(read)
  if (type === 'array') return { type: 'string' }
  return { ...(type !== undefined && { type }), ...(format !== undefined && { format }) } as Words
}

/** A fallback of code as the default of a guessed type; undefined if its text would be another one. */
function defaultOf(type: unknown, fallback: string | number | boolean): string | number | boolean | undefined {
  const text = String(fallback)
  if (type === 'boolean') return /^(?:true|false)$/.test(text) ? text === 'true' : undefined
  if (type === 'string') return typeof fallback === 'string' ? fallback : undefined
  if (type !== 'integer' && type !== 'number' && type !== 'port') return undefined
  const number = Number(text)
  return String(number) === text && (type === 'number' || Number.isInteger(number)) ? number : undefined
}
