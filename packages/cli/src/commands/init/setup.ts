import { type Legend, layerFromText, stagesOf, surveyLayers } from 'mappa'
import { layerFiles } from 'mappa/command'
import { type WrittenEntry, withEntries, withStage } from '../../declared/legend-edits.js'
import { type LegendForm, legendPath } from '../../declared/legend-form.js'
import { withComments } from '../../declared/legend-text.js'
import { namesWithFiles } from '../../declared/names-with-files.js'
import { samplePath } from '../../declared/sample.js'
import { declarationsOf, sampleChangeFor } from '../../edits/made-files.js'
import { pluginChange } from '../../edits/vite-config.js'
import type { Candidate } from '../../guess/finding.js'
import { type MovedValue, OtherReaders } from '../../starts/losing.js'
import type { StartFiles } from '../../starts/start.js'
import { startsOf } from '../../starts/start-list.js'
import type { FileChange } from '../../terminal/diff.js'
import { guessedEntry } from './guessed-entry.js'
import { type LayerRules, type LayerText, mendedLayers, namesIn } from './layer-edits.js'
import { checkScriptChange, ignoreFiles, workflowChange } from './surrounding-files.js'

/** The project before it is set up. */
export interface Before {
  readonly read: (path: string) => string | undefined
  /** The present layer files. */
  readonly layers: readonly LayerText[]
  /** Reads of variables in code. */
  readonly reads: readonly Candidate[]
  /** Every file of the project that holds code. */
  readonly code: readonly string[]
  /** The legend, if there is one that is sound. */
  readonly legendFile: string | undefined
  readonly definition: Legend | undefined
  readonly versioned: boolean
  /** Shared layer files that git leaves out, so that no clone has them. */
  readonly ignored: ReadonlySet<string>
  /** The project's files as its starts see them. */
  readonly files: StartFiles
  readonly hasWorkflows: boolean
}

/** The wishes of the person. */
export interface Wishes {
  readonly form: LegendForm | undefined
  /** Stages that get a layer file of their own. */
  readonly stages: readonly string[]
  /** A stage that the legend is to know, and which one it is like. */
  readonly stage: string | undefined
  readonly like: string | undefined
  /** True if an ignored `.env` is split: secrets go to this machine's layer, and the rule goes. */
  readonly split: boolean
}

/** The new set-up of a project. */
export interface Setup {
  readonly changes: readonly (FileChange & { readonly secret: boolean })[]
  readonly legendFile: string
  /** Guessed entries. */
  readonly entries: readonly WrittenEntry[]
  /** Secrets that stay in committed layers, since a person has to say what is to become of them. */
  readonly kept: readonly string[]
  /** Secrets that stay since a start reads them there by another reader, with that start. */
  readonly read: readonly { readonly name: string; readonly file: string; readonly start: string }[]
  /** Starts that are changed, so that they have the values that move. */
  readonly starts: readonly string[]
}

/** Every change that sets a project up; none for what is there already. */
export function setupOf(before: Before, wishes: Wishes): Setup {
  const { read } = before
  const legendFile = before.legendFile ?? legendPath(before, wishes.form)
  const entries = newEntries(before)
  const known = {
    ...before.definition?.entries,
    ...Object.fromEntries(entries.map(({ name, words }) => [name, words])),
  }
  const secrets = new Set(
    Object.entries(known).flatMap(([name, entry]) => ((entry as { secret?: boolean }).secret ? [name] : [])),
  )
  const legendSoFar = { ...before.definition, entries: known, stages: [] } as unknown as Legend
  const { rules, changed, read: readThere } = movesOf(before, wishes, secrets, legendSoFar)
  const { changes: mended, kept } = mendedLayers(before.layers, secrets, legendSoFar, rules)
  const legend = legendChangeFor(legendFile, entries, before, wishes)
  const stages = {
    ...(wishes.stage !== undefined && { [wishes.stage]: wishes.like === undefined ? {} : { like: wishes.like } }),
  }
  const definition = {
    ...before.definition,
    entries: known,
    stages: [...(before.definition?.stages ?? []), ...Object.keys(stages)],
  } as Legend
  const layers = [...mended, ...newLayers(before, mended, wishes)]
  const textOf = (path: string) =>
    before.ignored.has(path) && !wishes.split
      ? ''
      : (layers.find((each) => each.path === path)?.after ?? read(path) ?? '')
  const described = withComments(definition, legendFile, legend?.after ?? read(legendFile) ?? '')
  return {
    changes: [
      ...(legend ? [legend] : []),
      ...layers,
      ...withoutSecrets(sampleChangeFor(described, read, textOf)),
      ...withoutSecrets(declarationsOf(described, legendFile, legend?.after ?? read(legendFile) ?? '', read)),
      ...withoutSecrets(before.legendFile === undefined ? pluginFor(before) : []),
      ...withoutSecrets(ignoreFiles(read, before.versioned, wishes.split ? before.ignored : new Set())),
      ...withoutSecrets(checkScriptChange(read, changed)),
      ...withoutSecrets(workflowChange(read, before.hasWorkflows)),
    ],
    legendFile,
    entries,
    kept,
    read: readThere,
    starts: changed.map(({ name }) => name),
  }
}

/** A script with another command. */
interface ChangedScript {
  readonly name: string
  readonly script: string
  readonly command: string
}

/**
 * What may be done with layer files: no start loses a value. Where another reader takes a secret out of a shared file, the
 * start is changed, or the secret stays. In a file that git leaves out secrets are at home until it is split.
 */
function movesOf(
  before: Before,
  { split }: Wishes,
  secrets: ReadonlySet<string>,
  definition: Legend,
): { readonly rules: LayerRules; readonly changed: readonly ChangedScript[]; readonly read: Setup['read'] } {
  const isIgnored = (path: string) => !split && before.ignored.has(path)
  const readers = new OtherReaders(before.files)
  const mends = (path: string, text: string, after: string) => {
    const own = [...readers.of(path)]
    const node = before.files.readAsNode
    const isSame = () => JSON.stringify([...node(text)]) === JSON.stringify([...node(after)])
    return own.every((reader) => reader === 'node' && isSame())
  }
  const free = { mends, stays: ({ from }: MovedValue) => isIgnored(from) }
  const { moved } = mendedLayers(before.layers, secrets, definition, free)
  if (moved.length === 0) return { rules: free, changed: [], read: [] }
  const stages = stagesOf(before.definition)
  const filesOf = (stage: string) => layerFiles(stage).map(({ name }) => name)
  const textsOf = (stage: string) => {
    const own = filesOf(stage).flatMap((name) => before.layers.filter(({ path }) => path === name))
    return surveyLayers(undefined, { stage, layers: own.map(({ path, text }) => layerFromText(path, text)) }).texts
  }
  const losing = readers.losing(moved, stages, { filesOf, textsOf })
  const key = ({ name, from }: MovedValue) => `${name} ${from}`
  const stuck = new Map(
    losing.flatMap((each) => (each.changed === undefined ? [[key(each.moved), each] as const] : [])),
  )
  const changed = new Map(
    losing.flatMap(({ start, moved, changed: command }): [string, ChangedScript][] => {
      const script = start.program.scripts.at(-1)
      if (command === undefined || script === undefined || stuck.has(key(moved))) return []
      return [[script, { name: start.name, script, command }]]
    }),
  )
  return {
    rules: { mends, stays: (each) => isIgnored(each.from) || stuck.has(key(each)) },
    changed: [...changed.values()],
    read: [...stuck.values()].map(({ start, moved: { name, from } }) => ({ name, file: from, start: start.name })),
  }
}

const withoutSecrets = (changes: readonly FileChange[]) => changes.map((change) => ({ ...change, secret: false }))

/** Entries for what layers, the sample and code have and the legend has not. */
function newEntries({ layers, read, reads, definition, files }: Before): readonly WrittenEntry[] {
  const names = namesIn(layers, read(samplePath) ?? read('.env.sample'))
  const byName = new Map(reads.map((candidate) => [candidate.name, candidate]))
  for (const name of byName.keys()) if (!names.has(name)) names.set(name, { texts: new Map(), comment: undefined })
  const declared = new Set(namesWithFiles(definition))
  const started = startsOf(files).flatMap(({ program }) => [...program.sets])
  const hasBundler = ['ts', 'js', 'mjs', 'mts'].some((ending) => read(`vite.config.${ending}`) !== undefined)
  return [...names]
    .filter(([name]) => !declared.has(name) && !/^(?:NODE_ENV|NODE_OPTIONS|PATH|MAPPA_[A-Z]+)$/.test(name))
    .map(([name, { texts, comment }]) => {
      const candidate = byName.get(name)
      const page = candidate?.reach === 'browser' || (hasBundler && /^VITE_/.test(name))
      const own = started.flatMap(([each, text]) => (each === name && text !== undefined && text !== '' ? [text] : []))
      return guessedEntry({ name, texts, started: own, comment, read: candidate, page })
    })
}

function legendChangeFor(
  path: string,
  entries: readonly WrittenEntry[],
  { read, legendFile }: Before,
  { stage, like }: Wishes,
) {
  const before = read(path)
  if (legendFile !== undefined && entries.length === 0 && stage === undefined) return undefined
  const whole = before !== undefined && entries.length === 0 ? before : withEntries(path, before, entries)
  const after = stage === undefined || stagesOf(undefined).includes(stage) ? whole : withStage(path, whole, stage, like)
  return after === before ? undefined : { path, before: before ?? null, after, secret: false }
}

/** Layer files that are not there yet: of what all stages share, and of each stage. */
function newLayers({ read }: Before, mended: readonly FileChange[], { stages, stage }: Wishes) {
  const wanted = [
    ['.env', 'Shared by all stages. Values of one stage go to .env.<stage>, secrets to the .local files.'] as const,
    ...[...stages, ...(stage === undefined ? [] : [stage])].map(
      (each) => [`.env.${each}`, `Values of stage ${each}.`] as const,
    ),
  ]
  return wanted.flatMap(([path, said]) =>
    read(path) !== undefined || mended.some((each) => each.path === path)
      ? []
      : [{ path, before: null, after: `# ${said}\n`, secret: false }],
  )
}

/** The plugin, where there is a configuration of Vite that it can be put into. */
function pluginFor({ read }: Before): FileChange[] {
  if (!['ts', 'js', 'mjs', 'mts'].some((ending) => read(`vite.config.${ending}`) !== undefined)) return []
  return pluginChange({ read, isModule: true })
}
