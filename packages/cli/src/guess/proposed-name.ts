import { isBundlerName, isGivenByHosts, isHostName } from '../code/host-names.js'
import { wordsOf } from '../code/words.js'
import { tellingWords } from '../credentials/opening-names.js'
import type { Finding, Kind } from './finding.js'
import { plainWords, variableName } from './names.js'
import { requests } from './taker.js'

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

/** Objects whose names say nothing of what they are about. */
const plainObjects: ReadonlySet<string> = new Set(
  (
    'options option opts config configuration settings defaults headers params props data exports serve create client init development dev production prod ' +
    'staging stage test local default live connect ' +
    'credentials args arg input value values result response request req res body payload'
  ).split(' '),
)

/** Files whose names say nothing of what is in them. */
const plainFile =
  /^(?:index|main|app|configs?|configuration|settings?|const|consts|constants?|vars?|variables|globals?|env|environments?|utils?|helpers?|common|shared|lib|types|routes?|router|defaults?|init|setup|bootstrap|start|run|cli|bin|module|services?|src|options|core|www|base|example|script|package)$/

/** Names that mean something: those that are taken, those that the project's code reads, and those that layers hold, with their texts. */
export interface Names {
  readonly taken: ReadonlySet<string>
  readonly own: readonly string[]
  readonly held: ReadonlyMap<string, ReadonlyMap<string, string>>
}

/**
 * A name for a setting that nothing has yet: by what its value is given to and by what it is called; by its host, the start of its key or
 * its file where those say nothing. It takes the habits of the names that the project has.
 */
export function proposedName(sites: readonly Finding[], best: Finding, names: Names): string {
  const { taken, own, held } = names
  // Layers hold it already, under a name that nothing reads.
  const isIt = ([name, texts]: readonly [string, ReadonlyMap<string, string>]) =>
    !taken.has(name) && texts.size > 0 && [...texts.values()].every((text) => text === best.value)
  const known = (best.value ?? '').length >= heldLengthMin && !best.stages ? [...held].find(isIt)?.[0] : undefined
  return known ?? unique(inHabit(nameOf(sites, best), [...own, ...held.keys()]), best, names)
}

/** Shorter texts are the same by chance. Characters. */
const heldLengthMin = 8

function nameOf(sites: readonly Finding[], best: Finding): string {
  const named = sites
    .filter(({ confidence }) => confidence === best.confidence)
    .map(({ words }) => words)
    .find((words) => !words.every((word) => plainWords.has(word)))
  const own = named ?? best.words.filter((word) => !['href', 'src', 'link'].includes(word))
  const lead = named ? [] : leadOf(sites, best)
  // A header of that name carries a token.
  const words = withoutRepeats([...lead, ...own]).map((word) => (word === 'authorization' ? 'token' : word))
  // A whole address is more than a host.
  while (best.kind === 'address' && words.length > 1 && /^host(?:name)?$/.test(words.at(-1) ?? '')) words.pop()
  const ending = tellingWords(words).at(-1) ?? ''
  const fits = endings[best.kind].some((each) => ending.endsWith(each) || ending.endsWith(`${each}s`))
  const as = sites.find(({ taker }) => taker?.as)?.taker?.as ?? usual[best.kind]
  const whole = fits ? words : [...words, as].filter((word) => word !== '')
  // KEY and URL say less than a name must.
  return variableName(
    whole.length === 1 && plainWords.has(whole[0] ?? '') && best.kind !== 'port' ? ['app', ...whole] : whole,
  )
}

/** What a value without a telling name is about. */
function leadOf(sites: readonly Finding[], best: Finding): readonly string[] {
  const outer = outerWords(best)
  if (outer.length > 0) return outer
  const taker = sites.find(({ taker }) => taker)?.taker
  if (taker) return taker.about
  return best.words.length > 1 ? keyLabel(best) : subjectOf(best)
}

function outerWords({ outer }: Finding): readonly string[] {
  return outer.filter((word) => !plainObjects.has(word) && !requests.has(word) && !/^\d+$/.test(word))
}

/** Words that say the same. */
const sameWords: Readonly<Record<string, string>> = { db: 'database', pwd: 'password', passwd: 'password' }

function withoutRepeats(words: readonly string[]): string[] {
  const plain = words.map((word) => sameWords[word] ?? word)
  return words.filter((_, at) => plain.indexOf(plain[at] as string) === at)
}

/** A name with the word that the project's own names have for the same: `DB_URL` beside `DB_HOST` and `DB_USER`. */
function inHabit(name: string, own: readonly string[]): string {
  const [first = '', ...rest] = name.split('_')
  const begins = (word: string) => own.some((each) => each.startsWith(`${word}_`))
  if (first === 'DATABASE' && begins('DB') && !begins('DATABASE')) return ['DB', ...rest].join('_')
  if (first === 'DB' && begins('DATABASE') && !begins('DB')) return ['DATABASE', ...rest].join('_')
  return name
}

/** First labels of hosts that do not say whose they are. */
const plainLabel =
  /^(?:www\d*|\w|\d+|localhost|apis?|app|rest|v\d+|web|dev|test|staging|stage|prod|gateway|network|services?)$/i

/** A subject for a setting without a telling name: its host's first label, its connection's target, its key's start, or its file. */
function subjectOf({ kind, value, stages = {}, path }: Finding): readonly string[] {
  if (kind === 'connection') {
    const scheme = String(value).replace(/:.*$/s, '').toLowerCase().replace(/\+.*$/, '')
    return [
      /^(?:postgres|mysql|maria|mongo|mssql|sqlserver|cassandra|clickhouse|couchbase)/.test(scheme)
        ? 'database'
        : scheme,
    ]
  }
  const label = keyLabel({ kind, value })
  if (label.length > 0) return label
  // Of the hosts of several stages, the first that is not this machine.
  const hosts = [value, ...Object.values(stages)].map(
    (each) => /^(?:[a-z]+:\/\/)?([A-Za-z0-9.-]+)/i.exec(each ?? '')?.[1] ?? '',
  )
  const host = hosts.find((each) => /[A-Za-z].*\./.test(each)) ?? ''
  const named =
    kind === 'address' || kind === 'host'
      ? (host
          .split('.')
          .slice(0, -1)
          .find((each) => !plainLabel.test(each)) ??
        host.split('.').find((each) => !/^(?:www|\d+|localhost)$/i.test(each)))
      : undefined
  if (named && host.includes('.')) return wordsOf(named)
  return fileWords(path)
}

/** What a key says itself that it is for: `sms` of `sms_live_…`. */
function keyLabel({ kind, value }: Pick<Finding, 'kind' | 'value'>): readonly string[] {
  const label = /^([a-z]{2,12})[_-](?:live|test|prod|secret|private)[_-]/.exec(value ?? '')?.[1]
  return kind === 'credential' && label !== undefined ? [label] : []
}

/** The words of a file's name; empty if it says nothing. */
function fileWords(path: string): readonly string[] {
  const file = (path.split('/').at(-1) as string).replace(/\..*$/, '')
  return plainFile.test(file.toLowerCase()) ? [] : wordsOf(file)
}

/** A name that nothing has yet: by its host or object, by what takes it or its file, else with a number. */
function unique(name: string, best: Finding, { taken, held }: Names): string {
  // Names with a meaning for hosts and bundlers mean nothing else.
  const names = {
    has: (each: string) =>
      taken.has(each) || held.has(each) || isHostName(each) || isGivenByHosts(each) || isBundlerName(each),
  }
  if (!names.has(name)) return name
  const { path, kind, taker } = best
  const own = name.split('_')
  const subject = kind === 'address' || kind === 'host' || kind === 'connection' ? subjectOf(best) : []
  const isNew = (word: string) => !own.includes(word.toUpperCase())
  const about = [subject, outerWords(best), taker?.about ?? [], fileWords(path)].map((words) => words.filter(isNew))
  let lead: string[] = []
  for (const words of about) {
    if (words.length === 0) continue
    for (const tried of [words, withoutRepeats([...words, ...lead])]) {
      const made = variableName([...tried, name.toLowerCase()])
      if (!name.startsWith(variableName(words)) && !names.has(made)) return made
    }
    lead = [...words, ...lead]
  }
  if (kind === 'port' && own.length === 1 && !names.has('SERVER_PORT')) return 'SERVER_PORT'
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
