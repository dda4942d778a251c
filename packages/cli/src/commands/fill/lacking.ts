import type { Survey, Variable } from 'mappa'

/**
 * What must have a value here and has none, or still has a sample's placeholder, in the order of the legend. What sources that
 * were not asked may give is left out.
 */
export function lackingIn(found: Survey, variables: readonly Variable[]): readonly Variable[] {
  const placeholders = new Set(found.faults.flatMap(({ kind, name }) => (kind === 'placeholder' ? [name] : [])))
  const isOpen = found.notAsked.length > 0
  return variables.filter(({ name, required }) => {
    const isEmpty = (found.trail(name).winner?.shown ?? '') === ''
    return placeholders.has(name) || (required && isEmpty && !isOpen)
  })
}
