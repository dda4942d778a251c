/** Formats of JSON Schema 2020-12 that a text may have. */
export type Format = 'uri' | 'email' | 'hostname' | 'ipv4' | 'ipv6' | 'date' | 'date-time' | 'uuid' | 'regex'

// The core runs in browsers, workers and Node alike, and is compiled without the types of any of them.
declare const URL: { canParse(text: string): boolean }

/** Each format of JSON Schema 2020-12 (Validation, 7.3) that an entry may ask for: whether a text has it, and what it is. */
export const formats: Readonly<Record<Format, readonly [test: (text: string) => boolean, what: string]>> = {
  uri: [isUri, 'an absolute URL'],
  email: [isEmail, 'an e-mail address'],
  hostname: [isHostname, 'a host name'],
  ipv4: [isIpv4, 'an IPv4 address'],
  ipv6: [isIpv6, 'an IPv6 address'],
  date: [isDate, 'a date such as 2026-05-20'],
  'date-time': [isDateTime, 'a time such as 2026-05-20T08:30:00Z'],
  uuid: [isUuid, 'a UUID'],
  regex: [isRegex, 'a regular expression'],
}

/** Characters of a part of a URI; whether a percent sign begins an escape is asked apart, so that no choice is in a loop. */
const uriSigns = "A-Za-z0-9._~!$&'()*+,;=%-"
const pathSigns = `${uriSigns}:@`
const host = `(?:\\[[0-9A-Fa-f:.]+\\]|[${uriSigns}]*)(?::[0-9]*)?`
const authority = `//([${uriSigns}:]*@)?(${host}(?:,${host})*)(/[${pathSigns}/]*)?`
const rootless = `/?(?:[${pathSigns}][${pathSigns}/]*)?`
/** Made when it is asked for: most legends ask for none, and every start loads this. */
let uriPattern: RegExp | undefined

/**
 * A URI with its scheme as RFC 3986, 3 has it, that can also be opened as a URL. An address of a database may name the hosts of a
 * whole replica set: `postgres://a:1,b:2/hives`.
 */
function isUri(text: string): boolean {
  uriPattern ??= new RegExp(
    // A scheme alone leads nowhere, though the grammar has it.
    `^([A-Za-z][A-Za-z0-9+.-]*):(?=.)(?:${authority}|${rootless})(?:\\?[${pathSigns}/?]*)?(?:#[${pathSigns}/?]*)?$`,
  )
  const [found, scheme = '', user = '', hosts = '', path = ''] = uriPattern.exec(text) ?? []
  if (found === undefined || /%(?![0-9A-Fa-f]{2})/.test(text)) return false
  if (URL.canParse(text)) return true
  const several = hosts.split(',', hostsMax + 1)
  return (
    several.length > 1 &&
    several.length <= hostsMax &&
    !/^(?:https?|wss?|ftp|file)$/i.test(scheme) &&
    several.every((each) => each !== '' && URL.canParse(`${scheme}://${user}${each}${path}`))
  )
}

/** No replica set has more. */
const hostsMax = 100

/** RFC 5321, 4.1.2, without quoted local parts and address literals, which no mail provider gives out. */
function isEmail(text: string): boolean {
  const at = text.indexOf('@')
  const local = text.slice(0, at)
  const isLocal = /^[A-Za-z0-9!#$%&'*+/=?^_`{|}~.-]+$/.test(local) && !/^\.|\.\.|\.$/.test(local)
  return at > 0 && isLocal && isDomain(text.slice(at + 1))
}

function isDomain(text: string): boolean {
  return text.includes('.') && !text.endsWith('.') && isHostname(text)
}

/** RFC 1123, 2.1: labels of 1 to 63 letters, digits and hyphens, 253 characters in all; a dot at the end may stand for the root. */
function isHostname(text: string): boolean {
  const name = text.endsWith('.') ? text.slice(0, -1) : text
  return name.length <= 253 && /^(?!-)[A-Za-z0-9-]{1,63}(?<!-)(?:\.(?!-)[A-Za-z0-9-]{1,63}(?<!-))*$/.test(name)
}

/** RFC 2673, 3.2: four numbers from 0 to 255 without leading zeros. */
function isIpv4(text: string): boolean {
  return /^(?:(?:25[0-5]|2[0-4]\d|1\d\d|[1-9]?\d)(?:\.(?!$)|$)){4}$/.test(text)
}

/** RFC 4291, 2.2: eight groups of up to four hexadecimal digits, one run of zeros left out, the last two as IPv4. */
function isIpv6(text: string): boolean {
  const tail = /(?:^|:)((?:\d+\.){3}\d+)$/.exec(text)?.[1]
  if (tail !== undefined && !isIpv4(tail)) return false
  const whole = tail === undefined ? text : `${text.slice(0, -tail.length)}0:0`
  const halves = whole.split('::')
  if (halves.length > 2) return false
  const groups = halves.flatMap((half) => (half === '' ? [] : half.split(':')))
  if (!groups.every((group) => /^[0-9A-Fa-f]{1,4}$/.test(group))) return false
  return halves.length === 2 ? groups.length < 8 : groups.length === 8
}

/** RFC 3339, 5.6: `full-date`. */
function isDate(text: string): boolean {
  const [, year, month, day] = (/^(\d{4})-(\d\d)-(\d\d)$/.exec(text) ?? []).map(Number)
  if (year === undefined || month === undefined || day === undefined) return false
  const leap = (year % 4 === 0 && year % 100 !== 0) || year % 400 === 0
  const days = [31, leap ? 29 : 28, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31][month - 1] ?? 0
  return day >= 1 && day <= days
}

/** RFC 3339, 5.6: `date-time`, with a T and the offset as `+02:00`; a leap second only at the end of a day in UTC. */
function isDateTime(text: string): boolean {
  const [, date = '', clock = ''] = /^(.{10})[Tt](.*)$/.exec(text) ?? []
  const parts = /^(\d\d):(\d\d):(\d\d)(?:\.\d+)?(?:[Zz]|([+-])(\d\d):(\d\d))$/.exec(clock)
  if (!isDate(date) || !parts) return false
  const [hour, minute, second] = parts.slice(1, 4).map(Number) as [number, number, number]
  const sign = parts[4] === '-' ? -1 : 1
  const [ahead, aheadMinutes] = [Number(parts[5] ?? 0), Number(parts[6] ?? 0)]
  if (hour > 23 || minute > 59 || ahead > 23 || aheadMinutes > 59) return false
  const utc = (((hour * 60 + minute - sign * (ahead * 60 + aheadMinutes)) % 1440) + 1440) % 1440
  return second < 60 || (second === 60 && utc === 1439)
}

/** RFC 9562, 4. */
function isUuid(text: string): boolean {
  return /^[0-9a-f]{8}-(?:[0-9a-f]{4}-){3}[0-9a-f]{12}$/i.test(text)
}

/** ECMA-262, in Unicode mode. */
function isRegex(text: string): boolean {
  try {
    new RegExp(text, 'u')
    return true
  } catch {
    return false
  }
}
