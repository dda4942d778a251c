import { grouped } from '../code/grouped.js'
import { isGivenByHosts, isHostName } from '../code/host-names.js'
import { wordsOf } from '../code/words.js'
import { tellingWords } from '../credentials/opening-names.js'
import { isSecretConnection } from '../credentials/opening-shapes.js'
import type { Candidate, Confidence, Finding, Kind, VariableEntry } from './finding.js'
import { variableName } from './names.js'
import { inStageFiles, stagedValues } from './stage-files.js'
import { entryOf } from './variable-entry.js'

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
  'client',
  'app',
  'application',
  'access',
  'auth',
  'user',
  'username',
  'database',
  'db',
  'name',
  'domain',
  'id',
  'mode',
  'enabled',
  'timeout',
  'interval',
  'limit',
  'max',
  'min',
  'live',
  'private',
  'signing',
])
/** Last words of names, by kind, so that a name says what its value is. */
export const endings: Readonly<Record<Kind, readonly string[]>> = {
  credential: [
    'key',
    'token',
    'secret',
    'password',
    'pass',
    'passphrase',
    'pwd',
    'passwd',
    'passcode',
    'salt',
    'pepper',
    'credentials',
    'credential',
    'apikey',
    'keys',
    'secrets',
  ],
  address: ['url', 'uri', 'endpoint', 'origin', 'base', 'webhook', 'gateway', 'baseurl'],
  connection: ['url', 'uri', 'dsn'],
  host: ['host', 'hostname', 'address', 'server', 'broker', 'domain', 'url', 'uri', 'endpoint'],
  port: ['port'],
  mail: ['email', 'mail', 'from', 'to', 'sender', 'recipient'],
  phone: ['phone', 'telephone', 'number', 'tel', 'mobile'],
  account: [''],
  choice: [''],
  limit: [''],
  switch: [''],
  variable: [''],
}
const usual: Readonly<Record<Kind, string>> = {
  credential: 'key',
  address: 'url',
  connection: 'url',
  host: 'host',
  port: 'port',
  mail: 'email',
  phone: 'phone',
  account: '',
  choice: '',
  limit: '',
  switch: '',
  variable: '',
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
  const groups = grouped(inStageFiles(findings), ({ kind, value, variable, group, stage, stages }) =>
    // A port and a credential may read the same and be two things.
    variable ? `variable ${variable.name}` : (group ?? `${kind} ${value} ${JSON.stringify([stage, stages])}`),
  )
  const names = new Set(taken)
  const proper = [...groups.values()].filter((sites) => sites.some(({ echo }) => !echo))
  // Names that code reads are taken before any is proposed.
  for (const [{ variable } = {}] of proper) if (variable) names.add(variable.name)
  const candidates = proper.map((sites) => {
    const candidate = candidateOf(sites, names, isBrowser)
    names.add(candidate.name)
    return candidate
  })
  const ports = portsOf(candidates)
  return candidates.map((candidate) => onPort(candidate, ports))
}

function candidateOf(
  sites: readonly Finding[],
  names: ReadonlySet<string>,
  isBrowser: (path: string) => boolean,
): Candidate {
  const best = sites.filter(({ echo }) => !echo).reduce((a, b) => (rank[b.confidence] > rank[a.confidence] ? b : a))
  const { kind } = best
  const uses = sites.flatMap(({ variable }) => variable ?? [])
  const given = valuesOf(sites)
  const values = [given.value, ...Object.values(given.stages)].filter((each) => each !== undefined)
  const marked = sites.every(({ placeholder }) => placeholder)
  const name = uses[0]?.name ?? unique(nameOf(sites, best), best, names)
  const inBrowser = sites.some(({ path }) => isBrowser(path))
  const holdsSecret =
    sites.some((site) => site.kind === 'credential') ||
    (sites.some((site) => site.kind === 'connection') && values.some(isSecretConnection))
  const found =
    uses.length > 0
      ? entryOf(holdsSecret ? uses.map((use) => ({ ...use, secret: true })) : uses, values)
      : {
          type: typeOf(sites, kind, values),
          secret: holdsSecret,
          // A choice of a few words cannot take others.
          ...(kind === 'choice' && sites.every(({ form }) => form === 'string') && { enum: [...new Set(values)] }),
          // Code keeps what marks the place for as long as there is no value.
          optional: marked,
        }
  const { value, stages, neededIn } = stagedValues(sites, given, found.secret)
  const staged = Object.keys(stages)
  // A stage that had no value has none now; but which file is for another stage, only the code knows.
  const isPartly =
    value === undefined &&
    found.default === undefined &&
    !found.optional &&
    // If code reads it as if it always had a value, it is required.
    !sites.some(({ ofStage, form }) => ofStage || form === 'expression' || form === 'pattern')
  const secret = found.secret && !((isPublicKey(name) || sites.some(({ openly }) => openly)) && kind !== 'connection')
  const asks = [...new Set(sites.flatMap(({ asks }) => asks ?? []))].filter((each) => /^[A-Z_]+$/.test(each))
  const blocked =
    inBrowser && staged.length > 0 && asks.includes('NODE_ENV')
      ? 'In a page NODE_ENV says whether it is built or served, not the stage. Choose by another variable first.'
      : secret && inBrowser
        ? 'It is in browser code, where everyone can read it. Move its use to a server, and rotate it.'
        : (given.clash ?? found.blocked)
  return {
    name,
    kind,
    secret,
    value: marked ? undefined : value,
    stages,
    sites: sites.map((site) => ({
      ...site,
      ...(isBrowser(site.path) && { page: true }),
      // Its file is for the stages that have it, which a compiler cannot know.
      ...(neededIn && !site.variable && /\.[cm]?tsx?$/.test(site.path) && { frame: ['(', ' as string)'] as const }),
    })),
    entry: {
      ...found,
      secret,
      ...(isPartly && staged.length > 0 && { neededIn: staged }),
      ...(neededIn && !found.optional && found.default === undefined && { neededIn }),
    },
    reach: inBrowser ? 'browser' : 'server',
    confidence: best.confidence,
    reason: best.reason,
    asks,
    ...(blocked !== undefined && { blocked }),
  }
}

/** The value that code has now, which settings must reproduce. */
function typeOf(sites: readonly Finding[], kind: Kind, values: readonly string[]): VariableEntry['type'] {
  if (kind === 'port') return 'port'
  if (sites.some(({ form }) => form === 'boolean')) return 'boolean'
  if (!sites.some(({ form }) => form === 'number')) return 'string'
  return values.every((value) => /^-?\d{1,15}$/.test(value)) ? 'integer' : 'number'
}

const stageOrder = ['development', 'test', 'staging', 'production']

/** The shared value and those of stages; places that give one stage different values contradict each other. */
function valuesOf(sites: readonly Finding[]) {
  const given = sites.flatMap(({ value, stage, stages = {} }) => [
    ...(value === undefined ? [] : [{ stage, value }]),
    ...Object.entries(stages).map(([stage, value]) => ({ stage, value })),
  ])
  const found = new Map<string | undefined, string>()
  let clash: string | undefined
  for (const { stage, value } of given) {
    const known = found.get(stage)
    if (known !== undefined && known !== value)
      clash = `Its places have different values${stage === undefined ? '' : ` in stage ${stage}`}. Make them the same first.`
    found.set(stage, value)
  }
  const value = found.get(undefined)
  const stages = [...found].filter((each): each is [string, string] => each[0] !== undefined && each[1] !== value)
  stages.sort(([a], [b]) => stageOrder.indexOf(a) - stageOrder.indexOf(b))
  return { value, stages: Object.fromEntries(stages), clash }
}

/** The settings that are ports, by their number. */
function portsOf(candidates: readonly Candidate[]): ReadonlyMap<string, readonly Candidate[]> {
  return grouped(candidates, ({ entry, value, secret }) =>
    entry.type === 'port' && !secret ? (value ?? String(entry.default)) : undefined,
  )
}

/** A port that a server listens on is in addresses too: their values are built on it, so that it is written once. */
function onPort(candidate: Candidate, ports: ReadonlyMap<string, readonly Candidate[]>): Candidate {
  const { kind, value } = candidate
  const port = kind === 'address' || kind === 'host' ? /(?<=:)[0-9]{2,5}$/.exec(value ?? '')?.[0] : undefined
  if (port === undefined || !/(?:^|\/)(?:localhost|127\.0\.0\.1|0\.0\.0\.0|\[::1\]):/.test(value as string))
    return candidate
  const [own, ...more] = ports.get(port) ?? []
  return own && more.length === 0 && own.reach === 'server' && !own.blocked
    ? { ...candidate, builtOn: own.name }
    : candidate
}

/** Keys that pages send openly, and that are limited by where they may be used from. */
function isPublicKey(name: string): boolean {
  const words = wordsOf(name)
  return words.some((word) => ['public', 'publishable', 'site', 'analytics', 'measurement', 'tracking'].includes(word))
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
  'development',
  'dev',
  'production',
  'prod',
  'staging',
  'stage',
  'test',
  'local',
  'default',
  'live',
  'connect',
])

function nameOf(sites: readonly Finding[], best: Finding): string {
  const named = sites
    .filter(({ confidence }) => confidence === best.confidence)
    .map(({ words }) => words)
    .find((words) => !words.every((word) => plainWords.has(word)))
  const outer = best.outer.filter((word) => !plainObjects.has(word) && !/^\d+$/.test(word))
  const lead: readonly string[] = outer.length > 0 ? outer : best.words.length > 1 ? [] : subjectOf(best)
  const own = named ?? [...lead, ...best.words.filter((word) => !['href', 'src', 'link'].includes(word))]
  // A header of that name carries a token.
  const words = own
    .filter((word, at) => own.indexOf(word) === at)
    .map((word) => (word === 'authorization' ? 'token' : word))
  // A whole address is more than a host.
  while (best.kind === 'address' && words.length > 1 && /^host(?:name)?$/.test(words.at(-1) ?? '')) words.pop()
  const ending = tellingWords(words).at(-1) ?? ''
  const fits = endings[best.kind].some((each) => ending.endsWith(each))
  return variableName(fits ? words : [...words, usual[best.kind]].filter((word) => word !== ''))
}

/** First labels of hosts that do not say whose they are. */
const plainLabel =
  /^(?:www\d*|\w|\d+|localhost|apis?|app|rest|v\d+|web|dev|test|staging|stage|prod|gateway|network|services?)$/i

/** A subject for a setting without a telling name: its host's first label, its connection's target, or its file. */
function subjectOf({ kind, value, path }: Finding): readonly string[] {
  if (kind === 'connection') {
    const scheme = String(value).replace(/:.*$/s, '').toLowerCase().replace(/\+.*$/, '')
    return [
      /^(?:postgres|mysql|maria|mongo|mssql|sqlserver|cassandra|clickhouse|couchbase)/.test(scheme)
        ? 'database'
        : scheme,
    ]
  }
  if (kind === 'port') return []
  const host = /^(?:[a-z]+:\/\/)?([A-Za-z0-9.-]+)/i.exec(value ?? '')?.[1] ?? ''
  const label =
    kind === 'address' || kind === 'host'
      ? (host
          .split('.')
          .slice(0, -1)
          .find((each) => !plainLabel.test(each)) ??
        host.split('.').find((each) => !/^(?:www|\d+|localhost)$/i.test(each)))
      : undefined
  if (label && host.includes('.')) return wordsOf(label)
  const file = (path.split('/').at(-1) as string).replace(/\..*$/, '')
  return wordsOf(/^(?:index|main|app)$/.test(file) ? (path.split('/').at(-2) ?? file) : file)
}

/** A name that nothing has yet: by its host or object, by the file or the folder where it stands, else with a number. */
function unique(name: string, best: Finding, taken: ReadonlySet<string>): string {
  // Names with a meaning for hosts and bundlers mean nothing else.
  const names = { has: (each: string) => taken.has(each) || isHostName(each) || isGivenByHosts(each) }
  if (!names.has(name)) return name
  const { path, outer, kind } = best
  const own = name.split('_')
  const folders = path.split('/').slice(0, -1).reverse()
  const file = (path.split('/').at(-1) as string).replace(/\..*$/, '')
  const subject = kind === 'address' || kind === 'host' || kind === 'connection' ? subjectOf(best) : []
  const about = [
    subject.filter((word) => !own.includes(word.toUpperCase())),
    outer.filter((word) => !plainObjects.has(word) && !own.includes(word.toUpperCase())),
    ...[file, ...folders].map((each) => wordsOf(each).filter((word) => !/^(?:index|src|lib|app|main)$/.test(word))),
  ]
  let lead: string[] = []
  for (const words of about) {
    if (words.length === 0) continue
    for (const tried of [words, [...words, ...lead].filter((word, at, all) => all.indexOf(word) === at)]) {
      const made = variableName([...tried, name.toLowerCase()])
      if (!name.startsWith(variableName(words)) && !names.has(made)) return made
    }
    lead = [...words, ...lead]
  }
  if (!name.startsWith('APP_') && !names.has(`APP_${name}`)) return `APP_${name}`
  const isTaken = (count: number) => names.has(`${name}_${count}`)
  let [last, free] = [1, 2]
  // Numbers are taken one after the other, and may be thousands.
  for (; isTaken(free); free *= 2) last = free
  while (free - last > 1) {
    const middle = (last + free) >> 1
    if (isTaken(middle)) last = middle
    else free = middle
  }
  return `${name}_${free}`
}
