import { wordsOf } from '../code/words.js'
import type { DefaultValue, VariableEntry, VariableUse } from './finding.js'
import { namesPort } from './names.js'

/** The entry that the uses of one variable ask for, with values from elsewhere: scripts and containers. */
export function entryOf(uses: readonly VariableUse[], values: readonly string[]): VariableEntry {
  const words = wordsOf(uses[0]?.name ?? '')
  const reads = uses.filter(({ given }) => !given)
  const fallbacks = [...new Set(reads.flatMap(({ fallback }) => fallback?.text ?? []))]
  const secret = uses.some((use) => use.secret)
  const stuck = uses.find((use) => use.stuck)?.stuck
  const asks = reads.some((use) => use.asks)
  const [fallback] = fallbacks
  // A fallback of one place only stays in code: other places would not have it.
  const isMixed = fallback !== undefined && reads.some((use) => use.asks || !use.fallback)
  const blocked =
    stuck ??
    (fallbacks.length > 1
      ? `Code falls back to different values: ${secret ? '(secret)' : fallbacks.join(', ')}. Make them the same first.`
      : isMixed && secret
        ? 'One place falls back to a credential, another does not. Make them the same first.'
        : undefined)
  const base = { secret, optional: false, ...(blocked !== undefined && { blocked }) }
  const switches = reads.filter(({ wanted }) => wanted === 'switch')
  if (
    switches.length > 0 &&
    switches.length === reads.length &&
    new Set(reads.map(({ without }) => without)).size === 1
  )
    return { ...base, type: 'boolean', default: reads[0]?.without === true }
  const optional = reads.length > 0 && !isNeeded(reads)
  if (switches.length > 0 || isMixed || (fallback === undefined && (asks || optional)))
    return { ...base, type: 'string', optional }
  const type = secret ? 'string' : typeFor(uses, words, [...fallbacks, ...values])
  if (fallback === undefined || secret) return { ...base, type }
  return {
    ...base,
    type,
    default: typedAs(fallback, type),
  }
}

/** The value that a text is as a default of a type. */
export function typedAs(text: string, type: VariableEntry['type']): DefaultValue {
  if (type === 'array') return text.split(',')
  return type === 'string' ? text : type === 'boolean' ? text === 'true' : Number(text)
}

/** Tells whether code would not work without a value: then it is required, and elsewhere code goes on as it did. */
function isNeeded(reads: readonly VariableUse[]): boolean {
  if (reads.some(({ needs }) => needs === 'certain')) return true
  if (reads.some(({ asks, fallback }) => asks || fallback)) return false
  return reads.some(({ needs }) => needs === 'likely')
}

function typeFor(
  uses: readonly VariableUse[],
  words: readonly string[],
  values: readonly string[],
): VariableEntry['type'] {
  if (uses.every(({ wanted, given }) => wanted === 'list' && !given)) return 'array'
  if (
    values.length > 0 &&
    values.every((value) => /^(?:true|false)$/.test(value)) &&
    uses.some(({ fallback }) => fallback?.form === 'boolean')
  )
    return 'boolean'
  const whole = values.every((value) => /^-?[0-9]{1,15}$/.test(value))
  const counts = uses.some(
    ({ wanted, fallback }) => (wanted !== 'text' && wanted !== 'list') || fallback?.form === 'number',
  )
  const isPort = values.every((value) => /^[1-9][0-9]{0,4}$/.test(value) && Number(value) < 65536)
  if (namesPort(words) && isPort && (counts || values.length > 0)) return 'port'
  if (!counts || !values.every((value) => value.trim() !== '' && Number.isFinite(Number(value)))) return 'string'
  return whole && (values.length > 0 || uses.some(({ wanted }) => wanted === 'integer')) ? 'integer' : 'number'
}

/** Code in a literal's place: `read`, or an expression that turns it into the former value. */
export function variableRead(read: string, use: VariableUse, entry: VariableEntry): string {
  if (entry.type === 'boolean' && use.wanted === 'switch') return use.contrary ? `!${read}` : read
  // Settings are frozen, and code may change its own list.
  if (entry.type === 'array') return `[...${read}]`
  const isNumber = entry.type === 'port' || entry.type === 'integer' || entry.type === 'number'
  // A text stays a text.
  return isNumber && use.wanted === 'text' && use.fallback?.form !== 'number' ? `String(${read})` : read
}

/** Tells whether only the read is replaced, and what code makes of it stays. */
export function staysAround(use: VariableUse, { type, optional }: VariableEntry): boolean {
  return !use.pattern && (optional || (type === 'string' && use.wanted !== 'text'))
}
