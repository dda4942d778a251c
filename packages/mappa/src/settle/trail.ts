import { describeEntry } from '../legend/constraints.js'
import type { AnyEntry } from '../legend/entry.js'
import { mask } from '../legend/mask.js'
import { type Place, printable } from './faults.js'
import type { Layer, LayerSource } from './layer.js'
import { valueSpot } from './places.js'
import type { Hit, Stack } from './stack.js'

/** Why a layer's value is not the one that counts. */
export type Passed = 'hidden' | 'cleared' | 'empty'

/** One source of a variable's value. */
export interface TrailStep {
  /** The layer, or `the legend` for a default. */
  readonly layer: string
  readonly source: LayerSource | 'default'
  readonly place?: Place
  /** The text as it may be shown: secrets, and names that no entry declares, are masked. */
  readonly shown: string
  /** Why it is not the one that counts; absent on the winner. */
  readonly passed?: Passed
}

/** For one variable, every layer that sets it, the winner first. */
export interface Trail {
  readonly name: string
  /** Whether the legend has an entry for it. */
  readonly declared: boolean
  /** What its entry takes, to follow "must be"; undefined without an entry. */
  readonly expects: string | undefined
  readonly steps: readonly TrailStep[]
  /** The step whose value counts; undefined when nothing gives one. */
  readonly winner: TrailStep | undefined
}

export function trailOf(name: string, entry: AnyEntry | undefined, layers: readonly Layer[], stack: Stack): Trail {
  const steps: TrailStep[] = hitsOf(name, layers, stack).map(({ layer, text, passed }) => {
    const place = valueSpot(layer, name, entry)?.place
    return {
      layer: layer.name,
      source: layer.source,
      ...(place && { place }),
      shown: shownText(text, entry),
      ...(passed && { passed }),
    }
  })
  const fallback = entry?.default === undefined ? undefined : String(entry.default)
  let winner = steps.find((step) => !step.passed)
  if (fallback !== undefined) {
    const step: TrailStep = {
      layer: 'the legend',
      source: 'default',
      shown: printable(fallback),
      ...(winner && { passed: 'hidden' }),
    }
    steps.push(step)
    winner ??= step
  }
  // The winner first, even where an empty text stands above it.
  if (winner) steps.sort((a, b) => Number(b === winner) - Number(a === winner))
  return { name, declared: entry !== undefined, expects: entry && describeEntry(entry), steps, winner }
}

/** Every layer that sets a name, the top one first, with what became of each. */
function hitsOf(name: string, layers: readonly Layer[], stack: Stack): (Hit & { readonly passed?: Passed })[] {
  const { winner, clearedBy } = stack.find(name)
  return layers.toReversed().flatMap((layer) => {
    const text = layer.get(name)
    if (text === undefined) return []
    if (layer === winner?.layer) return [{ layer, text }]
    if (layer === clearedBy?.layer) return [{ layer, text, passed: 'cleared' }]
    return [{ layer, text, passed: text === '' && layer.source !== 'file' ? 'empty' : 'hidden' }]
  })
}

function shownText(text: string, entry: AnyEntry | undefined): string {
  if (text === '') return ''
  return entry && !entry.secret ? printable(text) : mask(text, entry)
}
