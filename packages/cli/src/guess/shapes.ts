/** A private key in text form (RFC 7468). */
export function isPrivateKey(text: string): boolean {
  return /-----BEGIN [A-Z ]*PRIVATE KEY-----/.test(text)
}

/** A signed token (RFC 7519): three parts of base64url, the first of which starts as JSON does. */
export function isSignedToken(text: string): boolean {
  return /^eyJ[\w-]{8,}\.[\w-]{8,}\.[\w-]{8,}$/.test(text)
}

/** A key that says itself what it is for: `sms_live_…`, `tile-test-…`. */
export function isLabelledKey(text: string): boolean {
  return /^[a-z]{2,12}[_-](?:live|test|prod|secret|private)[_-][A-Za-z0-9_-]{6,}$/.test(text)
}

/** A URL with the name and password of a user in it. */
export function hasUserInformation(text: string): boolean {
  return /^[a-z][a-z0-9+.-]*:\/\/[^/?#\s:@]*:[^/?#\s@$]+@/i.test(text)
}

const connectionSchemes =
  /^(?:postgres(?:ql)?|mysql|mariadb|mongodb(?:\+srv)?|redis|rediss|amqps?|nats|kafka|mssql|sqlserver|smtps?|ldaps?|mqtts?|sftp|s3|memcached|cassandra|clickhouse|couchbase|neo4j|bolt):\/\//i

/** Where a database, a queue or the like is found. */
export function isConnection(text: string): boolean {
  // A scheme alone is the start of something.
  return connectionSchemes.test(text) && !/\s|:\/\/$/.test(text)
}

export interface Address {
  /** Scheme, host and port, as written. */
  readonly origin: string
  readonly scheme: string
  readonly host: string
  readonly port: number | undefined
  /** What follows, as written; may be empty. */
  readonly path: string
}

/** An address of the web, or the start of one that goes on elsewhere. */
export function webAddress(text: string): Address | undefined {
  const match =
    /^((https?|wss?):\/\/(?:[^\s/?#@]*@)?(\[[0-9a-f:.]+\]|[A-Za-z0-9.-]+)(?::([0-9]{1,5}))?)([/?#]\S*)?$/.exec(text)
  if (!match) return undefined
  const [, origin = '', scheme = '', host = '', port, path = ''] = match
  // A scheme check, or a word in a sentence.
  if (host === '' || host.startsWith('.') || host.endsWith('.')) return undefined
  return { origin, scheme, host, port: port === undefined ? undefined : Number(port), path }
}

/** `localhost:4100`, `10.0.0.7:5432`, `db.fennelhill.example:5432` */
export function isHostWithPort(text: string): boolean {
  return /^(?:localhost|(?:\d{1,3}\.){3}\d{1,3}|[a-z0-9-]+(?:\.[a-z0-9-]+)+):\d{2,5}$/i.test(text)
}

export function isHost(text: string): boolean {
  return /^(?:localhost|(?:\d{1,3}\.){3}\d{1,3}|[a-z0-9-]+(?:\.[a-z0-9-]+)+)$/i.test(text)
}

export function isMail(text: string): boolean {
  return /^(?:[^<>@\s]+(?: [^<>@\s]+)* <)?[^<>@\s]+@[a-z0-9-]+(?:\.[a-z0-9-]+)+>?$/i.test(text)
}

/** International form (E.164), with blanks or hyphens between. */
export function isPhone(text: string): boolean {
  return /^\+[1-9][0-9 ()-]{6,18}[0-9]$/.test(text)
}

/** What marks where a real value belongs. */
export function isPlaceholderText(text: string): boolean {
  return (
    /^<.*>$|^\[[A-Za-z _-]+\]$|^x{3,}$|^\*{4,}$|^\.{3}$|^…$|^tbd$|^fill[-_ ]?(?:me|this)/i.test(text) ||
    /^(?:your|my|insert|put|enter|paste|replace|add|change[-_ ]?(?:me|this|it)|todo|placeholder|dummy|redacted)(?![a-z])/i.test(
      text,
    ) ||
    /(?:^|[-_ ])(?:goes[-_ ]here|here|changeme)$/i.test(text)
  )
}

/** An address whose host or path speaks of what programs ask: `api.feed.example`, `/v1/hives`, `/graphql`. */
export function looksAsked({ host, path }: Address): boolean {
  const word =
    /(?:^|[./-])(?:api|apis|gateway|rest|rpc|graphql|graph|webhooks?|hooks?|oauth2?|ws|socket|v[0-9]+)(?=$|[./?-])/i
  return (
    word.test(host) ||
    word.test(path) ||
    /^(?:localhost|[\d.]+|\[.*\]|[^.]+)$/.test(host) ||
    /\.(?:local|internal|lan)$/.test(host)
  )
}

/** Text of eight characters or more that has letters and digits, and is neither words nor a date nor a version. */
export function looksLikeKey(text: string): boolean {
  return (
    text.length >= 8 &&
    text.length <= 500 &&
    /^[A-Za-z0-9+/_=.~:-]+$/.test(text) &&
    /[0-9]/.test(text) &&
    /[A-Za-z]/.test(text) &&
    !alphabet.test(text) &&
    !/^v?\d+(?:\.\d+)+|^\d{4}-\d\d-\d\d|^[a-z]+(?:[-_.][a-z]+)*[-_.]?\d{1,2}$|\.[a-z]{2,5}$|^[./]/i.test(text) &&
    shareOfWords(text) < 0.6
  )
}

const alphabet = /abcdef|ghijkl|012345|zyxwv/i

/** Long text of letters and digits that nobody made up: by length, kinds of characters, entropy, and that it holds no words. */
export function isRandom(text: string): boolean {
  if (text.length < 20 || text.length > 500 || !/^[A-Za-z0-9+/_=.~-]+$/.test(text)) return false
  if (!/[0-9]/.test(text) || !/[A-Za-z]/.test(text) || /^sha\d+-/.test(text)) return false
  // Alphabets, and names of files.
  if (alphabet.test(text) || /\.[a-z]{2,5}$/.test(text)) return false
  return entropy(text) > 3.5 && shareOfWords(text) < 0.4
}

/** How much of a text is made of what could be words: four letters or more, in small letters or after one capital, with a vowel and a consonant. */
function shareOfWords(text: string): number {
  let letters = 0
  for (const [word] of text.matchAll(/[A-Z]?[a-z]{3,}/g))
    if (word.length >= 4 && /[aeiouy]/i.test(word) && /[^aeiouy]/i.test(word)) letters += word.length
  return letters / text.length
}

/** Shannon entropy of the characters, in bits. */
function entropy(text: string): number {
  const counts = new Map<string, number>()
  for (const char of text) counts.set(char, (counts.get(char) ?? 0) + 1)
  let bits = 0
  for (const count of counts.values()) bits -= (count / text.length) * Math.log2(count / text.length)
  return bits
}

/** Hosts of standards, licences and the like, whose addresses are names rather than places. */
export function isNominalHost(host: string): boolean {
  return /(?:^|\.)(?:w3\.org|json-schema\.org|schema\.org|xmlsoap\.org|opensource\.org|creativecommons\.org|purl\.org|iana\.org|ietf\.org|rfc-editor\.org|spdx\.org|opengis\.net|openxmlformats\.org|gnu\.org|apache\.org|ecma-international\.org|unicode\.org|whatwg\.org)$/.test(
    host,
  )
}

/** Whether where a service is comes with what opens it. */
export function isSecretConnection(text: string): boolean {
  return hasUserInformation(text) || /[?&;](?:password|pwd|token|key|sig|secret|access_token)=/i.test(text)
}
