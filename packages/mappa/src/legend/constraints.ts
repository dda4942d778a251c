import type { AnyEntry } from './entry.js'
import { formats } from './text/formats.js'
import { valueType } from './value-types.js'

/** The ways in which a value breaks its entry; the words are those of fault kinds. */
export type Breach =
  | 'wrong-type'
  | 'not-allowed'
  | 'out-of-range'
  | 'wrong-length'
  | 'wrong-form'
  | 'wrong-item'
  | 'slow-pattern'

/** The first constraint of an entry that a value of the right type breaks. Words as JSON Schema 2020-12 means them. */
export function breachOf(entry: AnyEntry, value: unknown): Breach | undefined {
  if (!hasType(entry, value)) return 'wrong-type'
  if (entry.enum && !entry.enum.some((each) => isSame(each, value))) return 'not-allowed'
  if (typeof value === 'number') return inRange(entry, value) ? undefined : 'out-of-range'
  if (typeof value === 'string') return entry.type === 'string' ? textBreach(entry, value) : undefined
  if (Array.isArray(value)) return listBreach(entry, value)
  return undefined
}

/** An entry's type and limits, to follow "must be": `a port from 1 to 65535`. */
export function describeEntry(entry: AnyEntry): string {
  const { enum: allowed, type } = entry
  if (allowed) return allowed.length === 1 ? shown(allowed[0]) : `one of ${allowed.map(shown).join(', ')}`
  if (type === 'string') return describeText(entry)
  if (type === 'array') return describeList(entry)
  return valueType(type).words.includes('limits') ? describeNumber(entry) : valueType(type).said
}

function shown(value: unknown): string {
  return typeof value === 'object' ? JSON.stringify(value) : String(value)
}

/** Tells whether a value is of an entry's type. */
export function hasType({ type }: AnyEntry, value: unknown): boolean {
  return valueType(type).holds(value)
}

/** JSON values are the same if they say the same, whatever the order of their members. */
function isSame(a: unknown, b: unknown): boolean {
  if (a === b) return true
  if (typeof a !== 'object' || typeof b !== 'object' || a === null || b === null) return false
  const [left, right] = [Object.keys(a), Object.keys(b)]
  return (
    Array.isArray(a) === Array.isArray(b) &&
    left.length === right.length &&
    left.every(
      (key) =>
        Object.hasOwn(b, key) && isSame((a as Record<string, unknown>)[key], (b as Record<string, unknown>)[key]),
    )
  )
}

function inRange(entry: AnyEntry, value: number): boolean {
  return (
    value >= leastOf(entry) &&
    value <= mostOf(entry) &&
    !(entry.exclusiveMinimum !== undefined && value <= entry.exclusiveMinimum) &&
    !(entry.exclusiveMaximum !== undefined && value >= entry.exclusiveMaximum) &&
    (entry.multipleOf === undefined || isMultiple(value, entry.multipleOf))
  )
}

/** The least that a number may be, by its entry and by its type. */
export function leastOf(entry: AnyEntry): number {
  const { schema, least: usual = Number.NEGATIVE_INFINITY } = valueType(entry.type)
  const least = schema.minimum ?? usual
  return Math.max(numberOf(entry.minimum, entry) ?? least, least)
}

/** The most that a number may be, by its entry and by its type. */
export function mostOf(entry: AnyEntry): number {
  const most = valueType(entry.type).schema.maximum ?? Number.POSITIVE_INFINITY
  return Math.min(numberOf(entry.maximum, entry) ?? most, most)
}

/** A limit or default of an amount may be written as people write amounts: `'90s'`. */
export function numberOf(value: unknown, { type }: AnyEntry): number | undefined {
  if (typeof value === 'number') return value
  if (typeof value !== 'string') return undefined
  return valueType(type).amount?.(value)
}

/** An entry's default as the value it is: an amount as its number, PEM text with its lines. Undefined without one. */
export function defaultOf(entry: AnyEntry): unknown {
  const { default: value, type } = entry
  if (typeof value !== 'string' || type === 'string') return value
  const { amount, read, code } = valueType(type)
  return (amount ? amount(value) : code === 'string' ? read(value) : undefined) ?? value
}

/** 0.3 is a multiple of 0.1 to a person, though not to binary fractions; so the quotient may be off by its last bits. */
function isMultiple(value: number, step: number): boolean {
  if (Number.isInteger(value) && Number.isInteger(step)) return value % step === 0
  // Exactly, by the digits that people write: 0.3 is a multiple of 0.1, which their nearest fractions are not.
  const [a, b] = [decimalOf(value), decimalOf(step)]
  const places = Math.max(a.places, b.places)
  // Further apart than any two numbers that somebody means.
  if (places > 400) return false
  return (a.digits * 10n ** BigInt(places - a.places)) % (b.digits * 10n ** BigInt(places - b.places)) === 0n
}

/** A finite number as the digits of its shortest form, and how many of them stand behind the point. */
function decimalOf(value: number): { readonly digits: bigint; readonly places: number } {
  const [, whole = '', fraction = '', exponent = '0'] = /^(-?\d+)(?:\.(\d+))?(?:e([+-]\d+))?$/.exec(String(value)) ?? []
  const places = fraction.length - Number(exponent)
  const digits = BigInt(whole + fraction)
  return places >= 0 ? { digits, places } : { digits: digits * 10n ** BigInt(-places), places: 0 }
}

function textBreach(entry: AnyEntry, value: string): Breach | undefined {
  const { minLength = 0, maxLength = Number.POSITIVE_INFINITY, schemes, format } = entry
  // A character takes one or two code units, so most texts need no counting.
  if (value.length < minLength * 2 || value.length > maxLength) {
    const length = characterCount(value)
    if (length < minLength || length > maxLength) return 'wrong-length'
  }
  if (entry.pattern !== undefined) {
    const fits = fitsPattern(entry.pattern, value)
    if (fits !== true) return fits === undefined ? 'slow-pattern' : 'wrong-form'
  }
  if (format !== undefined && !formats[format][0](value)) return 'wrong-form'
  if (schemes && !(formats.uri[0](value) && schemes.includes(value.slice(0, value.indexOf(':')).toLowerCase())))
    return 'wrong-form'
  return undefined
}

function listBreach(
  { items, minItems = 0, maxItems = Number.POSITIVE_INFINITY, uniqueItems }: AnyEntry,
  list: unknown[],
) {
  if (list.length < minItems || list.length > maxItems) return 'wrong-length'
  const breach = items && list.reduce<Breach | undefined>((found, item) => found ?? breachOf(items, item), undefined)
  if (breach) return breach === 'slow-pattern' ? breach : 'wrong-item'
  return uniqueItems && new Set(list).size < list.length ? 'wrong-form' : undefined
}

/** JSON Schema counts Unicode characters, not UTF-16 code units. */
function characterCount(text: string): number {
  let count = 0
  for (const _ of text) count++
  return count
}

/** Tells whether a pattern matches somewhere in a text; undefined if that takes too long. */
export type Matches = (pattern: RegExp, text: string) => boolean | undefined

let matches: Matches = (pattern, text) => pattern.test(text)

/**
 * Has patterns tried in another way: a pattern can take longer on a text than the universe is old, and the command, which
 * looks at projects that are not trusted, gives up.
 */
export function tryPatternsWith(own: Matches): void {
  matches = own
}

/** Tells whether a text matches a pattern somewhere; undefined if it takes too long to tell. */
export function fitsPattern(source: string, text: string): boolean | undefined {
  return matches(patternOf(source), text)
}

const patterns = new Map<string, RegExp>()

/** A compiled pattern; @throws {SyntaxError} if it does not compile. */
export function patternOf(source: string): RegExp {
  let pattern = patterns.get(source)
  if (!pattern) {
    pattern = new RegExp(source, 'u')
    patterns.set(source, pattern)
  }
  return pattern
}

function describeText(entry: AnyEntry): string {
  const parts: string[] = []
  const { minLength, maxLength, format, schemes } = entry
  if (schemes) parts.push(`with scheme ${schemes.join(' or ')}`)
  if (minLength !== undefined && minLength === maxLength) parts.push(`of exactly ${characters(minLength)}`)
  else if (minLength !== undefined && maxLength !== undefined) parts.push(`of ${minLength} to ${characters(maxLength)}`)
  else if (minLength !== undefined) parts.push(`of at least ${characters(minLength)}`)
  else if (maxLength !== undefined) parts.push(`of at most ${characters(maxLength)}`)
  if (entry.pattern !== undefined) parts.push(`that matches ${entry.pattern}`)
  const what = format === undefined ? (schemes ? formats.uri[1] : valueType('string').said) : formats[format][1]
  return [what, ...parts].join(' ')
}

const delimiterNames: Readonly<Record<string, string>> = {
  ',': 'commas',
  ';': 'semicolons',
  ':': 'colons',
  '|': 'bars',
  ' ': 'spaces',
}

function describeList({ items, minItems, maxItems, uniqueItems, delimiter = ',' }: AnyEntry): string {
  const parts = [`a list separated by ${delimiterNames[delimiter] ?? delimiter}`]
  if (items) parts.push(`each item ${describeEntry(items)}`)
  if (minItems !== undefined && minItems === maxItems) parts.push(`exactly ${minItems} items`)
  else if (minItems !== undefined && maxItems !== undefined) parts.push(`${minItems} to ${maxItems} items`)
  else if (minItems !== undefined) parts.push(`at least ${minItems} item${minItems === 1 ? '' : 's'}`)
  else if (maxItems !== undefined) parts.push(`at most ${maxItems} item${maxItems === 1 ? '' : 's'}`)
  if (uniqueItems) parts.push('no duplicates')
  return parts.join(', ')
}

function describeNumber(entry: AnyEntry): string {
  const [minimum, maximum] = [leastOf(entry), mostOf(entry)]
  const { exclusiveMinimum: above, exclusiveMaximum: below, type } = entry
  const { said, amount, write = String } = valueType(type)
  const isAmount = amount !== undefined
  const limit = (value: number, given: unknown) => (typeof given === 'string' ? given : write(value))
  const [least, most] = [Number.isFinite(minimum) && !(isAmount && minimum === 0), Number.isFinite(maximum)]
  const [from, to] = [limit(minimum, entry.minimum), limit(maximum, entry.maximum)]
  const limits: string[] = []
  if (above !== undefined) limits.push(`above ${above}`)
  if (least && most) limits.push(`from ${from} to ${to}`)
  else if (least) limits.push(`of at least ${from}`)
  else if (most) limits.push(above === undefined ? `of at most ${to}` : `at most ${to}`)
  if (below !== undefined) limits.push(`below ${below}`)
  const step = entry.multipleOf === undefined ? '' : `, in steps of ${entry.multipleOf}`
  return [said + (isAmount && limits.length > 0 ? ',' : ''), limits.join(' and ')].filter(Boolean).join(' ') + step
}

function characters(count: number): string {
  return count === 1 ? '1 character' : `${count} characters`
}
