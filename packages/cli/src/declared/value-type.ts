import { valueTypes } from 'mappa/command'

/** The command's facts about a value type; undefined if there is no type of that name. */
export function typeFacts(type: unknown): TypeFacts | undefined {
  return typeof type === 'string' && Object.hasOwn(valueTypes, type)
    ? valueTypes[type as keyof typeof valueTypes]
    : undefined
}

interface TypeFacts {
  /** The type that code sees, in TypeScript. */
  readonly code: string
  /** True if it is written in digits. */
  readonly digits?: boolean
  readonly choices?: readonly string[]
}
