import { explainFlaw } from '../../format/flaw-texts.js'
import { isStageName } from '../../format/names.js'
import { withoutCredentials } from '../../leak/credentials.js'
import { explainContradiction } from '../../legend/contradiction-texts.js'
import { hides } from '../../legend/entry.js'
import { type Legend, stagesOf } from '../../legend/legend.js'
import { nearest } from '../../legend/text/nearest.js'
import { type Fault, printable, quote } from '../faults/faults.js'
import {
  mayStandOnCommandLine,
  type Problem,
  type Reading,
  type Sources,
  type StageEntries,
  steeringNames,
} from '../reading/read.js'
import type { BrokenRule } from '../reading/rules.js'
import { assignmentsInside } from '../reading/secrecy.js'
import type { Layer } from '../stack/layer.js'
import { flawSpot, nameSpot, valueSpot } from '../stack/places.js'
import type { ReadAlready } from '../stack/read-already.js'
import type { Stage } from '../stack/stage.js'
import { problemFault } from './explain-problem.js'
import { localFile } from './remedies.js'

/** The faults of a reading in words, each with its place and a remedy. */
export function explain(definition: Legend<unknown> | undefined, sources: Sources, reading: Reading): Fault[] {
  const { stage, layers, entries, contradictions } = reading
  const { notAsked = [] } = sources
  const open = notAsked.length > 0 ? reading.problems.filter(mayBeElsewhere) : []
  const problems = reading.problems.filter((problem) => !open.includes(problem))
  const swallowing = swallowingIn(problems, layers)
  const swallowed = new Set(swallowing.flatMap(({ names }) => names))
  return [
    ...(sources.faults ?? []),
    ...notAsked.map((fault, at) => (at === 0 ? withNames(fault, open) : fault)),
    ...contradictions.map((found): Fault => {
      const { message, remedy } = explainContradiction(found, definition as Legend<unknown>)
      const name = ['no-legend', 'stage-name', 'option'].includes(found.kind) ? {} : { name: found.name }
      const word = found.kind === 'no-type' ? 'type' : found.detail
      const place = 'name' in name ? sources.legendPlace?.(found.name, word) : undefined
      return {
        kind: 'legend',
        ...name,
        message,
        layer: sources.legendName ?? 'the legend',
        ...(place && { place }),
        remedy,
      }
    }),
    ...stageFaults(definition, stage),
    ...layers.flatMap((layer) => [
      ...(layer.faults ?? []),
      ...flawFaults(layer, entries),
      ...steeringFaults(layer),
      ...commandLineFaults(layer, entries, stage),
    ]),
    ...swallowing.map(lateQuote),
    ...withLayersAbove(
      problems
        .filter((problem) => !isTold(problem, layers) && !swallowed.has(problem.name))
        .map((problem) => problemFault(problem, reading)),
      sources,
    ),
    ...reading.already
      .filter(({ stops }) => stops)
      .map((found) => ({ kind: 'read-already' as const, ...readAlreadyText(found, entries, sources) })),
    ...reading.broken.map((rule) => ruleFault(rule, reading)),
  ]
}

/** The first fault of a missing value names the layer files that lie above, where somebody may have meant them to be read. */
function withLayersAbove(faults: readonly Fault[], { layersAbove }: Sources): readonly Fault[] {
  const first = faults.findIndex(({ kind, place }) => kind === 'missing' && !place)
  const [file] = first < 0 ? [] : (layersAbove?.() ?? [])
  const fault = faults[first]
  if (file === undefined || !fault) return faults
  const message = `${fault.message} ${printable(file)} is above the root, so Mappa does not read it.`
  return faults.with(first, { ...fault, message })
}

/** Tells whether a source that was not asked might give what is missing. */
function mayBeElsewhere({ breach, clearedBy }: Problem): boolean {
  return breach === 'missing' && clearedBy === undefined
}

/** At most this many names are listed of what a source might have given. */
const namesMax = 5

function withNames(fault: Fault, open: readonly Problem[]): Fault {
  if (open.length === 0) return fault
  const names = open.slice(0, namesMax).map(({ name }) => name)
  const rest = open.length - names.length
  const list = rest > 0 ? `${names.join(', ')} and ${rest} more` : names.join(', ')
  return { ...fault, message: `${fault.message} No other layer sets ${list}.` }
}

/** A value of several lines in which names stand that are missing. */
interface Swallowing {
  readonly layer: Layer
  readonly name: string
  readonly names: readonly string[]
}

function swallowingIn(problems: readonly Problem[], layers: readonly Layer[]): Swallowing[] {
  const missing = new Set(problems.flatMap(({ name, breach }) => (breach === 'missing' ? [name] : [])))
  if (missing.size === 0) return []
  return layers.flatMap((layer) => {
    if (layer.source !== 'file' || !layer.text?.includes('\n')) return []
    const found: Swallowing[] = []
    layer.each((name, text) => {
      if (!text.includes('\n')) return
      const names = assignmentsInside(text).flatMap((inside) => (missing.has(inside.name) ? [inside.name] : []))
      if (names.length > 0) found.push({ layer, name, names })
    })
    return found
  })
}

/** A quote that closes, and too late. */
function lateQuote({ layer, name, names }: Swallowing): Fault {
  return {
    kind: 'unclosed-quote',
    name,
    message: `The quote of ${name} closes too late: its value contains the lines of ${names.join(', ')}.`,
    ...valueSpot(layer, name, undefined),
    remedy: 'Close it at the end of its line. If those lines belong to the value, set these names elsewhere.',
  }
}

/**
 * True if a problem is reported elsewhere: the line that sets a name could not be understood, so the name is not missing;
 * or the first name of a chain that is too deep has been named.
 */
function isTold({ name, breach, expansion }: Problem, layers: readonly Layer[]): boolean {
  if (expansion?.problem === 'too-deep') return expansion.names[0] !== name
  return breach === 'missing' && layers.some(({ flaws }) => flaws.some((flaw) => flaw.name === name))
}

function stageFaults(definition: Legend<unknown> | undefined, stage: Stage): Fault[] {
  const fault = unknownStage(definition, stage)
  return fault ? [fault] : []
}

/** The fault of a stage that a legend does not know, anyone who named it; undefined for one that it knows. */
export function unknownStage(definition: Legend<unknown> | undefined, { name, from }: Stage): Fault | undefined {
  const known = stagesOf(definition)
  if (known.includes(name)) return undefined
  // prod, dev, stage: what people write for a stage.
  const short =
    name.length > 2 ? known.find((each) => each.startsWith(name.toLowerCase().replace(/e$/, ''))) : undefined
  const near = short ?? nearest(name, known)
  const says = from === 'NODE_ENV' || from === 'MAPPA_STAGE' ? `${from} must name` : 'The stage must be'
  // An invalid stage name may be anything, such as a value in the wrong place.
  const found = isStageName(name) ? quote(name) : 'not a stage name'
  const instead = from === 'NODE_ENV' ? `NODE_ENV=${near ?? '…'} or MAPPA_STAGE=${near ?? '…'}` : near
  return {
    kind: 'unknown-stage',
    message: `${says} one of ${known.join(', ')}, but is ${found}.`,
    remedy: instead ? `Write: ${instead}` : "To add a stage, write in the legend: legend(…, { stages: ['…'] })",
  }
}

function flawFaults(layer: Layer, entries: StageEntries): Fault[] {
  return layer.flaws.map((found) => {
    const { flaw: kind, name } = found
    const entry = name === undefined ? undefined : entries.get(name)
    const { message, remedy } = explainFlaw(kind, name)
    const meant = kind === 'bad-name' ? meantName(layer, found.start, entries) : undefined
    return {
      kind,
      ...(name !== undefined && { name }),
      message,
      ...flawSpot(layer, found, entry),
      remedy: meant === undefined ? remedy : `Rename it to ${meant}.`,
    }
  })
}

/** The entry that a name is meant to be that holds what no name may: `COLLECTOR-PORT`. */
function meantName({ text = '' }: Layer, start: number, entries: StageEntries): string | undefined {
  const [written = ''] = /^[^=\r\n]*/.exec(text.slice(start)) ?? []
  const name = written.trim().replace(/[^A-Za-z0-9_]+/g, '_')
  return [name, name.toUpperCase()].find((each) => entries.has(each))
}

function steeringFaults(layer: Layer): Fault[] {
  if (layer.source !== 'file') return []
  return steeringNames
    .filter((name) => layer.get(name) !== undefined)
    .map((name) => ({
      kind: 'stage-in-layer',
      name,
      message: `${name} decides which layer files are read, so a layer file cannot set it.`,
      ...nameSpot(layer, name),
      remedy: `Remove the line, and set it where you start the program: ${name}=…`,
    }))
}

function commandLineFaults(layer: Layer, entries: StageEntries, stage: Stage): Fault[] {
  if (layer.source !== 'command-line') return []
  const refused = [...layer.names()].filter((name) => !mayStandOnCommandLine(entries.get(name)))
  return refused.map((name) => {
    const declared = entries.has(name)
    const near = nearest(name, entries.keys())
    return {
      kind: 'refused',
      ...(declared && { name }),
      message: declared
        ? `${name} is secret, but other processes can read the command line.`
        : 'A name on the command line is not in the legend, so it counts as secret and is refused.',
      layer: layer.name,
      remedy: declared
        ? `Write ${name}=… in ${localFile(stage)}, or set it in the process environment.`
        : near
          ? `Write: ${near}`
          : 'Add it to the legend first.',
    }
  })
}

/** A layer file that hides higher ones since somebody else has read it before. */
export function readAlreadyText(
  { layer, count, name, hidden }: ReadAlready,
  entries: StageEntries,
  { otherReader }: Pick<Sources, 'otherReader'>,
) {
  if (!hidden)
    return {
      name,
      message: `Something has already loaded ${layer.name}, a file of another stage: the process environment has its values of ${name} and ${count === 2 ? 'one other variable' : `${count - 1} others`}.`,
      ...valueSpot(layer, name, entries.get(name)),
      remedy:
        otherReader?.() ??
        `Let only Mappa load layer files: remove ${layer.name} from the runtime, the framework, the container (env_file) or the shell.`,
    }
  return {
    name,
    message: `Something has already loaded ${layer.name}: the process environment has ${count === 1 ? 'its one value, so it overrides' : `all of its ${count} values, so they override`} ${name} from ${hidden.name}.`,
    ...valueSpot(hidden, name, entries.get(name)),
    remedy:
      otherReader?.() ??
      `Let only Mappa load ${layer.name}: remove it from the runtime, the container (env_file) or the shell.`,
  }
}

/** A rule that does not hold, with the variables it read and where their values come from. */
function ruleFault({ sentence, names, said }: BrokenRule, { entries, stack, settings }: Reading): Fault {
  const hits = names.map((name) => ({ name, hit: stack.find(name) }))
  const places = hits.map(({ name, hit }) => {
    const spot = hit && valueSpot(hit.layer, hit.as ?? name, entries.get(name))?.place
    return `${name} (${spot ? `${spot.file}:${spot.line}` : (hit?.layer.name ?? 'not set')})`
  })
  const [first] = hits.flatMap(
    ({ name, hit }) => (hit && valueSpot(hit.layer, hit.as ?? name, entries.get(name))) ?? [],
  )
  const inSecret = names.some((name) => settings.some((each) => each.name === name && hides(each.entry)))
  const failed =
    said === undefined ? '' : ` The rule failed${inSecret ? '.' : `: ${printable(withoutCredentials(said))}`}`
  const ended = /[.!?]$/.test(sentence) ? sentence : `${sentence}.`
  return {
    kind: 'rule',
    ...(names[0] !== undefined && { name: names[0] }),
    message: printable(ended) + failed,
    ...first,
    remedy:
      places.length === 0
        ? 'Correct the rule in the legend.'
        : `${said === undefined ? 'Change' : 'Correct the rule, or change'} one of: ${places.join(', ')}.`,
  }
}
