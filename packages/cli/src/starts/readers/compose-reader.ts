import type { ReaderAnswer } from './reader.js'

const blanks = /[^\S\n]*/y
const lead = /(?:\s|\ufeff)*/y
const exportWord = /export[^\S\n]+/y
const quotedName = /'([^']+)'/y
const bareName = /[^=#\s]+/y
const equals = /=[^\S\n]*/y
const single = /'((?:\\'|[^'])*)'/y
const double = /"((?:\\"|[^"])*)"/y
const bareText = /[^\n]*/y
const restOfLine = /[^\n]*\n?/y
const endOfLine = /[^\S\n]*(?:#[^\n]*)?(?:\n|$)/y

/** Reads as Docker Compose 1 reads an `env_file`. Written to agree with 1.29; see docs/format.md. */
export function readAsCompose(written: string, around: ReadonlyMap<string, string> = new Map()): ReaderAnswer {
  const text = written.replace(/\r\n?/g, '\n')
  const values = new Map<string, string | undefined>()
  let at = 0
  const take = (pattern: RegExp): RegExpExecArray | undefined => {
    pattern.lastIndex = at
    const found = pattern.exec(text)
    if (!found) return undefined
    at = pattern.lastIndex
    return found
  }
  while (at < text.length) {
    const start = at
    take(lead)
    if (at >= text.length) break
    const from = at
    if (text[at] === '#') {
      take(restOfLine)
      continue
    }
    take(exportWord)
    const name = text[at] === "'" ? take(quotedName)?.[1] : take(bareName)?.[0]
    if (name === undefined) {
      at = from
      take(restOfLine)
      if (at === start) break
      continue
    }
    take(blanks)
    let value: string | undefined
    if (take(equals)) {
      const quote = text[at]
      if (quote === "'") value = take(single)?.[1]?.replace(/\\([\\'])/g, '$1')
      else if (quote === '"') value = take(double)?.[1]?.replace(/\\([\\'"abfnrtv])/g, (_, sign) => signs[sign] ?? sign)
      else value = ((take(bareText)?.[0] ?? '').split(/\s#/, 1)[0] ?? '').trimEnd()
      if (value === undefined) {
        at = from
        take(restOfLine)
        continue
      }
    } else value = ''
    if (!take(endOfLine)) {
      take(restOfLine)
      continue
    }
    values.set(name, interpolated(value, values, around))
  }
  return { values }
}

const signs: Readonly<Record<string, string>> = { a: '\x07', b: '\b', f: '\f', n: '\n', r: '\r', t: '\t', v: '\v' }

/** Longer values are not told: each may hold another twice. */
const interpolatedMax = 100_000

/** A mention sees what is above it, then the environment. */
function interpolated(
  value: string,
  above: ReadonlyMap<string, string | undefined>,
  around: ReadonlyMap<string, string>,
): string | undefined {
  if (!value.includes('}')) return value
  let isTold = true
  const text = value.replace(/\$\{([^}:]*)(?::-([^}]*))?\}/g, (_, name, word) => {
    isTold &&= !above.has(name) || above.get(name) !== undefined
    return above.get(name) ?? around.get(name) ?? word ?? ''
  })
  return isTold && text.length <= interpolatedMax ? text : undefined
}
