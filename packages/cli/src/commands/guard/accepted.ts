/** A finding that a project lives with for a while. */
export interface AcceptedFinding {
  readonly kind?: string
  /** The variable. */
  readonly name?: string
  /** The file, from the root; `*` stands for any part of it. */
  readonly path?: string
  readonly because: string
  /** The last day on which it is accepted, as in `2026-12-31` (RFC 3339, full-date; UTC). A path may do without. */
  readonly until?: string
}

/** The file that has them, in the root. */
export const acceptedPath = 'mappa.accepted.json'

/**
 * What a file says is accepted.
 * @throws {TypeError} with a sentence for a person, if it says something else.
 */
export function acceptedFrom(text: string): readonly AcceptedFinding[] {
  let list: unknown
  try {
    list = JSON.parse(text)
  } catch {
    throw new TypeError(`${acceptedPath} is not JSON.`)
  }
  if (!Array.isArray(list)) throw new TypeError(`${acceptedPath} must be a list.`)
  return list.map((each: Record<string, unknown> | null, at) => {
    const wrong = (what: string) => new TypeError(`${acceptedPath}: entry ${at + 1} ${what}`)
    if (typeof each !== 'object' || each === null) throw wrong('must be an object.')
    const { kind, name, path, because, until, ...others } = each
    const [odd] = Object.keys(others)
    if (odd !== undefined)
      throw wrong(`has ${JSON.stringify(odd)}, but may have only kind, name, path, because and until.`)
    for (const [word, value] of Object.entries({ kind, name, path }))
      if (value !== undefined && typeof value !== 'string') throw wrong(`must have text as ${word}.`)
    if (kind === undefined && name === undefined && path === undefined)
      throw wrong('must have a kind, a name or a path.')
    if (typeof because !== 'string' || because.trim() === '') throw wrong('must have a reason: because.')
    if (until !== undefined && !isDay(until)) throw wrong('must have a date as until, such as "2027-06-30".')
    // Without a day and without a place it would cover everything for ever.
    const isLimited = typeof path === 'string' && /[^*/.]/.test(path)
    if (until === undefined && !isLimited)
      throw wrong('must have a date as until, such as "2027-06-30", or the path of a file or folder.')
    if (
      !isLimited &&
      kind === undefined &&
      name === undefined &&
      Date.parse(until as string) > Date.now() + daysMax * 86_400_000
    )
      throw wrong('must have an earlier until, at most five years from now, or the path of a file or folder.')
    return each as unknown as AcceptedFinding
  })
}

/** A later day is for ever. */
const daysMax = 5 * 366

/** Tells whether a value is a day of the calendar, which 2027-02-31 is not. */
function isDay(value: unknown): value is string {
  if (typeof value !== 'string' || !/^\d{4}-\d\d-\d\d$/.test(value)) return false
  const date = new Date(`${value}T00:00:00Z`)
  return !Number.isNaN(date.getTime()) && date.toISOString().startsWith(value)
}

/** Which of them covers a finding today; undefined if none does. */
export function acceptedBy(
  list: readonly AcceptedFinding[],
  found: { readonly kind: string; readonly name?: string | undefined; readonly path?: string | undefined },
  today: string,
): AcceptedFinding | undefined {
  return list.find(
    ({ kind, name, path, until }) =>
      (until === undefined || until >= today) &&
      (kind === undefined || kind === found.kind) &&
      (name === undefined || name === found.name) &&
      (path === undefined || (found.path !== undefined && matches(path, found.path))),
  )
}

/** Tells whether a path is what a pattern says; each star stands for any text. Linear, since the first place of each piece will do. */
function matches(pattern: string, path: string): boolean {
  const [first = '', ...rest] = pattern.split('*')
  const last = rest.pop()
  if (last === undefined) return path === first
  if (!path.startsWith(first)) return false
  let at = first.length
  for (const piece of rest) {
    const found = path.indexOf(piece, at)
    if (found < 0) return false
    at = found + piece.length
  }
  return path.endsWith(last) && path.length - last.length >= at
}
