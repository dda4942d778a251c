import { type Breach, breachOf } from '../../legend/constraints.js'
import type { AnyEntry } from '../../legend/entry.js'
import { valueType } from '../../legend/value-types.js'
import { joinList, splitList } from './lists.js'

/** The typed value, or how the text breaks its entry; `item` is the place of a list's item that does, from 0. */
export type Conversion = { readonly value: unknown } | { readonly breach: Breach; readonly item?: number }

/** Text to value: what the whole text says, never a part of it, so `41oo` is not a number. */
export function convert(text: string, entry: AnyEntry): Conversion {
  if (entry.type === 'array') return convertList(text, entry)
  const value = valueType(entry.type).read(text)
  if (value === undefined) return { breach: entry.enum ? 'not-allowed' : 'wrong-type' }
  const breach = breachOf(entry, value)
  return breach ? { breach } : { value }
}

/** The text that a value of an entry is written as: what `convert` reads back to it. */
export function textFor(entry: AnyEntry, value: unknown): string {
  if (typeof value === 'string') return value
  if (Array.isArray(value)) return joinList(value, entry.delimiter)
  return (valueType(entry.type).write ?? String)(value)
}

/** Items by the delimiter, or a JSON array. */
function convertList(text: string, entry: AnyEntry): Conversion {
  const word = text.trim()
  const items = entry.items as AnyEntry
  const values: unknown[] = []
  if (word.startsWith('[')) {
    const given = valueType('array').read(word)
    if (!Array.isArray(given)) return { breach: 'wrong-type' }
    for (const each of given) values.push(each)
  } else {
    const texts = splitList(word, entry.delimiter)
    if (!texts) return { breach: 'wrong-type' }
    for (const [item, text] of texts.entries()) {
      const conversion = convert(text, items)
      // An item that takes too long makes the list take too long.
      if ('breach' in conversion)
        return conversion.breach === 'slow-pattern' ? conversion : { breach: 'wrong-item', item }
      values.push(conversion.value)
    }
  }
  const breach = breachOf(entry, values)
  if (breach === 'wrong-item') return { breach, item: values.findIndex((value) => breachOf(items, value)) }
  return breach ? { breach } : { value: values }
}
