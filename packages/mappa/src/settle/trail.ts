import { describeEntry } from '../legend/constraints.js'
import type { AnyEntry } from '../legend/entry.js'
import { entriesOf } from '../legend/legend.js'
import { type Place, printable } from './faults/faults.js'
import type { Reading } from './reading/read.js'
import { type Secrecy, secrecyOf } from './reading/secrecy.js'
import type { Used } from './stack/expand.js'
import type { Layer, LayerSource } from './stack/layer.js'
import { valueSpot } from './stack/places.js'
import type { Hit, Stack } from './stack/stack.js'
import { textFor } from './value/convert.js'

/** Why a layer's value is not the one that counts. */
export type Passed = 'hidden' | 'cleared' | 'empty'

/** One source of a variable's value. */
export interface TrailStep {
  /** The layer, or `the legend` for a default. */
  readonly layer: string
  readonly source: LayerSource | 'default'
  readonly place?: Place
  /** The text as it may be shown: secrets, and undeclared names, are masked. */
  readonly shown: string
  /** The former name under which the layer has it. */
  readonly as?: string
  /** Why it is not the one that counts; absent on the winner. */
  readonly passed?: Passed
  /** The stage whose words give a default, where they override the entry's own. */
  readonly stage?: string
  /** A fresh random value, made for stage `test` as the entry's `generate` says. */
  readonly made?: true
  /** The parts of an expanded value. */
  readonly parts?: readonly TrailPart[]
}

/** A name that a value was built from. */
export interface TrailPart {
  readonly name: string
  /** The source of its text: a layer, or `the legend`; undefined if nothing sets it. */
  readonly layer: string | undefined
  readonly place?: Place
  readonly shown: string | undefined
}

/** For one variable, every layer that sets it, the winner first. */
export interface Trail {
  readonly name: string
  /** True if the legend has an entry for it. */
  readonly declared: boolean
  /** The rule of its entry, to follow "must be"; undefined without an entry. */
  readonly expects: string | undefined
  readonly steps: readonly TrailStep[]
  /** The step whose value counts; undefined when nothing gives one. */
  readonly winner: TrailStep | undefined
}

export function trailOf(name: string, reading: Reading): Trail {
  const { entries, layers, stack, expander, ancestry } = reading
  const entry = entries.get(name)
  const secrecy = secrecyOf(reading)
  const steps: TrailStep[] = hitsOf(name, entry, layers, stack).map((hit) => {
    const place = valueSpot(hit.layer, hit.as ?? name, entry)?.place
    // An overridden value is shown as written: expanding it could fail for reasons that do not matter.
    const expanded = hit.passed === undefined && hit.dollar ? expander.expand(hit.as ?? name, hit) : undefined
    const whole = expanded && !('problem' in expanded) ? expanded : undefined
    const parts = whole?.used.map((used) => partOf(used, secrecy))
    return {
      layer: hit.layer.name,
      source: hit.layer.source,
      ...(place && { place }),
      ...(hit.as && { as: hit.as }),
      shown: secrecy.shown(whole?.text ?? hit.text, entry),
      ...(hit.passed && { passed: hit.passed }),
      ...(parts?.length && { parts }),
    }
  })
  let winner = steps.find((step) => !step.passed)
  for (const step of defaultSteps(name, reading)) {
    steps.push(winner ? { ...step, passed: 'hidden' } : step)
    winner ??= step
  }
  const fresh =
    entry?.generate && steps.length === 0 && ancestry.includes('test') ? settledText(name, reading) : undefined
  if (fresh !== undefined) {
    winner = { layer: 'the legend', source: 'default', shown: secrecy.shown(fresh, entry), made: true }
    steps.push(winner)
  }
  // The winner first, even where an empty text stands above it.
  if (winner) steps.sort((a, b) => Number(b === winner) - Number(a === winner))
  return { name, declared: entry !== undefined, expects: entry && printable(describeEntry(entry)), steps, winner }
}

function settledText(wanted: string, { settings }: Reading): string | undefined {
  return settings.find(({ name }) => name === wanted)?.text
}

/** The legend's default, below the one that a stage's own words put in its place. */
function defaultSteps(name: string, reading: Reading): TrailStep[] {
  const { definition, entries, ancestry } = reading
  const entry = entries.get(name)
  if (!entry) return []
  const own = entriesOf(definition)[name]
  const staged = ancestry.flatMap((stage) => {
    const words = own?.stages && Object.hasOwn(own.stages, stage) ? own.stages[stage] : undefined
    return words?.default === undefined ? [] : [{ value: words.default, stage }]
  })
  const defaults = [...staged.toReversed(), { value: own?.default }]
  return defaults
    .filter(({ value }) => value !== undefined)
    .map(({ value, ...rest }) => ({
      layer: 'the legend',
      source: 'default',
      shown: secrecyOf(reading).shown(textFor(entry, value), entry),
      ...rest,
    }))
}

/** Every layer that sets a name, the top one first, with what became of each. */
function hitsOf(
  name: string,
  entry: AnyEntry | undefined,
  layers: readonly Layer[],
  stack: Stack,
): (Hit & { readonly passed?: Passed })[] {
  const { formerly: former = [], empty } = entry ?? {}
  const top = stack.find(name)
  // To an entry that keeps it, empty text is a value like any other.
  const isNothing = (text: string | undefined) => text === '' && empty !== 'keep'
  const hits = layers.flatMap((layer, at) => {
    const as = layer.get(name) === undefined ? former.find((old) => layer.get(old) !== undefined) : undefined
    const text = layer.get(as ?? name)
    return text === undefined ? [] : [{ layer, text, at, dollar: layer.source === 'file', ...(as && { as }) }]
  })
  return hits.toReversed().map((hit) => {
    if (hit.layer === top?.layer) return isNothing(top.text) ? { ...hit, passed: 'cleared' } : hit
    return { ...hit, passed: isNothing(hit.text) && hit.layer.source !== 'file' ? 'empty' : 'hidden' }
  })
}

function partOf({ name, layer, as = name, back, text }: Used, secrecy: Secrecy): TrailPart {
  const entry = secrecy.entryFor(name)
  const place = layer && valueSpot(layer, as, entry, back)?.place
  return {
    name,
    layer: layer?.name ?? (text === undefined ? undefined : 'the legend'),
    ...(place && { place }),
    shown: text === undefined ? undefined : secrecy.shown(text, entry),
  }
}
