import { type Contradiction, contradictionsOf } from '../legend/check.js'
import type { Breach } from '../legend/constraints.js'
import { type AnyEntry, entryIn } from '../legend/entry.js'
import { type Legend, stagesOf } from '../legend/legend.js'
import { convert } from './convert.js'
import { Expander, type ExpansionProblem, type Used } from './expand.js'
import type { Fault, Notice } from './faults.js'
import type { Layer, LayerSource } from './layer.js'
import type { Setting } from './settings.js'
import { type Hit, Stack } from './stack.js'
import type { Stage } from './stage.js'

/** What settings are made of. */
export interface Sources {
  readonly stage: Stage | string
  /** Lowest first: a later layer hides an earlier one. */
  readonly layers: readonly Layer[]
  /** Faults met while the layers were gathered; they are reported first. */
  readonly faults?: readonly Fault[]
  /** What deserves a look around the layers; asked only for a report. */
  readonly surroundings?: () => readonly Notice[]
  /** What the legend is called in messages. */
  readonly legendName?: string
}

/** The legend's entries as they hold in a stage. Without a legend there are none, and every name is a secret text. */
export type StageEntries = ReadonlyMap<string, AnyEntry>

/** A variable whose value is missing, breaks its entry, or cannot be expanded. */
export interface Problem {
  readonly name: string
  /** Undefined for a name that no entry declares. */
  readonly entry: AnyEntry | undefined
  /** `missing` when no layer gives a text. */
  readonly breach: Breach | 'missing' | 'expansion' | 'bare-dollar' | 'secret-in-browser'
  readonly winner: Hit | undefined
  readonly clearedBy: Hit | undefined
  readonly expansion?: ExpansionProblem
  /** The name behind a dollar sign without braces, and where in the layer's text the sign stands. */
  readonly bare?: { readonly name: string; readonly start: number }
  /** Names that the value was built from. */
  readonly used?: readonly Used[]
}

/** Layers read through a legend: the values, or the bare facts of what is wrong. `survey` puts those into words. */
export interface Reading {
  readonly definition: Legend<unknown> | undefined
  readonly stage: Stage
  readonly layers: readonly Layer[]
  readonly stack: Stack
  readonly expander: Expander
  readonly entries: StageEntries
  /** Whether nothing at all is wrong. */
  readonly sound: boolean
  readonly contradictions: readonly Contradiction[]
  readonly settings: readonly Setting[]
  readonly problems: readonly Problem[]
  /** Text by name as a child process gets it: every entry and every name in a layer file, defaults included. */
  readonly texts: ReadonlyMap<string, string>
}

/** These decide which files are read, so no file can set them. */
export const steeringNames = ['MAPPA_STAGE', 'MAPPA_ROOT']

/**
 * Reads layers through a legend. The hot path of every start: it makes no sentences, looks up no places, and loads none
 * of the code that does.
 */
export function readSources(definition: Legend<unknown> | undefined, sources: Sources): Reading {
  const { layers } = sources
  const stack = new Stack(layers)
  const stage: Stage = typeof sources.stage === 'string' ? { name: sources.stage, from: 'the caller' } : sources.stage
  const contradictions = definition ? contradictionsOf(definition) : []
  const entries = new Map<string, AnyEntry>()
  const settings: Setting[] = []
  const problems: Problem[] = []
  const texts = new Map<string, string>()
  const stageKnown = stagesOf(definition).includes(stage.name)
  const expander = new Expander(layers, entries)
  const state: State = { stack, expander, entries, settings, problems, texts }

  // A legend that contradicts itself, or an unknown stage, would make all that follows a guess.
  if (contradictions.length === 0 && stageKnown) {
    const declared = (definition?.entries ?? {}) as Record<string, AnyEntry>
    for (const name of Object.keys(declared)) entries.set(name, entryIn(declared[name] as AnyEntry, stage.name))
    for (const [name, entry] of entries) readEntry(name, entry, state)
    addUndeclared(state)
  }
  const sound =
    !sources.faults?.length &&
    contradictions.length === 0 &&
    stageKnown &&
    problems.length === 0 &&
    steeringNames.every((name) => !stack.sets(name)) &&
    layers.every((layer) => isSound(layer, entries))
  return { definition, stage, layers, stack, expander, entries, sound, contradictions, settings, problems, texts }
}

/** What reading works on. */
interface State {
  readonly stack: Stack
  readonly expander: Expander
  readonly entries: Map<string, AnyEntry>
  readonly settings: Setting[]
  readonly problems: Problem[]
  readonly texts: Map<string, string>
}

function readEntry(name: string, declared: AnyEntry, state: State): void {
  const { settings, problems, texts } = state
  const found = state.stack.find(name)
  const { winner, clearedBy } = found.winner?.dollar ? expandWinner(name, declared, found.winner, state) : found
  if (winner === 'faulty') return
  // Secrecy may have travelled to it by expansion.
  const entry = state.entries.get(name) as AnyEntry
  if (winner) {
    texts.set(name, winner.text)
    const conversion = convert(winner.text, entry)
    if ('value' in conversion) settings.push({ name, value: conversion.value, entry })
    else problems.push({ name, entry, breach: conversion.breach, winner, clearedBy })
    return
  }
  if (entry.default !== undefined) texts.set(name, String(entry.default))
  if (entry.default !== undefined || entry.optional) settings.push({ name, value: entry.default, entry })
  else problems.push({ name, entry, breach: 'missing', winner, clearedBy })
}

interface ExpandedFinding {
  readonly winner: Hit | undefined | 'faulty'
  readonly clearedBy: Hit | undefined
}

/** A text that holds a dollar sign: expanded, or reported. What expands to nothing clears, as if it had been empty. */
function expandWinner(name: string, entry: AnyEntry | undefined, winner: Hit, state: State): ExpandedFinding {
  const { stack, expander, entries, problems } = state
  const problem = { name, entry, winner, clearedBy: undefined }
  const parsed = winner.layer.parsed?.(name)
  for (const bare of parsed?.bare ?? [])
    if (entries.has(bare.name) || stack.sets(bare.name))
      problems.push({
        ...problem,
        breach: 'bare-dollar',
        bare: { ...bare, start: (parsed?.valueStart ?? 0) + bare.start },
      })
  const expanded = expander.expand(name, winner)
  if ('problem' in expanded) {
    problems.push({ ...problem, breach: 'expansion', expansion: expanded })
    return { winner: 'faulty', clearedBy: undefined }
  }
  if (expanded.secret && entry && !entry.secret) {
    entries.set(name, { ...entry, secret: true })
    if (entry.reach === 'browser') problems.push({ ...problem, breach: 'secret-in-browser', used: expanded.used })
  }
  const hit = { ...winner, text: expanded.text }
  return expanded.text === '' ? { winner: undefined, clearedBy: hit } : { winner: hit, clearedBy: undefined }
}

/** Names that a layer sets and no entry declares reach a child process too, unless they change what it loads. */
function addUndeclared(state: State): void {
  for (const name of state.stack.names()) {
    if (state.entries.has(name) || changesLoading(name)) continue
    const found = state.stack.find(name)
    const { winner } = found.winner?.dollar ? expandWinner(name, undefined, found.winner, state) : found
    if (winner && winner !== 'faulty') state.texts.set(name, winner.text)
  }
}

const loadingNames = ['NODE_OPTIONS', 'PATH', 'BASH_ENV']

/** Names that decide what code a program loads; a layer file must not set them unless the legend says so. */
export function changesLoading(name: string): boolean {
  const upper = name.toUpperCase()
  return loadingNames.includes(upper) || upper.startsWith('LD_') || upper.startsWith('DYLD_')
}

/** What kind of source gives a name its text; undefined if it has none. */
export function sourceOf(name: string, { stack, texts }: Reading): LayerSource | 'default' | undefined {
  if (!texts.has(name)) return undefined
  return stack.find(name).winner?.layer.source ?? 'default'
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
