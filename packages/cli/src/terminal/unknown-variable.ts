import { nearest } from 'mappa/command'
import { UsageError } from './usage-error.js'

/** The one sentence about a name that the legend lacks. What is not a variable name is not repeated: it may be a secret. */
export function unknownVariable(name: string, known: Iterable<string>): string {
  const shown = /^[A-Z][A-Z0-9_]*$/.test(name) ? name : 'This name'
  const near = nearest(name, [...known])
  return `${shown} is not in the legend.${near === undefined ? '' : ` Did you mean ${near}?`}`
}

/** @throws {UsageError} unless the legend has an entry of that name. */
export function refuseUnknown(name: string, entries: object): void {
  if (!Object.hasOwn(entries, name)) throw new UsageError(unknownVariable(name, Object.keys(entries)))
}
