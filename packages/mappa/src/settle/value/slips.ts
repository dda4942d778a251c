import type { AnyEntry } from '../../legend/entry.js'

/** A value that is right by its entry's words, but hardly intended. */
export type Slip = 'placeholder' | 'key-of-other-stage'

/** Placeholders of samples and guides. In ASCII: one other character would make Node keep two bytes for each of the preload. */
const placeholder =
  /^(?:change[-_ ]?(?:me|this)|replace[-_ ]?(?:me|this)|your[-_ ].*|<.*>|\.{3}|\u2026|x{3,}|todo|tbd|fill[-_ ]?(?:me|this)[-_ ]?in|insert[-_ ].*[-_ ]here)$/i

/** A key that says what it is for: `sms_live_…`, `tile-test-…`. */
const labelled = /^[a-z]{2,12}[_-](?:(live|prod|production)|test|sandbox|dev)[_-][A-Za-z0-9_-]{4,}$/

/** The slip that a text is, if it is one that must stop. `lines` are the stage and those that it is like. */
export function slipIn(text: string, entry: AnyEntry, lines: readonly string[]): Slip | undefined {
  if (entry.type !== 'string') return undefined
  if (entry.secret && placeholder.test(text)) return 'placeholder'
  return lines.includes('production') && keyFor(text, entry) === 'test' ? 'key-of-other-stage' : undefined
}

/** The stage kind of a key by its shape. A pattern in the entry has precedence. */
export function keyFor(text: string, { secret, reach, pattern, type }: AnyEntry): 'live' | 'test' | undefined {
  if (type !== 'string' || pattern !== undefined || !(secret || reach === 'browser')) return undefined
  const found = labelled.exec(text)
  return found ? (found[1] === undefined ? 'test' : 'live') : undefined
}

/** Tells whether a text that is not a secret looks like a placeholder. */
export function isPlaceholder(text: string): boolean {
  return placeholder.test(text)
}

/** Secrets with less than this may be found by trying, whatever is tried; bits. */
const bitsMin = 40
/** Popular passwords: tried before anything else. */
const common =
  /^(?:pass(?:word|wd)?|secret|admin|root|test|qwerty|letmein|welcome|abc|default|geheim|123)[\w!@#$%-]{0,6}$/i

/** Tells whether a secret could be guessed: too short for its characters, or what everyone tries first. */
export function isGuessable(text: string): boolean {
  const kinds = [/[a-z]/, /[A-Z]/, /[0-9]/, /[^A-Za-z0-9]/].filter((kind) => kind.test(text))
  const alphabet = kinds.length === 0 ? 1 : ([0, 26, 52, 62, 94][kinds.length] as number)
  // A character that comes again and again adds little.
  const distinct = new Set(text).size
  const bits = Math.min(text.length, distinct * 2) * Math.log2(alphabet)
  return common.test(text) || bits < bitsMin
}
