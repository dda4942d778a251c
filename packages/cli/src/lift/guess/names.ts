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
  'secret',
  'secrets',
  'token',
  'apikey',
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
  'encryption',
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
  'tile',
  'map',
  'maps',
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

/** Whether a name says that its value is a credential. `tokenHeader` and `PASSWORD_FIELD` name other things. */
export function namesCredential(words: readonly string[]): boolean {
  const own = [...words]
  while (own.length > 1 && stageWords.has(own.at(-1) as string)) own.pop()
  const last = own.at(-1)
  if (last === undefined) return false
  if (credentialWords.has(last)) return true
  return last === 'key' && own.slice(0, -1).some((word) => keyWords.has(word))
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
])

/** Whether a name says that its value is where something is found. */
export function namesAddress(words: readonly string[]): boolean {
  return words.slice(-2).some((word) => addressWords.has(word) || word.endsWith('url') || word.endsWith('host'))
}

export function namesHost(words: readonly string[]): boolean {
  const last = words.filter((word) => !stageWords.has(word)).at(-1) ?? ''
  return last === 'host' || last === 'hostname' || last.endsWith('host')
}

export function namesPort(words: readonly string[]): boolean {
  const last = words.filter((word) => !stageWords.has(word)).at(-1) ?? ''
  return last === 'port' || (last.endsWith('port') && ['httpport', 'dbport', 'serverport'].includes(last))
}

export function namesMail(words: readonly string[]): boolean {
  return words.some((word) =>
    [
      'from',
      'sender',
      'reply',
      'email',
      'mail',
      'to',
      'recipient',
      'recipients',
      'contact',
      'support',
      'admin',
      'alerts',
    ].includes(word),
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
        'placeholder',
        'description',
        'message',
        'text',
        'alt',
        'copyright',
      ].includes(word),
    )
}
