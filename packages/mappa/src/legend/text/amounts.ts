/** Milliseconds of each unit of a duration. Months and years have no fixed length, so there are none. */
const durationUnits: Readonly<Record<string, number>> = {
  ms: 1,
  s: 1000,
  m: 60_000,
  min: 60_000,
  h: 3_600_000,
  d: 86_400_000,
  w: 604_800_000,
}

/** Bytes of each unit of a size: of a thousand as SI has them, of 1024 as IEC 80000-13 does. In small letters. */
const byteUnits: Readonly<Record<string, number>> = {
  '': 1,
  b: 1,
  kb: 1e3,
  mb: 1e6,
  gb: 1e9,
  tb: 1e12,
  kib: 1024,
  mib: 1024 ** 2,
  gib: 1024 ** 3,
  tib: 1024 ** 4,
}

/**
 * A duration in milliseconds: `90s`, `1.5h`, `1h30m`, or as ISO 8601-1:2019, 5.5.2, has it with weeks, days and times
 * (`PT1H30M`); undefined if it is not one. A number alone is not one: nobody could tell seconds from milliseconds.
 */
export function durationOf(text: string): number | undefined {
  const iso =
    /^P(?:(\d+)W|(?=\d|T\d)(?:(\d+)D)?(?:T(?=\d)(?:(\d+(?:\.\d+)?)H)?(?:(\d+(?:\.\d+)?)M)?(?:(\d+(?:\.\d+)?)S)?)?)$/.exec(
      text,
    )
  if (iso) {
    const [w, d, h, m, s] = iso.slice(1).map((part) => Number(part ?? 0)) as [number, number, number, number, number]
    return whole(w * 604_800_000 + d * 86_400_000 + h * 3_600_000 + m * 60_000 + s * 1000)
  }
  if (text === '0') return 0
  let rest = text
  let sum = 0
  let least = Number.POSITIVE_INFINITY
  while (rest !== '') {
    const [part = '', count = '', unit = ''] = /^(\d+(?:\.\d+)?) ?(ms|min|[smhdw])(?: ?(?=\d)|$)/.exec(rest) ?? []
    const length = durationUnits[unit]
    // From large to small, and each once, as people say it.
    if (part === '' || length === undefined || length >= least) return undefined
    least = length
    sum += Number(count) * length
    rest = rest.slice(part.length)
  }
  return text === '' ? undefined : whole(sum)
}

/** A size in bytes: `10MB`, `10MiB`, `512`; undefined if it is not one. */
export function bytesOf(text: string): number | undefined {
  const [, count = '', unit = ''] = /^(\d+(?:\.\d+)?) ?([A-Za-z]*)$/.exec(text) ?? []
  const each = count === '' ? undefined : byteUnits[unit.toLowerCase()]
  const size = each === undefined ? undefined : whole(Number(count) * each)
  return size !== undefined && Number.isSafeInteger(size) ? size : undefined
}

/** 1.1 hours are 3,960,000 ms to a person, though not quite to binary fractions. */
function whole(value: number): number | undefined {
  // Beyond it, neighbours are one and the same number.
  if (!Number.isFinite(value) || value > Number.MAX_SAFE_INTEGER) return undefined
  const near = Math.round(value)
  return Math.abs(value - near) <= 1e-9 * Math.max(1, Math.abs(value)) ? near : value
}
