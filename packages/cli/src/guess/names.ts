/** A name as a variable's: `ALERT_API_KEY`. Empty if nothing of it can stand in one. */
export function variableName(words: readonly string[]): string {
  const name = words.join('_').toUpperCase()
  return /^[0-9]/.test(name) ? `N${name}` : name
}

/** Words that say a value is a credential, alone or as the last ones of a name. */
const credentialWords = new Set([
  'password',
  'passwd',
  'pwd',
  'pass',
  'passphrase',
  'passcode',
  'secret',
  'secrets',
  'token',
  'apikey',
  'secretkey',
  'accesskey',
  'privatekey',
  'accesstoken',
  'authtoken',
  'clientsecret',
  'credential',
  'credentials',
  'authorization',
  'bearer',
  'salt',
  'pepper',
])
/** What makes a `key` a credential. */
const keyWords = new Set([
  'api',
  'access',
  'private',
  'secret',
  'signing',
  'signature',
  'encryption',
  'encrypt',
  'crypto',
  'cipher',
  'aes',
  'hmac',
  'auth',
  'client',
  'account',
  'service',
  'license',
  'subscription',
  'master',
  'session',
  'cookie',
  'jwt',
  'token',
  'app',
  'server',
  'admin',
  'webhook',
])
/** Keys that open nothing: those of data, of a keyboard, of a list. */
const plainKeys = new Set([
  ...['primary', 'foreign', 'sort', 'partition', 'range', 'index', 'group', 'row', 'column', 'unique', 'composite'],
  ...['cache', 'storage', 'store', 'query', 'lookup', 'object', 'property', 'prop', 'field', 'item', 'entity', 'data'],
  ...['route', 'event', 'react', 'translation', 'i18n', 'message', 'label', 'text', 'locale', 'menu', 'tab', 'state'],
  ...['arrow', 'enter', 'escape', 'keyboard', 'shortcut', 'hot', 'up', 'down', 'left', 'right', 'modifier', 'meta'],
])
/** Words behind a telling name that do not change what it says. */
const stageWords = new Set([
  'dev',
  'development',
  'test',
  'testing',
  'staging',
  'stage',
  'prod',
  'production',
  'live',
  'local',
  'default',
  'value',
  'string',
  'base64',
  'hex',
])

/** A name without the words behind what it says, and without a number: `tokenDev`, `TOKEN_2`, `token2`. */
export function tellingWords(words: readonly string[]): readonly string[] {
  let end = words.length
  while (end > 1 && (stageWords.has(words[end - 1] as string) || /^\d+$/.test(words[end - 1] as string))) end--
  return words.slice(0, end).map((word, at) => (at === end - 1 ? word.replace(/(?<=[a-z])\d+$/, '') : word))
}

/** Whether a name says that its value is a credential. `tokenHeader` and `PASSWORD_FIELD` name other things. */
export function namesCredential(words: readonly string[]): boolean {
  const own = tellingWords(words)
  const last = own.at(-1)
  if (last === undefined) return false
  if (credentialWords.has(last) || runTogether('pass|passwd|password|pwd|secret|token').test(last)) return true
  return (last === 'key' || last === 'keys') && own.slice(0, -1).some((word) => keyWords.has(word))
}

/** Two words written as one: `dbpass`, `APIPORT`. Many other words end as these do. */
function runTogether(ending: string): RegExp {
  const known = patterns.get(ending)
  if (known) return known
  const pattern = new RegExp(`^(?:${leads})(?:${ending})$`)
  patterns.set(ending, pattern)
  return pattern
}

const leads =
  'admin|api|app|auth|aws|client|cookie|database|db|email|ftp|host|http|https|imap|jwt|ldap|mail|mongo|mongodb|mysql|node|pg|postgres|proxy|redis|root|server|service|session|smtp|ssh|ssl|user|web|ws'
const patterns = new Map<string, RegExp>()

/** Whether a name speaks of a key without saying what it opens; its value has to. */
export function namesSomeKey(words: readonly string[]): boolean {
  const own = tellingWords(words)
  const last = own.at(-1)
  return (last === 'key' || last === 'keys') && !own.some((word) => plainKeys.has(word))
}

/** Whether a name is one that says so with one letter out, too many, swapped or wrong: `passowrd`, `secert`. */
export function namesMisspelt(words: readonly string[]): boolean {
  const last = tellingWords(words).at(-1) ?? ''
  return last.length >= 5 && !credentialWords.has(last) && misspeltWords.some((word) => isNear(last, word))
}

const misspeltWords = ['password', 'secret', 'token', 'passphrase', 'apikey', 'credential', 'credentials']

function isNear(a: string, b: string): boolean {
  const [short, long] = a.length <= b.length ? [a, b] : [b, a]
  if (long.length - short.length > 1) return false
  let at = 0
  while (at < short.length && short[at] === long[at]) at++
  if (long.length > short.length) return short.slice(at) === long.slice(at + 1)
  const isSwapped =
    short[at] === long[at + 1] && short[at + 1] === long[at] && short.slice(at + 2) === long.slice(at + 2)
  return isSwapped || short.slice(at + 1) === long.slice(at + 1)
}

/** Whether a name says that its value is who the application is to a service: `clientId`, `MERCHANT_ID`. */
export function namesAccountId(words: readonly string[]): boolean {
  const own = tellingWords(words)
  const [before, last] = [own.at(-2) ?? '', own.at(-1) ?? '']
  return (
    (/^s?id$/.test(last) && accountWords.has(before)) || /^(?:client|app|account|tenant|project|merchant)id$/.test(last)
  )
}

const accountWords = new Set([
  ...[
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
  ],
  ...[
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
  ],
  ...['tracking', 'analytics', 'sender', 'partner', 'publisher', 'store', 'access', 'key', 'consumer', 'dsn'],
])

/** Whether a name says who is let in, or what is opened there. */
export function namesUser(words: readonly string[]): boolean {
  return /^(?:user|username|login)$/.test(tellingWords(words).at(-1) ?? '')
}

export function namesDatabase(words: readonly string[]): boolean {
  const own = tellingWords(words).join(' ')
  return /(?:^| )(?:database|db|db name|database name|dbname)$/.test(own)
}

/** Whether a name says that its value bounds something while the application runs. */
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

/** Whether a name says that its value switches something on. */
export function namesSwitch(words: readonly string[]): boolean {
  const [first = '', ...rest] = words
  if (rest.length > 0 && /^(?:enable|enabled|disable|disabled|use|feature|allow)$/.test(first)) return true
  return /^(?:enabled|disabled|sandbox|flag|debug)$/.test(words.at(-1) ?? '') && words.length < 5
}

/** Whether a name says by which of a few words the application behaves. */
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
  ...['root', 'cdn', 'prefix', 'target', 'registry', 'mirror', 'portal'],
])

/** Whether a name says that its value is where something is found. */
export function namesAddress(words: readonly string[]): boolean {
  return words.slice(-2).some((word) => {
    const one = word.replace(/ies$/, 'y').replace(/(?<=[^s])s$/, '')
    return addressWords.has(word) || addressWords.has(one) || one.endsWith('url') || one.endsWith('host')
  })
}

/** Whether a name says no more than that its value is an address, which links are too. */
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

/** Names whose values people read, and programs do not act on. */
export function namesProse(words: readonly string[]): boolean {
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
