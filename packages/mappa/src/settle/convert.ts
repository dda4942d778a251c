import { type Breach, breachOf } from '../legend/constraints.js'
import { type AnyEntry, isDigit } from '../legend/entry.js'

/** The typed value, or how the text breaks its entry. */
export type Conversion = { readonly value: unknown } | { readonly breach: Breach }

const truths: Readonly<Record<string, boolean>> = {
  true: true,
  yes: true,
  on: true,
  '1': true,
  false: false,
  no: false,
  off: false,
  '0': false,
}

/** Text to value: what the whole text says, never a part of it, so `41oo` is no number. */
export function convert(text: string, entry: AnyEntry): Conversion {
  const value = plainValue(text, entry)
  if (value === undefined) return { breach: entry.enum ? 'not-allowed' : 'wrong-type' }
  const breach = breachOf(entry, value)
  return breach ? { breach } : { value }
}

function plainValue(text: string, entry: AnyEntry): unknown {
  if (entry.type === 'string') return text
  const word = text.trim()
  if (entry.type === 'boolean')
    return Object.hasOwn(truths, word.toLowerCase()) ? truths[word.toLowerCase()] : undefined
  const isRight = entry.type === 'number' ? isDecimal(word) : isWhole(word)
  return isRight ? Number(word) : undefined
}

/** Digits, with a sign or without. A loop for the same reason as `isName`. */
function isWhole(word: string): boolean {
  const first = word.charCodeAt(0)
  const start = first === 43 /* + */ || first === 45 /* - */ ? 1 : 0
  for (let at = start; at < word.length; at++) if (!isDigit(word.charCodeAt(at))) return false
  return word.length > start
}

function isDecimal(word: string): boolean {
  return isWhole(word) || /^[+-]?(?:\d+\.?\d*|\.\d+)(?:[eE][+-]?\d+)?$/.test(word)
}
