/**
 * The one table of names that open something: what `lift` takes for a credential and what `guard` looks for both follow from it.
 */

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
/** Words that make a `key` a credential. */
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
  'primary',
  'foreign',
  'sort',
  'partition',
  'range',
  'index',
  'group',
  'row',
  'column',
  'unique',
  'composite',
  'cache',
  'storage',
  'store',
  'query',
  'lookup',
  'object',
  'property',
  'prop',
  'field',
  'item',
  'entity',
  'data',
  'route',
  'event',
  'react',
  'translation',
  'i18n',
  'message',
  'label',
  'text',
  'locale',
  'menu',
  'tab',
  'state',
  'arrow',
  'enter',
  'escape',
  'keyboard',
  'shortcut',
  'hot',
  'up',
  'down',
  'left',
  'right',
  'modifier',
  'meta',
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

/** Tells whether a name says that its value is a credential. `tokenHeader` and `PASSWORD_FIELD` name other things. */
export function namesCredential(words: readonly string[]): boolean {
  const own = tellingWords(words)
  const last = own.at(-1)
  if (last === undefined) return false
  if (credentialWords.has(last) || runTogether('pass|passwd|password|pwd|secret|token').test(last)) return true
  // TOKEN_STORAGE_KEY is the key of a place in a store.
  const isPlain = plainKeys.has(own.at(-2) ?? '')
  return (last === 'key' || last === 'keys') && !isPlain && own.slice(0, -1).some((word) => keyWords.has(word))
}

/** Two words written as one: `dbpass`, `APIPORT`. Many other words end as these do. */
export function runTogether(ending: string): RegExp {
  const known = patterns.get(ending)
  if (known) return known
  const pattern = new RegExp(`^(?:${leads})(?:${ending})$`)
  patterns.set(ending, pattern)
  return pattern
}

const leads =
  'admin|api|app|auth|aws|client|cookie|database|db|email|ftp|host|http|https|imap|jwt|ldap|mail|mongo|mongodb|mysql|node|pg|postgres|proxy|redis|root|server|service|session|smtp|ssh|ssl|user|web|ws'
const patterns = new Map<string, RegExp>()

/** Tells whether a name speaks of a key without saying what it opens; its value has to. */
export function namesSomeKey(words: readonly string[]): boolean {
  const own = tellingWords(words)
  const last = own.at(-1)
  return (last === 'key' || last === 'keys') && !own.some((word) => plainKeys.has(word))
}

/** Tells whether a name is one that says so with one letter out, too many, swapped or wrong: `passowrd`, `secert`. */
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
