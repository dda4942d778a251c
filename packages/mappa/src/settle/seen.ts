import type { AnyEntry } from '../legend/entry.js'
import type { StandardResult } from '../legend/standard-schema.js'

/** What a legend's own function said of a value. */
export type SeenValue =
  | { readonly value: unknown }
  | { readonly wrong: 'schema-issue' | 'read-failed' | 'not-plain'; readonly said: readonly string[] }
  | { readonly promise: Promise<StandardResult> }

/** A checked value as code sees it: what `read` or `schema` makes of it. `answer` is what an asynchronous schema has said. */
export function seenValue(entry: AnyEntry, value: unknown, answer?: StandardResult): SeenValue {
  const { read, schema, reach } = entry
  let seen: SeenValue = { value }
  if (schema) {
    const result = answer ?? attempt(() => schema['~standard'].validate(value))
    if (result instanceof Failed) return { wrong: 'schema-issue', said: result.said }
    if (result instanceof Promise) return { promise: result }
    seen = result.issues
      ? { wrong: 'schema-issue', said: result.issues.map(({ message }) => String(message)) }
      : { value: result.value }
  } else if (read) {
    const result = attempt(() => read(value))
    seen = result instanceof Failed ? { wrong: 'read-failed', said: result.said } : { value: result }
    if (result instanceof Promise) {
      // Nobody waits for it, so that nobody hears of it either.
      result.catch(() => {})
      seen = { wrong: 'read-failed', said: ['It gave a promise, and must give its result at once.'] }
    }
  }
  // What a page gets is written into its code.
  if (reach === 'browser' && 'value' in seen && !isPlain(seen.value)) return { wrong: 'not-plain', said: [] }
  return seen
}

/** What a function of the project threw. */
class Failed {
  readonly said: readonly string[]
  constructor(thrown: unknown) {
    this.said = [thrown instanceof Error ? thrown.message : String(thrown)]
  }
}

function attempt<T>(action: () => T): T | Failed {
  try {
    return action()
  } catch (thrown) {
    return new Failed(thrown)
  }
}

/** Whether JSON can hold a value as it is. */
function isPlain(value: unknown, depth = 0): boolean {
  if (value === null || typeof value === 'string' || typeof value === 'boolean') return true
  if (typeof value === 'number') return Number.isFinite(value)
  if (typeof value !== 'object' || depth > dataDepthMax) return false
  const kind = Object.getPrototypeOf(value)
  if (!Array.isArray(value) && kind !== null && Object.getPrototypeOf(kind) !== null) return false
  return Object.values(value).every((each) => isPlain(each, depth + 1))
}

/** Deeper data is a mistake, or goes round in itself. */
const dataDepthMax = 100

/** Waits for an asynchronous schema; a rejection is an issue like any other. */
export async function answerOf(promise: Promise<StandardResult>): Promise<StandardResult> {
  try {
    return await promise
  } catch (thrown) {
    return { issues: [{ message: thrown instanceof Error ? thrown.message : String(thrown) }] }
  }
}
