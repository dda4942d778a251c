import type { Breach } from '../../legend/constraints.js'
import { describeEntry, fitsPattern, leastOf, mostOf } from '../../legend/constraints.js'
import type { AnyEntry } from '../../legend/entry.js'
import { formats } from '../../legend/text/formats.js'
import { valueType } from '../../legend/value-types.js'

/** The one rule of an entry that a value breaks, in words that follow `must`: `be at most 50000`, `match ^tile_`. */
export function brokenRule(entry: AnyEntry, value: unknown, breach: Breach): string {
  return ruleOf[breach](entry, value)
}

const ruleOf: Readonly<Record<Breach, (entry: AnyEntry, value: unknown) => string>> = {
  'wrong-type': (entry) => `be ${typeSaid(entry)}`,
  'not-allowed': (entry) => `be ${describeEntry(entry)}`,
  'out-of-range': brokenLimit,
  'wrong-length': brokenLength,
  'wrong-form': brokenForm,
  'wrong-item': ({ items }) => `have only items that are ${items ? typeSaid(items) : 'right'}`,
  'slow-pattern': ({ pattern }) => `match ${pattern}`,
}

/** A type's name with its inherent limits: `a port from 1 to 65535`, `a whole number`. */
function typeSaid(entry: AnyEntry): string {
  const { said, schema } = valueType(entry.type)
  return schema.maximum === undefined ? said : `${said} from ${leastOf(entry)} to ${mostOf(entry)}`
}

function brokenLimit(entry: AnyEntry, value: unknown): string {
  const number = value as number
  const { write = String } = valueType(entry.type)
  const limit = (bound: number, given: unknown) => (typeof given === 'string' ? given : write(bound))
  const { exclusiveMinimum: above, exclusiveMaximum: below } = entry
  const [least, most] = [leastOf(entry), mostOf(entry)]
  if (number < least) return `be at least ${limit(least, entry.minimum)}`
  if (number > most) return `be at most ${limit(most, entry.maximum)}`
  if (above !== undefined && number <= above) return `be above ${above}`
  if (below !== undefined && number >= below) return `be below ${below}`
  return `be a multiple of ${entry.multipleOf}`
}

function brokenLength(entry: AnyEntry, value: unknown): string {
  const isList = Array.isArray(value)
  const [least, most] = isList ? [entry.minItems, entry.maxItems] : [entry.minLength, entry.maxLength]
  const counted = (count: number | undefined) => `${count} ${isList ? 'item' : 'character'}${count === 1 ? '' : 's'}`
  const verb = isList ? 'have' : 'be'
  if (least !== undefined && least === most) return `${verb} exactly ${counted(least)}`
  const length = isList ? value.length : [...String(value)].length
  return length < (least ?? 0) ? `${verb} at least ${counted(least)}` : `${verb} at most ${counted(most)}`
}

function brokenForm(entry: AnyEntry, value: unknown): string {
  const { pattern, format, schemes } = entry
  if (Array.isArray(value)) return 'not repeat an item'
  const text = String(value)
  if (pattern !== undefined && !fitsPattern(pattern, text)) return `match ${pattern}`
  if (format !== undefined && !formats[format][0](text)) return `be ${formats[format][1]}`
  return `be ${formats.uri[1]} with scheme ${(schemes ?? []).join(' or ')}`
}
