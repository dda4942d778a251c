import { type AnyEntry, hides, placeOf } from '../../legend/entry.js'
import { saidBy } from '../value/said.js'
import { heard, isThenable } from '../value/seen.js'
import type { Setting } from './settings.js'

/** A rule that does not hold, and the variables it read. */
export interface BrokenRule {
  readonly sentence: string
  readonly names: readonly string[]
  /** The error that the rule threw, if any. */
  readonly said?: string
}

type Rule = (settings: never) => unknown
type WatchedGroup = Record<string, unknown>

/** Thrown into a rule that reads a variable which is at fault itself. */
const skip = new Error('This rule is skipped.')

/** The rules that do not hold. One that reads a variable at fault is skipped: it would only repeat that. */
export function brokenRules(
  rules: Readonly<Record<string, Rule>>,
  settings: readonly Setting[],
  entries: ReadonlyMap<string, AnyEntry>,
): BrokenRule[] {
  const values = new Map(settings.map(({ name, value }) => [name, value]))
  return Object.entries(rules).flatMap(([sentence, rule]) => {
    const read = new Set<string>()
    try {
      const holds = rule(watched(values, entries, read) as never)
      if (isThenable(holds)) heard(holds)
      return holds && !isThenable(holds) ? [] : [{ sentence, names: [...read] }]
    } catch (thrown) {
      if (thrown === skip) return []
      return [{ sentence, names: [...read], said: saidBy(thrown) }]
    }
  })
}

/** Settings that note which of them are read. */
function watched(
  values: ReadonlyMap<string, unknown>,
  entries: ReadonlyMap<string, AnyEntry>,
  read: Set<string>,
): WatchedGroup {
  const root: WatchedGroup = {}
  for (const [name, entry] of entries) {
    const steps = placeOf(name, entry)
    let group = root
    for (const step of steps.slice(0, -1)) {
      group[step] ??= {}
      group = group[step] as WatchedGroup
    }
    Object.defineProperty(group, steps.at(-1) as string, {
      enumerable: !hides(entry),
      get() {
        read.add(name)
        if (!values.has(name)) throw skip
        return values.get(name)
      },
    })
  }
  return root
}
