import type { Fault, Survey } from 'mappa'
import { isGeneral } from 'mappa/command'
import { patternFor } from '../../terminal/wanted.js'

/** The names that a name or a pattern stands for, in the order of the legend; a name may be one that nothing sets. */
export function namesMatching(wanted: string, found: Survey): readonly string[] {
  if (!wanted.includes('*')) return [wanted]
  const pattern = patternFor(wanted)
  return [...found.trails.keys()].filter((name) => pattern.test(name))
}

/** The faults of these variables, and those without which nothing can be said of any. */
export function faultsFor(found: Survey, names: readonly string[]): Fault[] {
  return found.faults.filter(({ name, kind }) => (name === undefined ? isGeneral(kind) : names.includes(name)))
}
