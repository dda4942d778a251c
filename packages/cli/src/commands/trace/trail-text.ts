import type { Paint, Trail, TrailPart, TrailStep } from 'mappa'
import { originOf } from 'mappa/command'
import { paragraph } from '../../terminal/paragraph.js'
import { widest } from '../../terminal/widest.js'

export function trailText(
  { name, expects, steps, winner }: Trail,
  { paint, width }: { readonly paint: Paint; readonly width: number },
  notAsked: readonly string[] = [],
): string {
  const open = notAsked.length > 0 ? ` here (${notAsked.join(' and ')} was not asked)` : ''
  const what = winner ? `is ${paint.bold(winner.shown)}` : `has no value${open}`
  const lead = paragraph(`${name} ${what}${expects ? paint.dim(` (${expects})`) : ''}.`, width)
  if (steps.length === 0) return lead
  const origins = steps.map(originOf)
  const longest = widest(origins)
  const widestValue = Math.min(40, widest(steps.map(({ shown }) => shown)))
  const lines = steps.flatMap((step, at) => {
    const origin = (origins[at] as string).padEnd(longest)
    const value = step.shown.padEnd(widestValue)
    if (step !== winner) return paint.dim(`    ${origin}  ${value}  ${whyPassed(step, winner)}`)
    return [`  → ${paint.bold(origin)}  ${paint.bold(value)}`.trimEnd(), ...(step.parts ?? []).map(partText)]
  })
  return `${lead}\n\n${lines.join('\n')}`
}

/** The parts that a value was built from, below the value. */
export function partText({ name, layer, place, shown }: TrailPart): string {
  const from = place
    ? `${place.file}:${place.line}:${place.column}`
    : layer === 'the legend'
      ? 'default in the legend'
      : layer
  return `      \${${name}} is ${shown === undefined ? 'not set' : `${shown}, from ${from}`}`
}

export function whyPassed({ passed, source }: TrailStep, winner: TrailStep | undefined): string {
  if (passed === 'cleared') return 'is empty, so it clears the layers below'
  if (passed === 'empty') return 'is empty, so it is ignored'
  return winner
    ? `overridden by ${winner.source !== 'default' ? winner.layer : source === 'default' ? `the default for ${winner.stage}` : 'an empty value above'}`
    : 'cleared by an empty value above'
}
