import { grouped } from '../code/grouped.js'
import { wordsOf } from '../code/words.js'
import { keyShapesIn } from '../credentials/key-shapes.js'
import { isSecretConnection } from '../credentials/opening-shapes.js'
import type { Candidate, Confidence, Finding, Kind, VariableEntry } from './finding.js'
import { type Names, proposedName } from './proposed-name.js'
import { inStageFiles, stagedValues } from './stage-files.js'
import { entryOf } from './variable-entry.js'

const rank: Readonly<Record<Confidence, number>> = { high: 2, medium: 1, low: 0 }

/**
 * Findings of a whole project as candidates: the same value is one setting, wherever it stands. `taken` are names that
 * already mean something; `isBrowser` says of a file whether it runs in a page.
 */
export function candidatesOf(
  findings: readonly Finding[],
  taken: Iterable<string>,
  isBrowser: (path: string) => boolean,
  held: ReadonlyMap<string, ReadonlyMap<string, string>> = new Map(),
): Candidate[] {
  const groups = grouped(inStageFiles(findings), ({ kind, value, variable, group, stage, stages }) =>
    // A port and a credential may read the same and be two things.
    variable ? `variable ${variable.name}` : (group ?? `${kind} ${value} ${JSON.stringify([stage, stages])}`),
  )
  const names = new Set(taken)
  const proper = [...groups.values()].filter((sites) => sites.some(({ echo }) => !echo))
  // Names that code reads are taken before any is proposed.
  for (const [{ variable } = {}] of proper) if (variable) names.add(variable.name)
  const own = [...names]
  const candidates = proper.map((sites) => {
    const candidate = candidateOf(sites, { taken: names, own, held }, isBrowser)
    names.add(candidate.name)
    return candidate
  })
  const ports = portsOf(candidates)
  return candidates.map((candidate) => onPort(candidate, ports))
}

function candidateOf(
  sites: readonly Finding[],
  { taken, own, held }: Names,
  isBrowser: (path: string) => boolean,
): Candidate {
  const best = sites.filter(({ echo }) => !echo).reduce((a, b) => (rank[b.confidence] > rank[a.confidence] ? b : a))
  const { kind } = best
  const uses = sites.flatMap(({ variable }) => variable ?? [])
  const given = valuesOf(sites)
  const values = [given.value, ...Object.values(given.stages)].filter((each) => each !== undefined)
  const marked = sites.every(({ placeholder }) => placeholder)
  const name = uses[0]?.name ?? proposedName(sites, best, { taken, own, held })
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
    ...saidOfAll(sites),
    ...(blocked !== undefined && { blocked }),
  }
}

/** What the comments of its places say: the first description and the first link. */
function saidOfAll(sites: readonly Finding[]): Pick<Candidate, 'said'> {
  const all = sites.flatMap(({ said }) => said ?? [])
  const values = sites.flatMap(({ value, stages = {} }) => [value, ...Object.values(stages)])
  // A comment may hold the key that it is about, or another one.
  const isHeld = (text: string) =>
    values.some((value) => value !== undefined && value.length > 3 && text.includes(value)) ||
    keyShapesIn(text).length > 0
  const description = all.find((each) => each.description && !isHeld(each.description))?.description
  const obtain = all.find((each) => each.obtain)?.obtain
  if (description === undefined && obtain === undefined) return {}
  return { said: { ...(description !== undefined && { description }), ...(obtain !== undefined && { obtain }) } }
}

/** The value that code has now, which settings must reproduce. */
function typeOf(sites: readonly Finding[], kind: Kind, values: readonly string[]): VariableEntry['type'] {
  if (kind === 'port') return 'port'
  if (sites.some(({ form }) => form === 'list')) return 'array'
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
  const isOne = candidate.entry.type !== 'array'
  const port = isOne && (kind === 'address' || kind === 'host') ? /(?<=:)[0-9]{2,5}$/.exec(value ?? '')?.[0] : undefined
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
