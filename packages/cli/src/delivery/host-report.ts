import { type Fault, type Notice, readLayer, type Survey, type Texts, type Variable } from 'mappa'
import { originOf, SlipIndex } from 'mappa/command'
import { isHostName } from '../code/host-names.js'

/** The result of a comparison with a host. It looks at no value, there or here. */
export interface HostReport {
  readonly faults: readonly Fault[]
  readonly notices: readonly Notice[]
  /** Names that the host and a layer set; the host's value counts there. */
  readonly both: readonly string[]
  /** Names that the host lacks and a layer in git, or a default, gives. */
  readonly elsewhere: readonly string[]
}

/**
 * Names that a host says it has: the members of a JSON object; a JSON array of names, of `NAME=value` lines as container
 * tools give them, or of objects with a `name` or `key`; or layer text. Undefined if the text is not one of these: what is no
 * name may be a value, and is not repeated. A member without a value (`null`, an empty text) is not one.
 */
export function hostNames(text: string): readonly string[] | undefined {
  try {
    return namesInJson(JSON.parse(text))
  } catch {
    const values = readLayer(text)
    return values.faults.length > 0 ? undefined : values.names().filter((name) => values.get(name) !== '')
  }
}

/** The texts that a host has, by name; undefined if it gives only names, or another form. */
export function hostTexts(text: string): Texts | undefined {
  let json: unknown
  try {
    json = JSON.parse(text)
  } catch {
    const values = readLayer(text)
    return values.faults.length > 0
      ? undefined
      : Object.fromEntries(values.names().map((name) => [name, values.get(name)]))
  }
  if (typeof json !== 'object' || json === null) return undefined
  const pairs = Array.isArray(json) ? json.map(pairInItem) : Object.entries(json)
  const isText = (value: unknown) => value === null || ['string', 'number', 'boolean'].includes(typeof value)
  if (!pairs.every((pair) => pair && isHostsName(pair[0] as string) && isText(pair[1]))) return undefined
  const set = (pairs as [string, unknown][]).filter(([, value]) => value !== null)
  return Object.fromEntries(set.map(([name, value]) => [name, String(value)]))
}

function pairInItem(item: unknown): readonly [unknown, unknown] | undefined {
  if (typeof item === 'string')
    return item.includes('=') ? (item.split(/=([\s\S]*)/, 2) as [string, string]) : undefined
  const { name, key, value } = (item ?? {}) as Named & { readonly value?: unknown }
  return value === undefined ? undefined : [name ?? key, value]
}

/** A variable that a host and the layers set otherwise. */
export interface OtherValue {
  readonly name: string
  /** As they may be shown. */
  readonly host: string
  readonly layers: string
  /** The layer that would give it. */
  readonly layer: string
}

/** Public values that differ between host and layers. `there` includes the host's texts, `found` does not. */
export function compareValues(found: Survey, there: Survey, variables: readonly Variable[]): OtherValue[] {
  return variables.flatMap(({ name, secret }) => {
    const [own, other] = [found.trail(name).winner, there.trail(name).winner]
    const isHosts = other?.source === 'environment'
    if (secret || !own || !isHosts || found.texts.get(name) === there.texts.get(name)) return []
    return [{ name, host: other.shown, layers: own.shown, layer: originOf(own) }]
  })
}

/** Faults in values that the host itself sets. */
export function faultsOnHost(there: Survey, texts: Texts): Fault[] {
  return there.faults
    .filter(({ name, kind }) => name !== undefined && kind !== 'missing' && Object.hasOwn(texts, name))
    .map((fault) => ({
      ...fault,
      layer: 'the host',
      message: fault.message.replaceAll('the process environment', "the host's variables"),
    }))
}

function namesInJson(value: unknown): readonly string[] | undefined {
  if (typeof value !== 'object' || value === null) return undefined
  const names = Array.isArray(value)
    ? value.flatMap(nameInItem)
    : Object.entries(value).flatMap(([name, each]) => (each === null || each === '' ? [] : [name]))
  return names.every(isHostsName) ? names : undefined
}

/** Of one item of an array, its name; none for a line whose value is empty, and undefined for what has no name. */
function nameInItem(item: unknown): readonly (string | undefined)[] {
  if (typeof item === 'object' && item !== null) {
    const { name, key } = item as Named
    return [typeof name === 'string' ? name : typeof key === 'string' ? key : undefined]
  }
  if (typeof item !== 'string') return [undefined]
  const equals = item.indexOf('=')
  if (equals < 0) return [item]
  return equals === item.length - 1 ? [] : [item.slice(0, equals)]
}

/** Hosts have names of their own, such as `ProgramFiles(x86)` and `npm_config_user-agent`; no blank is in any. */
function isHostsName(name: string | undefined): name is string {
  return name !== undefined && /^[A-Za-z_][\w.()-]{0,127}$/.test(name)
}

interface Named {
  readonly name?: unknown
  readonly key?: unknown
}

/** Compares the names of a stage with those that a host has. `found` is without this machine's process environment. */
export function compareHost(found: Survey, variables: readonly Variable[], host: readonly string[]): HostReport {
  const has = new Set(host)
  const local = new Set(found.layers.filter((layer) => layer.local).map(({ name }) => name))
  const faults: Fault[] = []
  const notices: Notice[] = []
  const both: string[] = []
  const elsewhere: string[] = []
  const shared = new Set<string>()
  for (const { name, required, secret, file, obtain, generate, formerly, ...terms } of variables) {
    const { winner, steps } = found.trail(name)
    // A value of this machine may override a shared one.
    const isShared = steps.some(({ source, layer, shown }) => source !== 'default' && !local.has(layer) && shown !== '')
    if (isShared) shared.add(name)
    if (has.has(name) || formerly.some((old) => has.has(old)) || (file && has.has(`${name}_FILE`))) {
      if (isShared) both.push(name)
      const old = has.has(name) ? undefined : formerly.find((each) => has.has(each))
      if (old !== undefined)
        notices.push({
          kind: 'former-name',
          name,
          message: `The host still uses the former name ${old} for ${name}.`,
          remedy: `Rename it to ${name} on the host.`,
        })
    } else if (isShared || terms.default !== undefined) elsewhere.push(name)
    else if (required) {
      const where = winner ? 'only this machine has a value' : 'no layer has a value'
      const how = obtain !== undefined ? ` Obtain: ${obtain}` : generate ? ' Use a fresh random value.' : ''
      faults.push({
        kind: 'missing',
        name,
        message: `${name} is not set on the host, and ${where}.`,
        ...(winner?.place && { place: winner.place }),
        remedy: `Set: ${name} on the host${secret ? ' (as a secret)' : ''}.${how}`,
      })
    }
  }
  const known = new Set(
    variables.flatMap(({ name, file, formerly }) => [name, ...formerly, ...(file ? [`${name}_FILE`] : [])]),
  )
  // A variable with a value is not the one that another name was meant to be.
  const lacking = new SlipIndex(variables.flatMap(({ name }) => (has.has(name) || shared.has(name) ? [] : [name])))
  for (const name of has) {
    if (known.has(name) || isHostName(name)) continue
    const near = lacking.meantBy(name)
    const message = `${name} is set on the host, but not in the legend.`
    if (near) faults.push({ kind: 'undeclared', name, message, remedy: `Did you mean ${near}?` })
    else
      notices.push({ kind: 'undeclared', name, message, remedy: 'Add it to the legend, or remove it from the host.' })
  }
  return { faults, notices, both, elsewhere }
}
