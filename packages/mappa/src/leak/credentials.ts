import { type Range, withRangesMasked } from './ranges.js'

/** Longer runs of characters are data and no credential, and looking at them again and again would cost too much. */
const runMax = 4096

/** Names in a query or a connection string whose value opens something. */
const openingNames =
  /^(?:.*[_-])?(?:pass(?:word|wd|phrase)?|pwd|secret|token|api[_-]?key|access[_-]?key|key|sig|signature|auth|credential|code)$/i

/** Tells whether a name says that its value opens something: `ALERT_TOKEN`, `password`. */
export function opensSomething(name: string): boolean {
  return openingNames.test(name)
}

/**
 * Where a text holds what has the shape of a credential: user information of a URL, with a password or without, also with
 * characters in it that it should not have; a value in a query or a connection string whose name says so; a signed token
 * (RFC 7519); a bearer token; a private key (RFC 7468); and, unless `labels` is false, a key that says what it is for
 * (`sms_live_…`), as pages send some openly. Linear.
 */
export function credentialsIn(text: string, labels = true): readonly Range[] {
  const found = [
    text.includes('://') ? userInformation(text) : [],
    text.includes('@') && !text.includes('://') ? userWithoutScheme(text) : [],
    text.includes('=') ? openingValues(text) : [],
    text.includes('eyJ') ? runsWhere(text, /(?<![\w-])eyJ[\w-]{6,}\.[\w-]{4,}(?:\.[\w-]*)?/g) : [],
    /bearer|basic/i.test(text) ? behind(text, /\b(?:bearer|basic) {1,4}(?=[\w.~+/=-]{8})/gi) : [],
    text.includes('-----BEGIN ') ? privateKeys(text) : [],
    labels && labelSign.test(text) ? labelledKeys(text) : [],
  ]
  return merged(found.flat())
}

/** A text with whatever has the shape of a credential masked. */
export function withoutCredentials(text: string, labels = true): string {
  return withRangesMasked(text, credentialsIn(text, labels))
}

/** From `://` to the last `@` before a blank or a quote: a password may hold `/`, `?` and `#`, though it should not. */
function userInformation(text: string): Range[] {
  const ranges: Range[] = []
  for (let at = text.indexOf('://'); at >= 0; ) {
    const start = at + 3
    at = text.indexOf('://', start)
    const stop = Math.min(at < 0 ? text.length : at, start + runMax)
    let colon = -1
    let last = -1
    // Behind a path, an @ without a colon in front is a part of the path: /@scope/name.
    let isUser = true
    for (let end = start; end < stop && !/[\s"'<>`]/.test(text[end] as string); end++) {
      const char = text[end]
      if (char === ':' && colon < 0 && isUser) colon = end
      else if (char === '/' && colon < 0) isUser = false
      else if (char === '@' && isUser) last = end
    }
    // A name with a password is not a secret; one that stands alone often is a token.
    const from = colon >= 0 && colon < last ? colon + 1 : start
    if (last > from) ranges.push({ start: from, end: last })
  }
  return ranges
}

/** `user:password@host`, which is not an URL and often meant to be one; not `mailto:` and the like. */
function userWithoutScheme(text: string): Range[] {
  const colon = text.indexOf(':')
  const at = text.lastIndexOf('@')
  if (colon < 1 || at < colon + 2 || colon > 256) return []
  const user = text.slice(0, colon)
  if (/[\s/?#@"'=]/.test(user) || /^(?:mailto|sips?|xmpp|acct)$/i.test(user) || /\s/.test(text.slice(colon, at)))
    return []
  return [{ start: colon + 1, end: at }]
}

/** `?token=…`, `;Password=…`: from the equals sign to the next sign that ends a value. */
function openingValues(text: string): Range[] {
  const ranges: Range[] = []
  for (let at = text.indexOf('='); at >= 0; at = text.indexOf('=', at + 1)) {
    let start = at
    while (start > 0 && at - start < 64 && /[\w-]/.test(text[start - 1] as string)) start--
    if (!/[?&;,\s]/.test(text[start - 1] ?? '') || !opensSomething(text.slice(start, at))) continue
    let end = at + 1
    while (end < text.length && !/[&;#\s"'<>]/.test(text[end] as string)) end++
    if (end > at + 1) ranges.push({ start: at + 1, end })
    at = Math.max(at, end - 1)
  }
  return ranges
}

function privateKeys(text: string): Range[] {
  const ranges: Range[] = []
  for (const { index, 0: head } of text.matchAll(/-----BEGIN [A-Z ]{0,32}PRIVATE KEY-----/g)) {
    const close = text.indexOf('-----END', index + head.length)
    ranges.push({ start: index + head.length, end: close < 0 ? text.length : close })
    if (close < 0) break
  }
  return ranges
}

const labelSign =
  /(?:^|[^A-Za-z0-9_-])[a-z]{2,12}[_-](?:live|prod|production|test|sandbox|secret|private)[_-][A-Za-z0-9_-]{6}/

function labelledKeys(text: string): Range[] {
  const label =
    /(?<![A-Za-z0-9_-])[a-z]{2,12}[_-](?:live|prod|production|test|sandbox|secret|private)[_-][A-Za-z0-9_-]{6,}/g
  return runsWhere(text, label)
}

function runsWhere(text: string, pattern: RegExp): Range[] {
  return [...text.matchAll(pattern)].map(({ index, 0: whole }) => ({ start: index, end: index + whole.length }))
}

function behind(text: string, lead: RegExp): Range[] {
  return [...text.matchAll(lead)].map(({ index, 0: whole }) => {
    const start = index + whole.length
    let end = start
    while (end < text.length && /[\w.~+/=-]/.test(text[end] as string)) end++
    return { start, end }
  })
}

function merged(ranges: readonly Range[]): Range[] {
  const all: Range[] = []
  for (const range of [...ranges].sort((a, b) => a.start - b.start)) {
    const last = all.at(-1)
    if (last && range.start <= last.end) all[all.length - 1] = { start: last.start, end: Math.max(last.end, range.end) }
    else all.push(range)
  }
  return all
}
