import { type Breach, breachOf } from '../../legend/constraints.js'
import { type AnyEntry, isDigit } from '../../legend/entry.js'
import { isDeepJson } from '../../legend/records.js'
import { amountText, bytesOf, durationOf } from '../../legend/text/amounts.js'
import { pemOf } from '../../legend/text/pem.js'
import { joinList, splitList } from './lists.js'

/** The typed value, or how the text breaks its entry; `item` is the place of a list's item that does, from 0. */
export type Conversion = { readonly value: unknown } | { readonly breach: Breach; readonly item?: number }

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
  if (entry.type === 'array') return convertList(text, entry)
  const value = plainValue(text, entry)
  if (value === undefined) return { breach: entry.enum ? 'not-allowed' : 'wrong-type' }
  const breach = breachOf(entry, value)
  return breach ? { breach } : { value }
}

/** The text that a value of an entry is written as: what `convert` reads back to it. */
export function textFor(entry: AnyEntry, value: unknown): string {
  if (typeof value === 'string') return value
  if (Array.isArray(value)) return joinList(value, entry.delimiter)
  if (entry.type === 'object') return JSON.stringify(value)
  if (entry.type === 'duration' && typeof value === 'number') return amountText('duration', value)
  return String(value)
}

function plainValue(text: string, entry: AnyEntry): unknown {
  if (entry.type === 'string') return text
  const word = text.trim()
  switch (entry.type) {
    case 'boolean': {
      const small = word.toLowerCase()
      return Object.hasOwn(truths, small) ? truths[small] : undefined
    }
    case 'duration':
      return durationOf(word)
    case 'bytes':
      return bytesOf(word)
    case 'pem':
      return pemOf(text)
    case 'object':
      return jsonIn(word)
    default: {
      const isRight = entry.type === 'number' ? isDecimal(word) : isWhole(word)
      return isRight ? Number(word) : undefined
    }
  }
}

/** Items by the delimiter, or a JSON array. */
function convertList(text: string, entry: AnyEntry): Conversion {
  const word = text.trim()
  const items = entry.items as AnyEntry
  const values: unknown[] = []
  if (word.startsWith('[')) {
    const given = jsonIn(word)
    if (!Array.isArray(given)) return { breach: 'wrong-type' }
    values.push(...given)
  } else {
    const texts = splitList(word, entry.delimiter)
    if (!texts) return { breach: 'wrong-type' }
    for (const [item, text] of texts.entries()) {
      const conversion = convert(text, items)
      // What takes too long does so for the list as well.
      if ('breach' in conversion)
        return conversion.breach === 'slow-pattern' ? conversion : { breach: 'wrong-item', item }
      values.push(conversion.value)
    }
  }
  const breach = breachOf(entry, values)
  if (breach === 'wrong-item') return { breach, item: values.findIndex((value) => breachOf(items, value)) }
  return breach ? { breach } : { value: values }
}

function jsonIn(text: string): unknown {
  if (isDeepJson(text)) return undefined
  try {
    return JSON.parse(text)
  } catch {
    return undefined
  }
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
