import type { AnyEntry } from '../../legend/entry.js'
import type { StandardResult } from '../../legend/standard-schema.js'
import { saidBy } from './said.js'

/** The result of a legend's own function. */
export type SeenValue =
  | { readonly value: unknown }
  | { readonly wrong: 'schema-issue' | 'read-failed' | 'not-plain'; readonly said: readonly string[] }
  | { readonly promise: Promise<StandardResult> }

/** A checked value as code sees it: what `read` or `schema` makes of it. `answer` is what an asynchronous schema has said. */
export function seenValue(entry: AnyEntry, value: unknown, answer?: StandardResult): SeenValue {
  const seen = entry.schema ? bySchema(entry.schema, value, answer) : entry.read ? byRead(entry.read, value) : { value }
  // A page's value is written in its code.
  if (entry.reach === 'browser' && 'value' in seen && !isPlain(seen.value)) return { wrong: 'not-plain', said: [] }
  return seen
}

function bySchema(
  schema: NonNullable<AnyEntry['schema']>,
  value: unknown,
  answer: StandardResult | undefined,
): SeenValue {
  try {
    const result = answer ?? schema['~standard'].validate(value)
    if (isThenable(result)) return { promise: heard(result) }
    const { issues } = result as StandardResult
    if (!issues) return { value: (result as { readonly value: unknown }).value }
    return { wrong: 'schema-issue', said: Array.from(issues, ({ message }) => saidBy(message)) }
  } catch (thrown) {
    return { wrong: 'schema-issue', said: [saidBy(thrown)] }
  }
}

function byRead(read: NonNullable<AnyEntry['read']>, value: unknown): SeenValue {
  try {
    const result = read(value)
    if (!isThenable(result)) return { value: result }
    heard(result)
    return { wrong: 'read-failed', said: ['It returned a promise, but must return its result at once.'] }
  } catch (thrown) {
    return { wrong: 'read-failed', said: [saidBy(thrown)] }
  }
}

/** Tells whether there is something to wait for, anyone who's promise it is. */
export function isThenable(value: unknown): value is PromiseLike<never> {
  return (
    (typeof value === 'object' || typeof value === 'function') &&
    value !== null &&
    typeof (value as { then?: unknown }).then === 'function'
  )
}

/**
 * A promise that may be rejected before anybody waits for it, or though nobody ever does: unheard, that would end the process
 * with whatever it was rejected with on the screen.
 */
export function heard<T>(thenable: PromiseLike<T>): Promise<T> {
  const promise = Promise.resolve(thenable)
  promise.catch(() => {})
  return promise
}

/** Tells whether JSON can hold a value as it is. */
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
    return { issues: [{ message: saidBy(thrown) }] }
  }
}
