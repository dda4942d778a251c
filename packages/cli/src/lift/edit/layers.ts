import { readLayer, stagesOf, variablesOf } from 'mappa'
import { openQuote, samplePath, sampleText } from '../../declared/sample.js'
import { withIgnoreRules } from '../../edits/ignore.js'
import type { Candidate } from '../../guess/finding.js'
import { typedAs } from '../../guess/variable-entry.js'
import type { LiftedFile, Target } from '../change.js'
import { writtenEntry } from './legend.js'

/**
 * The candidates as they can be given to everyone: where git leaves out a shared layer that is there, or a container's
 * image has none, what would be in it becomes a default of the legend, which goes where the code goes.
 */
export function forEveryone(candidates: readonly Candidate[], { read, ignored, unsent }: Target): readonly Candidate[] {
  const isKept = (stage: string | undefined) => {
    const path = layerOf(stage, false)
    return unsent?.has(path) === true || (ignored?.has(path) === true && read(path) !== undefined)
  }
  return candidates.map((candidate) => {
    const { secret, value, stages, entry } = candidate
    if (secret) return candidate
    const own = Object.entries(stages)
    const moved = own
      .filter(([stage]) => isKept(stage))
      .map(([stage, text]) => [stage, typedAs(text, entry.type)] as const)
    return {
      ...candidate,
      value: isKept(undefined) ? undefined : value,
      stages: Object.fromEntries(own.filter(([stage]) => !isKept(stage))),
      entry: {
        ...entry,
        ...(isKept(undefined) && value !== undefined && { default: typedAs(value, entry.type) }),
        ...(moved.length > 0 && { stageDefaults: Object.fromEntries(moved) }),
      },
    }
  })
}

/** First text of the shared layer: without a layer file a start would not know its stage. */
const emptyLayer = '# Shared by all stages. The legend declares the variables.\n'

/** Secrets go to this machine's own layers, and the rest to the shared ones; what differs in a stage to that stage's. */
export function layerChanges(
  candidates: readonly Candidate[],
  { read, ignored, definition, startedStages = [] }: Target,
): LiftedFile[] {
  const stages = [...stagesOf(definition), ...startedStages]
  const layers = new Map<
    string,
    { readonly secret: boolean; readonly values: Map<string, Candidate & { own: string }> }
  >()
  const put = (stage: string | undefined, candidate: Candidate, own: string) => {
    const path = layerOf(stage, candidate.secret)
    const layer = layers.get(path) ?? { secret: candidate.secret, values: new Map() }
    layer.values.set(candidate.name, { ...candidate, own })
    layers.set(path, layer)
  }
  for (const candidate of candidates) {
    const { value, secret, stages } = candidate
    if (value !== undefined) put(undefined, candidate, value)
    // Stage test does not read what is this machine's for all stages.
    if (secret && value !== undefined && stages.test === undefined) put('test', candidate, value)
    for (const [stage, own] of Object.entries(stages)) put(stage, candidate, own)
  }
  const names = new Set(candidates.map(({ name }) => name))
  const changes = [...layers].map(([path, { secret, values }]) => {
    const before = read(path)
    let after = before ?? ''
    for (const [name, { own, builtOn, value }] of values) {
      const layer = readLayer(after)
      layer.set(name, own)
      after = layer.toString()
      const range = readLayer(after).ranges().get(name)?.at(-1)
      if (builtOn === undefined || !names.has(builtOn) || own !== value || !range) continue
      after =
        after.slice(0, range.valueStart) + own.replace(/[0-9]+$/, () => `\${${builtOn}}`) + after.slice(range.valueEnd)
    }
    return { path, before: before ?? null, after, secret }
  })
  for (const change of withoutMoved(candidates, changes, { read, ignored }, [undefined, ...stages]))
    changes.push(change)
  // A start without a named stage is development.
  const isThere = (path: string) => read(path) !== undefined || changes.some((change) => change.path === path)
  return isThere('.env') || isThere('.env.development')
    ? changes
    : [...changes, { path: '.env', before: null, after: emptyLayer, secret: false }]
}

/** Committed layers without the secrets that this machine's layers hold from now on; those among the changes are changed further. */
function withoutMoved(
  candidates: readonly Candidate[],
  changes: LiftedFile[],
  { read, ignored }: { readonly read: Target['read']; readonly ignored: Target['ignored'] | undefined },
  stages: readonly (string | undefined)[],
): LiftedFile[] {
  const moved = candidates.filter(
    ({ secret, value, stages }) => secret && (value !== undefined || Object.keys(stages).length > 0),
  )
  return stages.flatMap((stage) => {
    const path = layerOf(stage, false)
    const at = changes.findIndex((change) => change.path === path)
    const before = read(path)
    if (before === undefined || ignored?.has(path)) return []
    const layer = readLayer(changes[at]?.after ?? before)
    const held = moved.filter(
      ({ name, value, stages: own }) =>
        layer.get(name) !== undefined && layer.get(name) === (own[stage ?? ''] ?? value),
    )
    if (held.length === 0) return []
    for (const { name } of held) layer.remove(name)
    if (at >= 0) changes.splice(at, 1)
    return [{ path, before, after: layer.toString(), secret: false }]
  })
}

/** The layer file for values of a stage, or of all. */
export function layerOf(stage: string | undefined, secret: boolean): string {
  return `.env${stage === undefined ? '' : `.${stage}`}${secret ? '.local' : ''}`
}

/** The sample with the entries that come, for anyone who clones the project. A legend that cannot be read gives none. */
export function sampleChange(
  candidates: readonly Candidate[],
  { read, legendFile, definition }: Target,
  layers: readonly LiftedFile[],
): LiftedFile[] {
  if (legendFile !== undefined && !definition) return []
  const path = samplePath
  const fresh = candidates.filter(({ declared }) => !declared)
  const own = Object.fromEntries(
    fresh
      .map(writtenEntry)
      .map(({ name, words, description }) => [name, { ...words, ...(description && { description }) }]),
  )
  const whole = { entries: { ...definition?.entries, ...own }, stages: definition?.stages ?? [] }
  const shared = ['.env', '.env.development'].map((layer) => {
    const change = layers.find((each) => each.path === layer)
    return readLayer(change?.after ?? read(layer) ?? '')
  })
  const given = new Set(shared.flatMap((layer) => layer.names().filter((name) => layer.get(name) !== '')))
  const before = read(path)
  if (openQuote(before ?? '')) return []
  const after = sampleText({ variables: variablesOf(whole), given }, before)
  return after === before ? [] : [{ path, before: before ?? null, after, secret: false }]
}

/** Rules that keep this machine's layers out of git, and take those in that everyone needs. */
export function ignoreChange(
  candidates: readonly Candidate[],
  layers: readonly LiftedFile[],
  { read, ignored }: Target,
): LiftedFile[] {
  const path = '.gitignore'
  const before = read(path)
  const local = candidates.some(({ secret }) => secret) ? withIgnoreRules(before) : undefined
  const shared = layers.filter((layer) => !layer.path.endsWith('.local') && ignored?.has(layer.path))
  const text = local ?? before ?? ''
  const after =
    text + (text === '' || text.endsWith('\n') ? '' : '\n') + shared.map((layer) => `!${layer.path}\n`).join('')
  return after === (before ?? '') ? [] : [{ path, before: before ?? null, after, secret: false }]
}
