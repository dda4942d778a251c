import type { AnyEntry } from './entry.js'

/** How a value breaks its entry; the words are those of fault kinds. */
export type Breach = 'wrong-type' | 'not-allowed' | 'out-of-range' | 'wrong-length' | 'wrong-form'

/** The first constraint of an entry that a value of the right type breaks. Words as JSON Schema 2020-12 means them. */
export function breachOf(entry: AnyEntry, value: unknown): Breach | undefined {
  if (!hasType(entry, value)) return 'wrong-type'
  if (entry.enum && !entry.enum.includes(value)) return 'not-allowed'
  if (typeof value === 'number') return inRange(entry, value) ? undefined : 'out-of-range'
  if (typeof value === 'string') return textBreach(entry, value)
  return undefined
}

/** What an entry takes, to follow "must be": `a port from 1 to 65535`. */
export function describeEntry(entry: AnyEntry): string {
  if (entry.enum) return entry.enum.length === 1 ? String(entry.enum[0]) : `one of ${entry.enum.join(', ')}`
  if (entry.type === 'boolean') return 'true or false'
  if (entry.type === 'string') return describeText(entry)
  return describeNumber(entry)
}

export function hasType(entry: AnyEntry, value: unknown): boolean {
  if (entry.type === 'string' || entry.type === 'boolean') return typeof value === entry.type
  if (typeof value !== 'number' || !Number.isFinite(value)) return false
  return entry.type === 'number' || Number.isSafeInteger(value)
}

function inRange(entry: AnyEntry, value: number): boolean {
  const { minimum, maximum } = boundsOf(entry)
  return (
    value >= minimum &&
    value <= maximum &&
    !(entry.exclusiveMinimum !== undefined && value <= entry.exclusiveMinimum) &&
    !(entry.exclusiveMaximum !== undefined && value >= entry.exclusiveMaximum) &&
    (entry.multipleOf === undefined || isMultiple(value, entry.multipleOf))
  )
}

function boundsOf(entry: AnyEntry): { minimum: number; maximum: number } {
  const port = entry.type === 'port'
  return {
    minimum: Math.max(entry.minimum ?? Number.NEGATIVE_INFINITY, port ? 1 : Number.NEGATIVE_INFINITY),
    maximum: Math.min(entry.maximum ?? Number.POSITIVE_INFINITY, port ? 65535 : Number.POSITIVE_INFINITY),
  }
}

/** 0.3 is a multiple of 0.1 to a person, though not to binary fractions; so the quotient may be off by its last bits. */
function isMultiple(value: number, step: number): boolean {
  const quotient = value / step
  return Math.abs(quotient - Math.round(quotient)) <= Number.EPSILON * Math.abs(quotient)
}

function textBreach(entry: AnyEntry, value: string): Breach | undefined {
  const { minLength = 0, maxLength = Number.POSITIVE_INFINITY } = entry
  // A character takes one or two code units, so most texts need no counting.
  if (value.length < minLength * 2 || value.length > maxLength) {
    const length = characterCount(value)
    if (length < minLength || length > maxLength) return 'wrong-length'
  }
  if (entry.pattern !== undefined && !patternOf(entry.pattern).test(value)) return 'wrong-form'
  if (entry.format === 'uri' && !isUri(value)) return 'wrong-form'
  return undefined
}

/** JSON Schema counts Unicode characters, not UTF-16 code units. */
function characterCount(text: string): number {
  let count = 0
  for (const _ of text) count++
  return count
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

// The core runs in browsers, workers and Node alike, and is compiled without the types of any of them.
declare const URL: { canParse(text: string): boolean }

/** An absolute URI as RFC 3986 section 4.3 has it: a scheme, and only characters that a URI may hold. */
function isUri(text: string): boolean {
  return (
    /^[A-Za-z][A-Za-z0-9+.-]*:(?:[A-Za-z0-9\-._~:/?#[\]@!$&'()*+,;=]|%[0-9A-Fa-f]{2})+$/.test(text) &&
    URL.canParse(text)
  )
}

function describeText(entry: AnyEntry): string {
  const parts: string[] = []
  const { minLength, maxLength } = entry
  if (minLength !== undefined && maxLength !== undefined) parts.push(`of ${minLength} to ${characters(maxLength)}`)
  else if (minLength !== undefined) parts.push(`of at least ${characters(minLength)}`)
  else if (maxLength !== undefined) parts.push(`of at most ${characters(maxLength)}`)
  if (entry.pattern !== undefined) parts.push(`that matches ${entry.pattern}`)
  const what = entry.format === 'uri' ? 'an absolute URL' : 'text'
  return [what, ...parts].join(' ')
}

function describeNumber(entry: AnyEntry): string {
  const { minimum, maximum } = boundsOf(entry)
  const { exclusiveMinimum: above, exclusiveMaximum: below } = entry
  const [least, most] = [Number.isFinite(minimum), Number.isFinite(maximum)]
  const limits: string[] = []
  if (above !== undefined) limits.push(`above ${above}`)
  if (least && most) limits.push(`from ${minimum} to ${maximum}`)
  else if (least) limits.push(`of at least ${minimum}`)
  else if (most) limits.push(above === undefined ? `of at most ${maximum}` : `at most ${maximum}`)
  if (below !== undefined) limits.push(`below ${below}`)
  const what = { integer: 'a whole number', port: 'a port', number: 'a number' }[
    entry.type as 'integer' | 'port' | 'number'
  ]
  const step = entry.multipleOf === undefined ? '' : `, in steps of ${entry.multipleOf}`
  return [what, limits.join(' and ')].filter(Boolean).join(' ') + step
}

function characters(count: number): string {
  return count === 1 ? '1 character' : `${count} characters`
}
