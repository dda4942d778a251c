import { must, mustBeOptions, mustBeText, whatIs } from '../legend/given.js'
import { entriesOf, type Legend, type Remote } from '../legend/legend.js'
import { capitalized } from '../report/report-text.js'
import type { Fault } from '../settle/faults/faults.js'
import { givenIn, type Reading, readSources, type Sources } from '../settle/reading/read.js'
import { type Layer, layerFromValues } from '../settle/stack/layer.js'
import { chooseStage, type Stage, type Texts } from '../settle/stack/stage.js'
import { path } from './files/builtins.js'
import { layerFromDirectory } from './files/directory.js'
import { withFileVariables } from './files/file-variables.js'
import { hostEnvironment } from './files/host-environment.js'
import { findRoot, layerFilesAbove, repositoryTop } from './files/root.js'
import { layerFromFlags } from './layers/flags.js'
import { filesIn, filesOfOthers, startFaults } from './layers/layer-files.js'
import type { LayerSources } from './layers/layer-order.js'
import { inOrder } from './layers/layer-order.js'
import { hasAsked, layerFromHost } from './layers/nested.js'
import { otherReader } from './layers/other-reader.js'
import { surroundings } from './layers/surroundings.js'
import type { RemoteOptions, RemoteSource } from './remotes/asking.js'

/** Options of this machine's settings. */
export interface MachineOptions {
  /** `import.meta.url` of the calling module, or a directory: where the search for the root begins. The working directory by default. */
  readonly from?: string
  /** The directory that holds the legend and the layer files; searched for by default. */
  readonly root?: string
  /** The stage; `MAPPA_STAGE`, `NODE_ENV` if it names a stage, or `development` by default. */
  readonly stage?: string | Stage
  /** The stage that a server bundle was built for: taken where nothing else names one. */
  readonly builtFor?: string
  /** Where a builder puts the bundle, as a path from the root. */
  readonly outputAt?: string
  /** Values fixed when the program was built, by name: above all layers. */
  readonly built?: Texts
  /** The host's variables; `hostEnvironment()` unless given. */
  readonly environment?: Texts
  /**
   * Values from the command line: by name, or arguments such as `process.argv.slice(2)` that are read as flags.
   * Secrets and undeclared names are refused.
   */
  readonly commandLine?: Texts | readonly string[]
  /** More layers, lowest first: above `.env.<stage>`, and below those of only this machine. */
  readonly layers?: readonly Layer[]
}

/** The same for those who may wait. */
export interface WaitingOptions extends MachineOptions, RemoteOptions {
  /** Sources that must be waited for, lowest first, above those that the legend names. */
  readonly remotes?: readonly RemoteSource[]
  /**
   * Whether only addresses are asked that this machine names itself: what looks at a project that it does not run asks so,
   * since a layer in git could name any.
   */
  readonly namedHere?: boolean
}

/** @throws {TypeError} with a sentence, unless options are what they must be; a wrong value in them would fail far from here. */
export function mustBeMachine(options: MachineOptions, call: string): void {
  const example = '{ from: import.meta.url }'
  mustBeOptions(options, call, example)
  const { from, root, stage, environment, layers } = options
  for (const [name, value] of Object.entries({ from, root })) if (value !== undefined) mustBeText(value, call, name)
  must(
    stage === undefined || typeof stage === 'string' || typeof stage?.name === 'string',
    `${call} takes a stage name, but got ${whatIs(stage)}.`,
  )
  must(
    environment === undefined || (typeof environment === 'object' && environment !== null),
    `${call} takes an environment as an object of texts, but got ${whatIs(environment)}.`,
  )
  must(layers === undefined || Array.isArray(layers), `${call} takes a list of layers, but got ${whatIs(layers)}.`)
}

/** The sources of this machine's settings, and the root they were found from. */
export interface Gathered extends Sources {
  readonly stage: Stage
  readonly root: string
  /** Every file and directory that the settings depend on, also those that are not there yet. Absolute paths. */
  readonly files: readonly string[]
  /** True if remote sources were asked. */
  readonly asked?: boolean
}

/** This machine's layers, lowest first. */
export function gather(definition: Legend<unknown> | undefined, options: MachineOptions = {}): Gathered {
  return gatherAt(rootOf(options), definition, options)
}

/** The root that options lead to. */
export function rootOf({ root, from, outputAt, environment = hostEnvironment() }: MachineOptions): string {
  return findRoot({ root, from, outputAt, environmentRoot: environment.MAPPA_ROOT }).directory
}

/** The same where the root is known. */
export function gatherAt(
  root: string,
  definition: Legend<unknown> | undefined,
  options: MachineOptions = {},
): Gathered {
  const start = startAt(root, definition, options)
  const gathered = gatheredFrom(start, [], definition)
  const remotes = definition?.remotes ?? []
  if (!Array.isArray(remotes) || remotes.length === 0 || hasAsked(start.environment, root)) return gathered
  const open = remotes.filter(({ url }) => givenText(url, readSources(definition, gathered)))
  return { ...gathered, notAsked: open.map(({ name, url }) => mustWait(name, url)) }
}

/** The same with remote sources. */
export async function gatherWaiting(
  root: string,
  definition: Legend<unknown> | undefined,
  options: WaitingOptions = {},
): Promise<Gathered> {
  const { sources, gathered } = await startWaiting(root, definition, options)
  if (sources.length === 0) return gathered([])
  const { layerFromRemote } = await import('./remotes/remote.js')
  return gathered(await Promise.all(sources.map(({ source }) => layerFromRemote(source, options))))
}

/** A remote source that is to be asked. */
export interface OpenSource {
  /** Another wherever it would be asked otherwise: at another address, or with another token. */
  readonly key: unknown
  readonly source: RemoteSource
}

/** A start up to what must be waited for: whom to ask, and what comes of it with their layers. */
export interface WaitingStart {
  readonly sources: readonly OpenSource[]
  readonly gathered: (remote: readonly Layer[]) => Gathered
}

export async function startWaiting(
  root: string,
  definition: Legend<unknown> | undefined,
  options: WaitingOptions = {},
): Promise<WaitingStart> {
  const start = startAt(root, definition, options, true)
  const { remotes: named } = definition ?? {}
  const declared = Array.isArray(named) ? (named as readonly Remote[]) : []
  if (declared.length === 0 && !options.remotes?.length)
    return { sources: [], gathered: () => gatheredFrom(start, [], definition) }
  const { remoteSource } = await import('./remotes/remote-kinds.js')
  // The address and the token of a source are settings themselves.
  const reading = readSources(definition, gatheredFrom(start, [], definition))
  const here = options.namedHere
    ? readSources(addressesOnly(definition), gatheredFrom(ofMachine(start), [], definition))
    : undefined
  const notAsked: Fault[] = []
  const open: OpenSource[] = []
  for (const remote of declared) {
    const url = givenText(remote.url, reading)
    if (!url) continue
    if (here && givenText(remote.url, here) !== url) {
      notAsked.push(notNamedHere(remote))
      continue
    }
    const token = givenText(remote.token, reading)
    open.push({
      key: JSON.stringify([remote.name, url, token, remote.etcd, start.stage.name]),
      source: await remoteSource(remote, url, token, start.stage.name),
    })
  }
  return {
    sources: [...open, ...(options.remotes ?? []).map((source) => ({ key: source, source }))],
    gathered: (remote) => ({
      ...gatheredFrom(start, remote, definition),
      notAsked,
      asked: notAsked.length === 0,
    }),
  }
}

/** This machine's own sources: environment, command line, machine-local layer files, and layers given by code. */
function ofMachine(start: Start): Start {
  const { local, commandLine, given, top = [] } = start.sources
  // A report may leave the environment out, but it still tells whom this machine trusts.
  const host = layerFromHost(hostEnvironment(), start.root, { waits: true })
  return {
    ...start,
    sources: {
      shared: [],
      directories: [],
      top: top.filter((layer) => layer.local),
      given: given ?? [],
      local,
      host,
      commandLine: commandLine ?? [],
    },
  }
}

/** A legend of the addresses of remote sources, without its defaults: those come with the project. */
function addressesOnly(definition: Legend<unknown> | undefined): Legend<unknown> | undefined {
  const remotes = definition?.remotes
  if (!definition || !Array.isArray(remotes)) return undefined
  const known = entriesOf(definition)
  const entries = remotes.map(({ url }) => {
    const formerly = known[url]?.formerly
    return [url, { type: 'string', optional: true, ...(formerly && { formerly }) }]
  })
  return {
    entries: Object.fromEntries(entries),
    stages: definition.stages,
    like: definition.like,
  } as unknown as Legend<unknown>
}

function notNamedHere({ name, url }: Remote): Fault {
  return {
    kind: 'remote',
    message: `${capitalized(name)} was not asked, because this machine has not named the address in ${url}.`,
    layer: name,
    remedy: `If this machine may send its token there, write the whole address in .env.local: ${url}=…`,
  }
}

/** A start before anything asynchronous. */
interface Start {
  readonly root: string
  readonly stage: Stage
  readonly environment: Texts
  readonly sources: LayerSources
  readonly faults: readonly Fault[]
  readonly files: readonly string[]
}

function startAt(root: string, definition: Legend<unknown> | undefined, options: MachineOptions, waits = false): Start {
  const environment = options.environment ?? hostEnvironment()
  const stage = chooseStage(options.stage, environment, options.builtFor)
  const files: string[] = []
  const topDirectory = definition?.topLayers === true ? repositoryTop(root) : undefined
  const top =
    topDirectory === undefined || topDirectory === root
      ? []
      : allOf(filesIn(topDirectory, stage.name, root, definition?.like, files))
  const own = filesIn(root, stage.name, root, definition?.like, files)
  const named = definition?.directories
  const directories = (Array.isArray(named) ? named : []).flatMap((directory) => {
    files.push(path.resolve(root, directory))
    return layerFromDirectory(directory, root) ?? []
  })
  return {
    root,
    stage,
    environment,
    sources: {
      top,
      ...own,
      directories,
      given: options.layers ?? [],
      host: layerFromHost(environment, root, { waits }),
      commandLine: commandLineOf(definition, stage, options),
      ...(options.built && { built: layerFromValues('the build', options.built) }),
    },
    faults: startFaults(root, stage, environment, top.length + allOf(own).length > 0),
    files,
  }
}

function allOf({ shared, local }: Pick<LayerSources, 'shared' | 'local'>): readonly Layer[] {
  return [...shared, ...local]
}

function gatheredFrom(
  { root, stage, sources, faults, files }: Start,
  remote: readonly Layer[],
  definition: Legend<unknown> | undefined,
): Gathered {
  const paths = [...files]
  const layers = withFileVariables(inOrder({ ...sources, remote }), definition, stage.name, root, paths)
  const layersAbove = () => {
    const read = new Set(files)
    return layerFilesAbove(root).filter((file) => !read.has(file))
  }
  return {
    stage,
    layers,
    faults,
    root,
    files: paths,
    layersAbove,
    otherLayers: () => filesOfOthers(root, stage.name, definition?.like),
    otherReader,
    surroundings: () => surroundings(root, definition),
  }
}

function commandLineOf(
  definition: Legend<unknown> | undefined,
  stage: Stage,
  { commandLine }: MachineOptions,
): readonly Layer[] {
  if (!commandLine) return []
  if (Array.isArray(commandLine)) return definition ? [layerFromFlags(definition, commandLine, stage.name).layer] : []
  return [layerFromValues('the command line', commandLine as Texts, { source: 'command-line' })]
}

function givenText(name: string | undefined, reading: Reading): string | undefined {
  return givenIn(reading).find((each) => each.name === name)?.text
}

function mustWait(name: string, url: string): Fault {
  return {
    kind: 'remote',
    message: `${url} is set, so values come from ${name}, but settle cannot wait for them.`,
    remedy: 'Use settleAsync instead of settle, or run: mappa with -- …',
  }
}
