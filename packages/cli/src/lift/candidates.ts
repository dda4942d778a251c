import type { Confidence, Finding, Kind } from './find.js'
import { isSecretConnection } from './shapes.js'
import { variableName, wordsOf } from './words.js'

/** A setting that is to be moved out of code, with every place where it stands. */
export interface Candidate {
  /** The variable's proposed name. */
  readonly name: string
  readonly kind: Kind
  readonly type: 'string' | 'port'
  readonly secret: boolean
  readonly reach: 'server' | 'browser'
  readonly confidence: Confidence
  readonly reason: string
  readonly value: string
  /** The values of single stages, where they differ. */
  readonly stages: Readonly<Record<string, string>>
  readonly sites: readonly Finding[]
  /** Why it cannot be moved as it is. */
  readonly blocked?: string
}

/** Words that say nothing of whose a setting is, when they stand alone. */
const plainWords = new Set([
  'url',
  'port',
  'href',
  'src',
  'link',
  'uri',
  'base',
  'endpoint',
  'origin',
  'host',
  'hostname',
  'address',
  'server',
  'key',
  'token',
  'secret',
  'password',
  'pass',
  'from',
  'to',
  'sender',
  'value',
  'default',
  'connection',
  'string',
  'api',
  'authorization',
  'phone',
  'number',
  'email',
  'mail',
  'target',
  'baseurl',
  'recipient',
  'tel',
])
/** What a name of this kind should end in, so that it says what its value is. */
const endings: Readonly<Record<Kind, readonly string[]>> = {
  credential: [
    'key',
    'token',
    'secret',
    'password',
    'pass',
    'passphrase',
    'pwd',
    'passwd',
    'salt',
    'pepper',
    'credentials',
    'credential',
    'apikey',
    'secrets',
  ],
  address: ['url', 'uri', 'endpoint', 'origin', 'base', 'webhook', 'gateway', 'baseurl'],
  connection: ['url', 'uri', 'dsn'],
  host: ['host', 'hostname', 'address', 'server', 'broker'],
  port: ['port'],
  mail: ['email', 'mail', 'from', 'to', 'sender', 'recipient'],
  phone: ['phone', 'telephone', 'number', 'tel', 'mobile'],
}
const usual: Readonly<Record<Kind, string>> = {
  credential: 'key',
  address: 'url',
  connection: 'url',
  host: 'host',
  port: 'port',
  mail: 'email',
  phone: 'phone',
}
const rank: Readonly<Record<Confidence, number>> = { high: 2, medium: 1, low: 0 }

/**
 * Findings of a whole project as candidates: the same value is one setting, wherever it stands. `taken` are names that
 * already mean something; `isBrowser` says of a file whether it runs in a page.
 */
export function candidatesOf(
  findings: readonly Finding[],
  taken: Iterable<string>,
  isBrowser: (path: string) => boolean,
): Candidate[] {
  const groups = new Map<string, Finding[]>()
  for (const finding of findings) {
    // A port and a credential may read the same and be two things.
    const key = `${finding.kind} ${finding.value} ${finding.stages ? JSON.stringify(finding.stages) : ''}`
    groups.set(key, [...(groups.get(key) ?? []), finding])
  }
  const names = new Set(taken)
  const proper = [...groups.values()].filter((sites) => sites.some(({ echo }) => !echo))
  return proper.map((sites) => {
    const best = sites.filter(({ echo }) => !echo).reduce((a, b) => (rank[b.confidence] > rank[a.confidence] ? b : a))
    const { kind, value } = best
    const name = unique(nameOf(sites, best), names)
    names.add(name)
    const inBrowser = sites.some(({ path }) => isBrowser(path))
    const secret = (kind === 'credential' && !isPublicKey(name)) || (kind === 'connection' && isSecretConnection(value))
    return {
      name,
      kind,
      type: kind === 'port' ? 'port' : 'string',
      secret,
      reach: inBrowser ? 'browser' : 'server',
      confidence: best.confidence,
      reason: best.reason,
      value,
      stages: best.stages ?? {},
      sites,
      ...(secret &&
        inBrowser && {
          blocked:
            'It stands in code that runs in the browser, where everyone can read it: use it on a server, and replace it.',
        }),
    }
  })
}

/** Keys that pages send openly, and that are limited by where they may be used from. */
function isPublicKey(name: string): boolean {
  const words = wordsOf(name)
  return words.some((word) =>
    ['tile', 'map', 'maps', 'public', 'publishable', 'site', 'analytics', 'measurement'].includes(word),
  )
}

/** Objects whose names say nothing of what they are about. */
const plainObjects = new Set([
  'options',
  'option',
  'opts',
  'config',
  'configuration',
  'settings',
  'defaults',
  'headers',
  'params',
  'props',
  'data',
  'exports',
  'serve',
  'create',
  'client',
  'init',
  'connect',
])

function nameOf(sites: readonly Finding[], best: Finding): string {
  const named = sites
    .filter(({ confidence }) => confidence === best.confidence)
    .map(({ words }) => words)
    .find((words) => !words.every((word) => plainWords.has(word)))
  const outer = best.outer.filter((word) => !plainObjects.has(word))
  const lead = outer.length > 0 ? outer : best.words.length > 1 ? [] : subjectOf(best)
  const own = named ?? [...lead, ...best.words.filter((word) => !['href', 'src', 'link'].includes(word))]
  // A header of that name carries a token.
  const words = own
    .filter((word, at) => own.indexOf(word) === at)
    .map((word) => (word === 'authorization' ? 'token' : word))
  const ending = words.at(-1) ?? ''
  const fits = endings[best.kind].some((each) => ending.endsWith(each))
  return variableName(fits ? words : [...words, usual[best.kind]])
}

/** What a setting without a telling name is about: the first label of its host, what a connection leads to, or its file. */
function subjectOf({ kind, value, path }: Finding): string[] {
  if (kind === 'connection') {
    const scheme = value.slice(0, value.indexOf(':')).toLowerCase().replace(/\+.*$/, '')
    return [
      /^(?:postgres|mysql|maria|mongo|mssql|sqlserver|cassandra|clickhouse|couchbase)/.test(scheme)
        ? 'database'
        : scheme,
    ]
  }
  if (kind === 'port') return []
  const host = /^(?:[a-z]+:\/\/)?([A-Za-z0-9.-]+)/i.exec(value)?.[1] ?? ''
  const label =
    kind === 'address' || kind === 'host'
      ? host.split('.').find((each) => !/^(?:www|\d+|localhost)$/i.test(each))
      : undefined
  if (label && host.includes('.')) return wordsOf(label)
  const file = (path.split('/').at(-1) as string).replace(/\..*$/, '')
  return wordsOf(/^(?:index|main|app)$/.test(file) ? (path.split('/').at(-2) ?? file) : file)
}

function unique(name: string, names: ReadonlySet<string>): string {
  if (!names.has(name)) return name
  for (let count = 2; ; count++) if (!names.has(`${name}_${count}`)) return `${name}_${count}`
}
