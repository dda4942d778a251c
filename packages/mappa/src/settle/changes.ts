import { must } from '../legend/given.js'
import { printable } from './faults/faults.js'
import type { Survey } from './survey.js'
import type { TrailStep } from './trail.js'

/** A variable whose value is another than before. Texts are masked where they are secret. */
export interface Change {
  readonly name: string
  /** The value before, as it may be shown; undefined if there was none. */
  readonly before: string | undefined
  /** The value now, as it may be shown; undefined if there is none any more. */
  readonly after: string | undefined
  /** One line for a person: `LOG_LEVEL is now debug (.env.local:3:11)`. */
  readonly message: string
}

/** Changes from one survey to the next, in the legend's order. Secrets are compared, but not shown. */
export function changesBetween(before: Survey, after: Survey): Change[] {
  must(Boolean(before?.texts && after?.texts), 'changesBetween takes two surveys: before and after.')
  const names = new Set([...before.texts.keys(), ...after.texts.keys()])
  return [...names].flatMap((name) => {
    if (before.texts.get(name) === after.texts.get(name)) return []
    const old = before.texts.has(name) ? before.trail(name).winner : undefined
    const fresh = after.texts.has(name) ? after.trail(name).winner : undefined
    // A cleared variable had no value before either.
    if (!old && !fresh) return []
    const message = fresh ? `${name} is now ${fresh.shown} (${originOf(fresh)})` : `${name} no longer has a value`
    return [{ name, before: old?.shown, after: fresh?.shown, message }]
  })
}

/** Finds where a value stands, in words: `.env.staging:3:11`, `default in the legend`. */
export function originOf({ layer, place, source, stage, made }: TrailStep): string {
  // A file of one value: its path, and who named it, if that is not its directory.
  const file = place && printable(place.file)
  if (file && source === 'directory') return place.file.startsWith(layer) ? file : `${file} (${layer})`
  if (file) return `${file}:${place.line}:${place.column}`
  if (source !== 'default') return printable(layer)
  if (made) return 'generated for tests'
  return stage === undefined ? 'default in the legend' : `default in the legend for ${stage}`
}
