import type { Given } from '../../settle/reading/read.js'
import { type Layer, layerFromValues, sourceFacts } from '../../settle/stack/layer.js'
import type { Stage, Texts } from '../../settle/stack/stage.js'
import { digestOf } from '../files/digest.js'
import { hostEnvironment } from '../files/host-environment.js'

/**
 * What a run marks for the processes inside it, in `MAPPA_SET`: the names it set, each with a digest of its text, so
 * that they read the unchanged ones from their own layers again, and take for the host's what was set in between.
 *
 * One mark a root, divided by blanks: `root.salt/NAME:digest,NAME:digest/NAME:digest`. The salt is another for each run, so
 * that a digest tells nobody what it was made of. The second list holds what came from remote sources, which only those who
 * may wait can ask again; it is there only if they were asked.
 */
interface Mark {
  readonly salt: string
  readonly read: ReadonlyMap<string, string>
  readonly asked: ReadonlyMap<string, string> | undefined
}

/** The layer of the process environment: what the host has set, without what a run around this one has. */
export function layerFromHost(
  environment: Texts = hostEnvironment(),
  root = process.cwd(),
  { waits = false }: { readonly waits?: boolean } = {},
): Layer {
  if (typeof environment !== 'object' || environment === null)
    throw new TypeError('layerFromHost takes an object of texts by variable name.')
  const own = ownNames(environment, root, waits)
  const values = own.length > 0 ? without(environment, own) : environment
  const layer = layerFromValues('the process environment', values, { source: 'environment' })
  if (!isCaseless()) return layer
  // Found in any spelling, also in a copy, so that a name is set as its capitals too.
  const spelled = new Map(Object.keys(values).map((name) => [name.toUpperCase(), name]))
  return {
    ...layer,
    get: (variable) => layer.get(spelled.get(variable.toUpperCase()) ?? variable),
    names: () => [...spelled].flat(),
  }
}

/** The names that a run around this one set from layers that are read here again. */
export function ownNames(environment: Texts, root: string, waits = false): readonly string[] {
  const { salt = '', read, asked } = markOf(environment, root) ?? {}
  const marked = [...(read ?? []), ...(waits ? (asked ?? []) : [])]
  return marked.flatMap(([name, digest]) => (digestOf(environment[name], salt) === digest ? [name] : []))
}

/** Tells whether a run around this one has asked the remote sources, so that their values are in the environment. */
export function hasAsked(environment: Texts, root: string): boolean {
  return markOf(environment, root)?.asked !== undefined
}

/** The stage of the run around this one, if it is for another. */
export function outerStage(stage: Stage, environment: Texts): string | undefined {
  const outer = environment.MAPPA_STAGE
  return environment.MAPPA_SET && outer !== stage.name ? outer : undefined
}

/** Data for the processes inside a run. */
export interface HandedOn {
  readonly stage: Stage
  readonly given: readonly Given[]
}

/**
 * What a child process should find in its environment: the host's variables, then every name of the legend and the
 * layers as text, defaults included; the stage; and the mark. `NODE_ENV` is left alone.
 */
export function childEnvironment(
  found: HandedOn,
  host: Texts = hostEnvironment(),
  root = process.cwd(),
  { asked = false }: { readonly asked?: boolean } = {},
): Record<string, string | undefined> {
  const names = found.given.map(({ name }) => name)
  return {
    // A new name must not be beside another spelling of itself.
    ...without(host, [...ownNames(host, root, asked), ...(isCaseless() ? names : [])]),
    ...Object.fromEntries(found.given.map(({ name, text }) => [name, text])),
    MAPPA_STAGE: found.stage.name,
    MAPPA_SET: markFor(found, host, root, asked || hasAsked(host, root)),
  }
}

/** The mark of a run, beside those of the runs around it for other roots. */
export function markFor(found: HandedOn, host: Texts, root: string, asked: boolean): string {
  const read: string[] = []
  const remote: string[] = []
  const salt = Math.random().toString(36).slice(2)
  for (let at = 0; at < found.given.length; at++) {
    const { name, text, source } = found.given[at] as Given
    const item = `${name}:${digestOf(text, salt)}`
    const marked = source === 'default' ? 'read' : sourceFacts(source).marked
    if (marked === 'read') read.push(item)
    else if (marked === 'asked') remote.push(item)
  }
  const key = digestOf(root)
  const others = (host.MAPPA_SET ?? '').split(' ').filter((mark) => mark !== '' && !mark.startsWith(`${key}.`))
  return [...others, `${key}.${salt}/${read.join()}${asked ? `/${remote.join()}` : ''}`].join(' ')
}

function markOf(environment: Texts, root: string): Mark | undefined {
  const text = environment.MAPPA_SET
  if (!text) return undefined
  const key = `${digestOf(root)}.`
  const mark = text.split(' ').find((each) => each.startsWith(key))
  const [salt, read, asked] = mark?.slice(key.length).split('/') ?? []
  if (salt === undefined || read === undefined) return undefined
  return { salt, read: itemsOf(read), asked: asked === undefined ? undefined : itemsOf(asked) }
}

function itemsOf(list: string): Map<string, string> {
  return new Map(list.split(',').flatMap((item) => (item === '' ? [] : [item.split(':') as [string, string]])))
}

function without(environment: Texts, names: readonly string[]): Record<string, string | undefined> {
  const rest = { ...environment }
  for (const name of names) delete rest[name]
  if (!isCaseless()) return rest
  const capitals = new Set(names.map((name) => name.toUpperCase()))
  return Object.fromEntries(Object.entries(rest).filter(([name]) => !capitals.has(name.toUpperCase())))
}

/** Tells whether the system finds the names of its environment in any spelling, as Windows does. */
function isCaseless(): boolean {
  return process.platform === 'win32'
}
