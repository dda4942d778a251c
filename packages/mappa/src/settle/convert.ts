import { type Breach, breachOf } from '../legend/constraints.js'
import type { AnyEntry } from '../legend/entry.js'

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
  const form = entry.type === 'number' ? /^[+-]?(?:\d+\.?\d*|\.\d+)(?:[eE][+-]?\d+)?$/ : /^[+-]?\d+$/
  return form.test(word) ? Number(word) : undefined
}
