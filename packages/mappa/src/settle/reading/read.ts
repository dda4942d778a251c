import { type Accepted, acceptableFaults, isAccepted } from '../../legend/accepted.js'
import { type Contradiction, contradictionsOf } from '../../legend/check.js'
import type { Breach } from '../../legend/constraints.js'
import { defaultOf } from '../../legend/constraints.js'
import { type AnyEntry, ancestryOf, entryIn } from '../../legend/entry.js'
import { entriesOf, type Legend, stagesOf } from '../../legend/legend.js'
import type { StandardResult } from '../../legend/standard-schema.js'
import { SlipIndex } from '../../legend/text/slip-index.js'
import type { Fault, Notice, Place } from '../faults/faults.js'
import { Expander, type ExpansionProblem, holding, type Owners, type Used } from '../stack/expand.js'
import { isKeyLine } from '../stack/key-lines.js'
import type { Layer, LayerSource } from '../stack/layer.js'
import { changesLoading } from '../stack/loading-names.js'
import { foreignReadAlready, type ReadAlready, readAlready } from '../stack/read-already.js'
import { type Hit, type NameRules, Stack } from '../stack/stack.js'
import type { Stage } from '../stack/stage.js'
import { convert, textFor } from '../value/convert.js'
import { madeText } from '../value/made.js'
import { seenValue } from '../value/seen.js'
import { type Slip, slipIn } from '../value/slips.js'
import { type BrokenRule, brokenRules } from './rules.js'
import type { Setting } from './settings.js'

/** The sources of settings. */
export interface Sources {
  readonly stage: Stage | string
  /** Lowest first: a later layer hides an earlier one. */
  readonly layers: readonly Layer[]
  /** Faults met while the layers were gathered; they are reported first. */
  readonly faults?: readonly Fault[]
  /** Why sources were not asked, each with its name as the layer: what they might give is not missing. */
  readonly notAsked?: readonly Fault[]
  /** Where layer files were looked for: a report of missing values names it. */
  readonly root?: string
  /** Layer files of the project that this stage does not read; asked only where the host sets some of the stage's names otherwise. */
  readonly otherLayers?: () => readonly Layer[]
  /** Layer files that lie above the root and are not read, by their paths; asked only where values are missing. */
  readonly layersAbove?: () => readonly string[]
  /** The remedy if another reader has loaded a layer file; asked only then. */
  readonly otherReader?: () => string | undefined
  /** Notices about the files around the layers; asked only for a report. */
  readonly surroundings?: () => readonly Notice[]
  /** The legend's name in messages. */
  readonly legendName?: string
  /** Finds an entry or its word in the legend; asked only if it contradicts itself. */
  readonly legendPlace?: (name: string, word: string | undefined) => Place | undefined
  /**
   * Whether values of the server may be given elsewhere, as for a build on a machine that lacks its secrets: a rule that reads
   * one that has no value here is skipped, since it could only guess.
   */
  readonly givenElsewhere?: boolean
  /** True if what may reach a browser is searched for the texts of secrets: builds and checks do, starts do not. */
  readonly thorough?: boolean
  /** Results of asynchronous schemas, by name. */
  readonly answers?: ReadonlyMap<string, StandardResult>
}

/** The legend's entries as they hold in a stage. Without a legend there are not, and every name is a secret text. */
export type StageEntries = ReadonlyMap<string, AnyEntry>

/** A variable whose value is missing, breaks its entry, or cannot be expanded. */
export interface Problem {
  readonly name: string
  /** Undefined for an undeclared name. */
  readonly entry: AnyEntry | undefined
  /** `missing` when no layer gives a text. */
  readonly breach:
    | Breach
    | Slip
    | 'missing'
    | 'expansion'
    | 'bare-dollar'
    | 'secret-in-browser'
    | 'schema-issue'
    | 'read-failed'
    | 'not-plain'
    | 'needs-waiting'
    | 'undeclared'
  readonly winner: Hit | undefined
  readonly clearedBy: Hit | undefined
  readonly expansion?: ExpansionProblem
  /** The place of a list's item that is at fault, from 0. */
  readonly item?: number | undefined
  /** Messages of a function of the legend; may repeat the value. */
  readonly said?: readonly string[]
  /** The name behind a dollar sign without braces. */
  readonly bare?: { readonly name: string }
  /** Names that the value was built from. */
  readonly used?: readonly Used[]
  /** The entry that the name is a slip of. */
  readonly meant?: string
  /** Names whose text was found in the value. */
  readonly found?: readonly string[]
}

/** Layers read through a legend: the values, or the bare facts of what is wrong. `survey` puts those into words. */
export interface Reading {
  readonly definition: Legend<unknown> | undefined
  readonly stage: Stage
  /** The stage, and before it those that it is like. */
  readonly ancestry: readonly string[]
  readonly layers: readonly Layer[]
  readonly stack: Stack
  readonly expander: Expander
  readonly entries: StageEntries
  readonly owners: Owners
  /** True if nothing at all is wrong. */
  readonly sound: boolean
  readonly contradictions: readonly Contradiction[]
  readonly settings: readonly Setting[]
  readonly problems: readonly Problem[]
  readonly broken: readonly BrokenRule[]
  /** Layer files that somebody else has read before. */
  readonly already: readonly ReadAlready[]
  /** Accepted faults and notices that occurred. */
  readonly accepted: readonly AcceptedOccurrence[]
  /** Asynchronous schemas without a result yet. */
  readonly waiting: readonly { readonly name: string; readonly promise: Promise<StandardResult> }[]
  /** Names in layer files that are slips of the hand, by the entries that they are slips of and that no layer sets. */
  readonly slips: ReadonlyMap<string, Hit>
  /** Names with a text that are not settings: undeclared ones, or those whose text breaks its entry. */
  readonly others: readonly Given[]
}

/** A kind of accepted fault or notice that occurred, and its variable. */
export interface AcceptedOccurrence {
  readonly kind: string
  readonly name?: string | undefined
}

/** A child process's texts: one for every entry and every name in a layer file, defaults included. */
export function givenIn({ settings, others }: Reading): readonly Given[] {
  const given: Given[] = []
  for (let at = 0; at < settings.length; at++) {
    const { name, text, source } = settings[at] as Setting
    if (text !== undefined) given.push({ name, text, source })
  }
  for (let at = 0; at < others.length; at++) given.push(others[at] as Given)
  return given
}

/** A name and its text, and what kind of source gives it. */
export interface Given {
  readonly name: string
  readonly text: string
  readonly source: LayerSource | 'default'
}

/** These decide which files are read, so no file can set them. */
export const steeringNames = ['MAPPA_STAGE', 'MAPPA_ROOT']

/**
 * Reads layers through a legend. The hot path of every start: it makes no sentences, looks up no places, and loads none
 * of the code that does.
 */
export function readSources(definition: Legend<unknown> | undefined, sources: Sources): Reading {
  const { layers } = sources
  const stage: Stage = typeof sources.stage === 'string' ? { name: sources.stage, from: 'the caller' } : sources.stage
  const contradictions = definition ? contradictionsOf(definition) : []
  const settings: Setting[] = []
  const problems: Problem[] = []
  const others: Given[] = []
  const stageKnown = stagesOf(definition).includes(stage.name)
  const ancestry = ancestryOf(stage.name, definition?.like)
  const {
    entries: known,
    owners,
    nameRules,
  }: Known = contradictions.length === 0 && stageKnown ? knownIn(definition, stage.name) : nothingKnown
  const stack = new Stack(layers, nameRules)
  const expander = new Expander(layers, known, owners)
  const { answers } = sources
  const state: State = {
    ancestry,
    stack,
    expander,
    entries: known,
    owners,
    settings,
    problems,
    others,
    answers,
    waiting: [],
    unset: [],
    slips: new Map(),
    looked: 0,
    occurred: [],
    list: definition?.accepted,
  }

  // A legend that contradicts itself, or an unknown stage, would make all that follows a guess.
  if (contradictions.length === 0 && stageKnown) {
    let declared = 0
    known.forEach((_, name) => {
      const found = stack.find(name)
      if (found && found.layer.source !== 'environment') declared++
      if (!found) state.unset.push(name)
      readEntry(name, found, state)
    })
    if (declared < stack.names().length) addUndeclared(state)
  }
  const { entries, waiting, slips } = state
  const rules = contradictions.length === 0 && stageKnown ? definition?.rules : undefined
  const broken = (
    rules ? brokenRules(rules, sources.givenElsewhere ? settings.filter(isKnownHere) : settings, entries) : []
  ).filter(({ names }) => !accepts('rule', names, state))
  const already = stageKnown ? [...readAlready(layers, stack, expander), ...readForeign(sources, state)] : []
  const clashes = already.filter(({ stops, name }) => stops && !accepts('read-already', [name], state))
  const sound =
    clashes.length === 0 &&
    !sources.faults?.length &&
    !sources.notAsked?.length &&
    contradictions.length === 0 &&
    stageKnown &&
    problems.length === 0 &&
    broken.length === 0 &&
    steeringNames.every((name) => !stack.sets(name)) &&
    layers.every((layer) => isSound(layer, entries))
  return {
    definition,
    stage,
    ancestry,
    layers,
    stack,
    expander,
    entries,
    owners,
    sound,
    contradictions,
    settings,
    problems,
    broken,
    waiting,
    slips,
    already: already.filter((each) => !each.stops || clashes.includes(each)),
    accepted: state.occurred,
    others,
  }
}

/** A legend's entries as they hold in a stage, and what they say of looking up their names. */
interface Known {
  readonly entries: StageEntries
  readonly owners: Owners
  readonly nameRules?: NameRules
}

const nothingKnown: Known = { entries: new Map(), owners: new Map() }

const entriesByStage = new WeakMap<Legend<unknown>, Map<string, Known>>()

/** A legend's entries as they hold in a stage; computed once for each. */
function knownIn(definition: Legend<unknown> | undefined, stage: string): Known {
  if (!definition) return nothingKnown
  const stages = entriesByStage.get(definition) ?? new Map<string, Known>()
  entriesByStage.set(definition, stages)
  let known = stages.get(stage)
  if (!known) {
    const declared = entriesOf(definition)
    const formers = new Map<string, readonly string[]>()
    const keeps = new Set<string>()
    const entries = new Map<string, AnyEntry>()
    const owners = new Map<string, string>()
    const names = Object.keys(declared)
    for (let at = 0; at < names.length; at++) {
      const name = names[at] as string
      const entry = entryIn(declared[name] as AnyEntry, stage, definition.like)
      entries.set(name, entry)
      if (entry.formerly) {
        formers.set(name, entry.formerly)
        for (const old of entry.formerly) owners.set(old, name)
      }
      if (entry.empty === 'keep') keeps.add(name)
    }
    known = { entries, owners, nameRules: { ...(formers.size > 0 && { formers }), ...(keeps.size > 0 && { keeps }) } }
    stages.set(stage, known)
  }
  return known
}

/** The state of reading. */
interface State {
  readonly ancestry: readonly string[]
  readonly stack: Stack
  readonly expander: Expander
  entries: StageEntries
  readonly settings: Setting[]
  readonly problems: Problem[]
  readonly others: Given[]
  readonly answers: Sources['answers']
  readonly waiting: { readonly name: string; readonly promise: Promise<StandardResult> }[]
  /** Entries that no layer sets. */
  readonly unset: string[]
  readonly slips: Map<string, Hit>
  readonly occurred: AcceptedOccurrence[]
  readonly list: readonly Accepted[] | undefined
  readonly owners: Owners
  slipIndex?: SlipIndex
  looked: number
}

/** Layer files of other stages that are in the process environment. */
function readForeign(
  { layers, otherLayers, otherReader }: Sources,
  { stack, expander, entries }: State,
): ReadAlready[] {
  if (!otherLayers) return []
  const usual = (name: string) => {
    const entry = entries.get(name)
    return entry?.default === undefined ? undefined : textFor(entry, entry.default)
  }
  return foreignReadAlready(layers, otherLayers, {
    stack,
    expander,
    isDeclared: (name) => entries.has(name),
    usual,
    isRuntime: () => otherReader?.() !== undefined,
  })
}

/** Tells whether a setting is not only without a value because that is given where the server starts. */
function isKnownHere({ entry, text }: Setting): boolean {
  return text !== undefined || entry.reach === 'browser'
}

const acceptable: ReadonlySet<string> = new Set(acceptableFaults)

/** Tells whether the legend accepts a fault. Accepted ones are only counted. */
function accepts(kind: string, names: readonly string[], { list, occurred }: State): boolean {
  // One kind may be a fault and a notice, of which the fault keeps a secret: a placeholder in place of one.
  if (!list || !acceptable.has(kind) || !isAccepted(list, kind, names)) return false
  occurred.push({ kind, name: names[0] })
  return true
}

function readEntry(name: string, found: Hit | undefined, state: State): void {
  const { problems, others } = state
  const top = found?.dollar ? expandTop(name, found, state) : found
  if (top === 'faulty') return
  // Secrecy may have travelled to it by expansion.
  const entry = state.entries.get(name) as AnyEntry
  if (top !== undefined && (top.text !== '' || entry.empty === 'keep')) {
    const { text, layer } = top
    const { source } = layer
    const conversion = convert(text, entry)
    const found = 'value' in conversion ? slipIn(text, entry, state.ancestry) : undefined
    const slip = found && accepts(found, [name], state) ? undefined : found
    if ('value' in conversion && !slip) settleValue({ name, value: conversion.value, entry, text, source }, top, state)
    else {
      const { breach, item } = slip || 'value' in conversion ? { breach: slip as Slip } : conversion
      problems.push({ name, entry, breach, item, winner: top, clearedBy: undefined })
      others.push({ name, text, source })
    }
    return
  }
  const value = defaultOf(entry)
  if (value !== undefined) {
    const text = textFor(entry, entry.default)
    settleValue({ name, value, entry, text, source: 'default' }, undefined, state)
  } else if (entry.optional) {
    // A cleared variable reaches a child as empty text: a program must not find a lower layer's value.
    const cleared = top && { text: '', source: top.layer.source }
    state.settings.push({ name, value, entry, text: undefined, source: 'default', ...cleared })
  } else if (!settleMade(name, entry, top, state))
    problems.push({ name, entry, breach: 'missing', winner: undefined, clearedBy: top })
}

/** In tests, an entry that says how a value is made needs none; one that would not be right is missing all the same. */
function settleMade(name: string, entry: AnyEntry, top: Hit | undefined, state: State): boolean {
  const text = top === undefined && state.ancestry.includes('test') ? madeText(entry) : undefined
  const conversion = text === undefined ? undefined : convert(text, entry)
  if (text === undefined || !conversion || !('value' in conversion)) return false
  settleValue({ name, value: conversion.value, entry, text, source: 'default' }, undefined, state)
  return true
}

/** A checked value becomes a setting, as the legend's own functions make it seen. */
function settleValue(setting: Setting, winner: Hit | undefined, { settings, problems, answers, waiting }: State): void {
  const { name, entry, value } = setting
  if (!entry.read && !entry.schema) {
    settings.push(setting)
    return
  }
  const seen = seenValue(entry, value, answers?.get(name))
  if ('value' in seen) settings.push({ ...setting, value: seen.value })
  else {
    const problem = { name, entry, winner, clearedBy: undefined }
    if ('promise' in seen) {
      waiting.push({ name, promise: seen.promise })
      problems.push({ ...problem, breach: 'needs-waiting' })
    } else problems.push({ ...problem, breach: seen.wrong, said: seen.said })
  }
}

/** At most this many names after bare dollar signs are looked at in one value. */
const bareReported = 10

/** A text that holds a dollar sign: expanded, or reported. What expands to nothing clears, as if it had been empty. */
function expandTop(name: string, top: Hit, state: State): Hit | 'faulty' {
  const { stack, expander, entries, problems } = state
  const entry = entries.get(name)
  const problem = { name, entry, winner: top, clearedBy: undefined }
  const parsed = top.layer.parsed?.(top.as ?? name)
  const reported = new Set<string>()
  for (const bare of parsed?.bare ?? []) {
    // One sign of each name says what is wrong.
    if (reported.has(bare.name) || reported.size >= bareReported) continue
    reported.add(bare.name)
    if ((entries.has(bare.name) || stack.sets(bare.name)) && !accepts('bare-dollar', [name], state))
      problems.push({ ...problem, breach: 'bare-dollar', bare })
  }
  const expanded = expander.expand(top.as ?? name, top)
  if ('problem' in expanded) {
    problems.push({ ...problem, breach: 'expansion', expansion: expanded })
    return 'faulty'
  }
  if (expanded.holds !== holding.open && entry && !entry.secret) {
    const hidden = expanded.holds === holding.secret ? { secret: true } : { veiled: true }
    // The entries as they are are kept for the next reading.
    state.entries = new Map(entries).set(name, { ...entry, ...hidden })
    if (entry.reach === 'browser') problems.push({ ...problem, breach: 'secret-in-browser', used: expanded.used })
  }
  return { ...top, text: expanded.text }
}

/** Names that a layer sets and nobody declares reach a child process too, unless they change what it loads. */
function addUndeclared(state: State): void {
  state.stack.each((name, found) => {
    if (state.entries.has(name) || changesLoading(name)) return
    const top = found?.dollar ? expandTop(name, found, state) : found
    if (top && top !== 'faulty' && !isKeyLine(name, top.text, state.entries))
      state.others.push({ name, text: top.text, source: top.layer.source })
    if (found && top !== 'faulty') findSlip(name, found, state)
  })
}

/** At most this many undeclared names are tried as slips; more are data. */
const slipsLooked = 5000

/** A name that was meant to be one that no layer sets would leave that one to its default unnoticed. */
function findSlip(name: string, hit: Hit, state: State): void {
  const { unset, entries, owners, problems, slips } = state
  if (
    unset.length === 0 ||
    state.looked >= slipsLooked ||
    hit.layer.source !== 'file' ||
    owners.has(name) ||
    namesFile(name, entries)
  )
    return
  state.slipIndex ??= new SlipIndex(unset)
  state.looked++
  const meant = state.slipIndex.meantBy(name)
  if (meant === undefined || slips.has(meant) || hit.layer.isKept?.(name)) return
  if (accepts('undeclared', [name], state)) return
  slips.set(meant, { ...hit, as: name })
  // That one is at fault already where it must be set.
  if (problems.some((problem) => problem.name === meant)) return
  problems.push({ name, entry: undefined, breach: 'undeclared', winner: hit, clearedBy: undefined, meant })
}

/** Tells whether a name is that of a variable that names another one's file. */
export function namesFile(name: string, entries: StageEntries): boolean {
  return name.endsWith('_FILE') && entries.get(name.slice(0, -'_FILE'.length))?.file === true
}

function isSound(layer: Layer, entries: StageEntries): boolean {
  if (layer.flaws.length > 0 || layer.faults?.length) return false
  if (layer.source !== 'command-line') return true
  return [...layer.names()].every((name) => mayStandOnCommandLine(entries.get(name)))
}

/** Anyone on the machine can read another's command line, so only what is declared and no secret may stand there. */
export function mayStandOnCommandLine(entry: AnyEntry | undefined): boolean {
  return entry !== undefined && !entry.secret
}
