import type { Survey } from 'mappa'
import { counted } from '../../declared/counted.js'

/** Tells how many variables are valid, and how many of them each layer gives. */
export function allRight(found: Survey): string {
  const declared = [...found.trails.values()].filter((trail) => trail.declared)
  const origins = new Map<string, number>()
  for (const { winner } of declared) {
    const origin = winner === undefined ? 'no value' : winner.source === 'default' ? 'default' : winner.layer
    origins.set(origin, (origins.get(origin) ?? 0) + 1)
  }
  if (declared.length === 0) return 'The legend declares no variables.\n'
  const most = [...origins].sort(([, a], [, b]) => b - a)
  const widest = String(most[0]?.[1] ?? '').length
  const lines = most.map(([origin, count]) => `    ${String(count).padStart(widest)}  ${origin}`)
  return [
    `${counted(declared.length, 'variable')} ${declared.length === 1 ? 'is' : 'are'} valid, from`,
    ...lines,
    '',
  ].join('\n')
}
