import type { Part } from '../format/expansion.js'
import { type AnyEntry, hides } from '../legend/entry.js'
import { valueType } from '../legend/value-types.js'
import { givenIn } from './reading/read.js'
import { secrecyOf } from './reading/secrecy.js'
import type { ExpansionProblem } from './stack/expand.js'
import type { LayerSource } from './stack/layer.js'
import { readingOf, type Survey } from './survey.js'
import { convert } from './value/convert.js'

/** A variable's value as it is passed on to others. */
export interface DeliveredValue {
  readonly name: string
  /** As a process gets it. */
  readonly text: string
  /** The same as JSON data: a number or a switch where the entry says so, a list, an object; else the text. */
  readonly data: unknown
  /** True if others may not see it: it is secret, contains the text of a secret or a password in an address, or it is undeclared. */
  readonly hidden: boolean
  readonly declared: boolean
  readonly reach: 'server' | 'browser'
  readonly source: LayerSource | 'default'
}

/** A stage's values for others: one for every entry with a text, and for every name in a layer file. */
export function deliveredValues(found: Survey): readonly DeliveredValue[] {
  const reading = readingOf(found)
  return givenIn(reading).map(({ name, text, source }) => {
    const entry = reading.entries.get(name)
    return {
      name,
      text,
      source,
      declared: entry !== undefined,
      data: entry ? dataOf(text, entry) : text,
      hidden: hides(entry) || found.secretsIn(text).length > 0 || holdsPassword(text),
      reach: entry?.reach ?? 'server',
    }
  })
}

/** Tells whether an address has a password in it, which is never shown, whatever its entry says. */
function holdsPassword(text: string): boolean {
  return /:\/\/[^\s/:@]*:[^\s@/]+@/.test(text)
}

function dataOf(text: string, entry: AnyEntry): unknown {
  if (!valueType(entry.type).data) return text
  const conversion = convert(text, entry)
  return 'value' in conversion ? conversion.value : text
}

/** The result for `${NAME}` in a template. */
export interface Filling {
  readonly text: string
  /** The number or switch that it wholly is; undefined for everything else. */
  readonly scalar: number | boolean | undefined
  /** Names of secrets, and of undeclared names, that it holds. */
  readonly secrets: readonly string[]
  readonly undeclared: readonly string[]
  /** Names of entries that are not for browsers. */
  readonly serverOnly: readonly string[]
  /** Schemes that the entries allow, for addresses. */
  readonly schemes: readonly string[]
}

/** The text of what is in no layer, over the finished stack, as in a layer file; `MAPPA_STAGE` is the stage's name. */
export function expandIn(found: Survey, given: readonly Part[]): Filling | ExpansionProblem {
  const reading = readingOf(found)
  const parts = withStage(given, found.stage.name)
  const expanded = reading.expander.expandParts(parts)
  if ('problem' in expanded) return expanded
  const { text, used } = expanded
  const secrecy = secrecyOf(reading)
  // `:+` asks whether there is a value, and gives nothing of it.
  const held = used.filter((each) => each.text !== undefined && text.includes(each.text))
  const names = [...new Set(held.map(({ name }) => name))]
  const entryOf = (name: string) => secrecy.entryFor(name)
  const [only] = parts
  const entry = parts.length === 1 && typeof only === 'object' ? entryOf(only.name) : undefined
  const data = entry ? dataOf(text, entry) : text
  return {
    text,
    scalar: typeof data === 'number' || typeof data === 'boolean' ? data : undefined,
    secrets: [
      ...new Set([
        ...held.filter(({ name, text = '' }) => entryOf(name)?.secret || holdsPassword(text)).map(({ name }) => name),
        ...found.secretsIn(text),
      ]),
    ],
    undeclared: names.filter((name) => !entryOf(name) || entryOf(name)?.veiled),
    serverOnly: names.filter((name) => entryOf(name) && entryOf(name)?.reach !== 'browser'),
    schemes: names.flatMap((name) => entryOf(name)?.schemes ?? []),
  }
}

function withStage(parts: readonly Part[], stage: string): Part[] {
  return parts.flatMap((part): Part[] => {
    if (typeof part === 'string') return [part]
    const word = withStage(part.word, stage)
    if (part.name !== 'MAPPA_STAGE') return [{ ...part, word }]
    return part.operator === ':+' ? word : [stage]
  })
}
