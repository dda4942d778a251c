import { valueTypes } from 'mappa/command'

/** Returns what a type of value is, as far as the command asks about it; undefined if there is not a type of that name. */
export function typeTraits(type: unknown): Traits | undefined {
  return typeof type === 'string' && Object.hasOwn(valueTypes, type)
    ? valueTypes[type as keyof typeof valueTypes]
    : undefined
}

interface Traits {
  /** The type that code sees, in TypeScript. */
  readonly code: string
  /** True if it is written in digits. */
  readonly digits?: boolean
  readonly choices?: readonly string[]
}
