import { isRecord } from './records.js'

/** A kind of fault or notice that a project lives with for a while: it is only counted in the tally. */
export interface Accepted {
  readonly kind: string
  /** The variable; all of this kind unless said. */
  readonly name?: string
  /** Why, for anyone who reads the legend. */
  readonly because: string
  /** The last day on which it is accepted, as in `2026-12-31` (RFC 3339, full-date; UTC). */
  readonly until: string
}

/** Faults with which a start still has all values, or which only the command tells. */
export const acceptableFaults = [
  ...([
    'undeclared',
    'hidden-by-local',
    'key-of-other-stage',
    'rule',
    'bare-dollar',
    'no-entry',
    'not-loaded',
    'read-already',
  ] as const),
] as const

/** Notices that do not keep secrets. */
export const acceptableNotices = [
  ...(['undeclared', 'read-differently', 'hidden-by-local', 'empty-ignored', 'changes-loading', 'misnamed'] as const),
  ...(['second-legend', 'unread', 'computed-read', 'unparsed', 'former-name', 'deprecated', 'placeholder'] as const),
  'read-already',
  'key-of-other-stage',
  'not-in-image',
  'true-in-code',
] as const

/** Tells whether a value is a list of what may be accepted. */
export function isAcceptedList(value: unknown): value is readonly Accepted[] {
  const kinds: ReadonlySet<unknown> = new Set([...acceptableFaults, ...acceptableNotices])
  return (
    Array.isArray(value) &&
    value.every(
      (each: unknown) =>
        isRecord(each) &&
        kinds.has(each.kind) &&
        (each.name === undefined || typeof each.name === 'string') &&
        typeof each.because === 'string' &&
        each.because.trim() !== '' &&
        isDay(each.until),
    )
  )
}

function isDay(value: unknown): boolean {
  if (typeof value !== 'string' || !/^\d{4}-\d{2}-\d{2}$/.test(value)) return false
  const date = new Date(`${value}T00:00:00Z`)
  return !Number.isNaN(date.getTime()) && date.toISOString().startsWith(value)
}

/** Tells whether a kind is accepted today, for one of these variables. */
export function isAccepted(
  list: readonly Accepted[] | undefined,
  kind: string,
  names: readonly (string | undefined)[],
): boolean {
  if (!list) return false
  const today = new Date().toISOString().slice(0, 10)
  return list.some(
    (each) => each.kind === kind && each.until >= today && (each.name === undefined || names.includes(each.name)),
  )
}
