import { runTogether, tellingWords } from '../credentials/opening-names.js'

/** Words that say nothing of whose a setting is, when they stand alone. */
export const plainWords: ReadonlySet<string> = new Set(
  (
    'url port href src link uri base endpoint origin host hostname address server key keys token secret password pass from to ' +
    'sender value default connection string api authorization phone number email mail target baseurl recipient tel client ' +
    'app application access auth user username database db name domain id mode enabled timeout interval limit max min live ' +
    'private signing pwd passwd region bucket zone cluster tenant workspace queue topic'
  ).split(' '),
)

/** A name as a variable's: `ALERT_API_KEY`. Empty if nothing of it can be in one. */
export function variableName(words: readonly string[]): string {
  const name = words.join('_').toUpperCase()
  return /^[0-9]/.test(name) ? `N${name}` : name
}

/** Tells whether a name says that its value is who the application is to a service: `clientId`, `MERCHANT_ID`. */
export function namesAccountId(words: readonly string[]): boolean {
  const own = tellingWords(words)
  const [before, last] = [own.at(-2) ?? '', own.at(-1) ?? '']
  return (
    (/^s?id$/.test(last) && accountWords.has(before)) || /^(?:client|app|account|tenant|project|merchant)id$/.test(last)
  )
}

const accountWords = new Set([
  'client',
  'app',
  'application',
  'account',
  'tenant',
  'project',
  'merchant',
  'organization',
  'organisation',
  'org',
  'workspace',
  'team',
  'guild',
  'server',
  'channel',
  'chat',
  'bot',
  'bucket',
  'pool',
  'subscription',
  'measurement',
  'tracking',
  'analytics',
  'sender',
  'partner',
  'publisher',
  'store',
  'access',
  'key',
  'consumer',
  'dsn',
])

/** Tells whether a name says who is let in, or what is opened there. */
export function namesUser(words: readonly string[]): boolean {
  return /^(?:user|username|login)$/.test(tellingWords(words).at(-1) ?? '')
}

export function namesDatabase(words: readonly string[]): boolean {
  const own = tellingWords(words).join(' ')
  return /(?:^| )(?:database|db|db name|database name|dbname)$/.test(own)
}

/** Tells whether a name says that its value bounds something while the application runs. */
export function namesLimit(words: readonly string[], outer: readonly string[]): boolean {
  const own = tellingWords(words)
    .filter((word) => !/^(?:ms|millis|milliseconds|sec|secs|seconds|minutes|hours|days|in)$/.test(word))
    .join(' ')
  if (/(?:^| )(?:timeout|interval|ttl|retries|retry count|max retries|concurrency|delay|cooldown)$/.test(own))
    return true
  if (
    /(?:^| )(?:pool size|pool max|pool min|connection limit|max connections|rate limit|batch size|page size)$/.test(own)
  )
    return true
  return /^(?:min|max|limit)$/.test(own) && outer.some((word) => /^(?:pool|rate|limit|limiter|ratelimit)$/.test(word))
}

/** Tells whether a name says that its value switches something on. */
export function namesSwitch(words: readonly string[]): boolean {
  const [first = '', ...rest] = words
  if (rest.length > 0 && /^(?:enable|enabled|disable|disabled|use|feature|allow)$/.test(first)) return true
  return /^(?:enabled|disabled|sandbox|flag|debug)$/.test(words.at(-1) ?? '') && words.length < 5
}

/** Tells whether a name says by which of a few words the application behaves. */
export function namesMode(words: readonly string[]): boolean {
  return /^(?:mode|environment|env)$/.test(tellingWords(words).at(-1) ?? '')
}

const addressWords = new Set([
  'url',
  'uri',
  'endpoint',
  'origin',
  'host',
  'hostname',
  'server',
  'gateway',
  'webhook',
  'domain',
  'base',
  'api',
  'proxy',
  'upstream',
  'backend',
  'service',
  'address',
  'broker',
  'socket',
  'dsn',
  'connection',
  'root',
  'cdn',
  'prefix',
  'target',
  'registry',
  'mirror',
  'portal',
])

/** Tells whether a name says that its value is where something is found. */
export function namesAddress(words: readonly string[]): boolean {
  return words.slice(-2).some((word) => {
    const one = word.replace(/ies$/, 'y').replace(/(?<=[^s])s$/, '')
    return addressWords.has(word) || addressWords.has(one) || one.endsWith('url') || one.endsWith('host')
  })
}

/** Tells whether a name says no more than that its value is an address, which links are too. */
export function isPlainAddress(words: readonly string[]): boolean {
  return words.length === 1 && /^(?:url|uri|urls|uris|href|src|link|address|website|site)$/.test(words[0] as string)
}

export function namesHost(words: readonly string[]): boolean {
  const last = tellingWords(words).at(-1) ?? ''
  return /^(?:hostname|domain|bind|broker|bootstrap)$/.test(last) || last.endsWith('host')
}

export function namesPort(words: readonly string[]): boolean {
  const last = tellingWords(words).at(-1) ?? ''
  return last === 'port' || runTogether('port').test(last)
}

export function namesMail(words: readonly string[]): boolean {
  // An address alone may be anyone's; one that says what is sent there, or by whom, is the application's.
  return words.some((word) =>
    /^(?:from|sender|reply|to|cc|bcc|recipients?|contact|support|admin|alerts?|notify|notifications?|owner|ops|team|smtp|mailer|inbox)$/.test(
      word,
    ),
  )
}

export function namesPhone(words: readonly string[]): boolean {
  return words.some((word) =>
    ['phone', 'telephone', 'tel', 'mobile', 'sms', 'number', 'from', 'to', 'recipient', 'caller', 'pager'].includes(
      word,
    ),
  )
}

/** Tells whether a name says that its value names one of the two sides of a token (RFC 7519, 4.1). */
export function namesParty(words: readonly string[]): boolean {
  return /^(?:iss|issuer|aud|audience)$/.test(words.at(-1) ?? '')
}

/** Words that say so wherever they are in a name: `docsBaseUrl`. */
const readWords = new Set('docs documentation readme wiki tutorial repo repository homepage changelog'.split(' '))

/** Names whose values people read, and programs do not act on. */
export function namesProse(words: readonly string[]): boolean {
  if (words.some((word) => readWords.has(word))) return true
  return words
    .slice(-2)
    .some((word) =>
      [
        'docs',
        'doc',
        'documentation',
        'help',
        'homepage',
        'license',
        'licence',
        'xmlns',
        'namespace',
        'ns',
        'schema',
        'agent',
        'href',
        'link',
        'links',
        'credit',
        'attribution',
        'readme',
        'guide',
        'wiki',
        'tutorial',
        'terms',
        'privacy',
        'title',
        'label',
        'labels',
        'messages',
        'texts',
        'translations',
        'placeholder',
        'description',
        'message',
        'text',
        'alt',
        'copyright',
      ].includes(word),
    )
}
