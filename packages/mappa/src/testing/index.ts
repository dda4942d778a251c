import { asLegend } from '../legend/check.js'
import type { AnyEntry } from '../legend/entry.js'
import { entryIn } from '../legend/entry.js'
import { mustBeOptions, mustHaveLegend } from '../legend/given.js'
import type { Legend } from '../legend/legend.js'
import { entriesOf } from '../legend/legend.js'
import type { CheckedValue, Settings } from '../legend/types.js'
import { settleLayers } from '../report/settle.js'
import { readSources } from '../settle/reading/read.js'
import { assemble } from '../settle/reading/settings.js'
import { layerFromValues } from '../settle/stack/layer.js'
import { textFor } from '../settle/value/convert.js'

/** Values for a test, by variable name: as the values they are, or as text. */
export type TestValues<E> = { readonly [Name in keyof E]?: CheckedValue<E[Name]> | string }

/**
 * Settings for a test: from the given values and the legend's defaults, checked as always, without files and without
 * the process environment. A variable that must have a value and was not given is not a fault until code reads it: that
 * throws, and names it.
 * @throws {SettleError} if a given value breaks its entry.
 *
 * ```ts
 * const settings = settingsFor(definition, { COLLECTOR_PORT: 4100, ALERT_TOKEN: 'sms_test_clover' })
 * ```
 */
export function settingsFor<E>(
  given: Legend<E>,
  values: TestValues<E> = {},
  { stage = 'test' }: { readonly stage?: string } = {},
): Settings<E> {
  mustHaveLegend(given, 'settingsFor')
  mustBeOptions(values, 'settingsFor', '{ COLLECTOR_PORT: 4100 }')
  const definition = asLegend(given) as Legend<E>
  const entries = entriesOf(definition)
  const texts: Record<string, string> = {}
  for (const [name, value] of Object.entries(values as Record<string, unknown>)) {
    if (value === undefined) continue
    const entry = Object.hasOwn(entries, name) ? entries[name] : undefined
    if (!entry) throw new TypeError(`settingsFor was given ${name}, which is not in the legend.`)
    texts[name] = textFor(entry, value)
  }
  const absent = Object.keys(entries).filter((name) => {
    const { default: value, optional } = entryIn(entries[name] as AnyEntry, stage, definition.like)
    return !Object.hasOwn(texts, name) && value === undefined && !optional
  })
  const layers = [layerFromValues('the test', texts)]
  // A rule could only guess at what is not there.
  const { rules, ...rest } = definition
  const open = Object.entries(entries).map(([name, entry]) => [
    name,
    absent.includes(name) ? madeOptional(entry, stage) : entry,
  ])
  const tested = {
    ...rest,
    entries: Object.fromEntries(open),
    ...(absent.length === 0 && rules && { rules }),
  } as Legend<E>
  const reading = readSources(tested, { stage, layers })
  if (!reading.sound || absent.length === 0) return settleLayers(tested, { stage, layers })
  return assemble(reading.settings, reading.stage, new Set(absent)) as Settings<E>
}

function madeOptional(entry: AnyEntry, stage: string): AnyEntry {
  return {
    ...entry,
    optional: true,
    stages: { ...entry.stages, [stage]: { ...entry.stages?.[stage], optional: true } },
  }
}
