import { existsSync, statSync } from 'node:fs'
import { dirname, join } from 'node:path'
import {
  entriesOf,
  type Fault,
  type Layer,
  type Legend,
  layerFromText,
  layerFromValues,
  type Place,
  printable,
  type Stage,
  type Survey,
  stagesOf,
  surveyLayers,
  surveyLayersAsync,
  type Texts,
} from 'mappa'
import {
  gatherWaiting,
  isTypeScript,
  layerFiles,
  legendAbove,
  legendFileNames,
  legendInputs,
  maskFor,
  namesIn,
  repositoryTop,
  stackOf,
  textAt,
  unknownStage,
} from 'mappa/command'
import { findRoot, loadLegendFile } from 'mappa/node'
import { spotIn } from '../declared/legend-text.js'
import { stagesOfStarts } from '../starts/told.js'
import { tellFaults } from '../terminal/json-report.js'
import { remedyText } from '../terminal/remedy.js'
import { exitCodes, UsageError } from '../terminal/usage-error.js'
import { loadTypeScriptLegend } from './compile.js'
import { ignoredFiles, legendsBelow, mayHoldSettings } from './files.js'
import { oddAbove } from './odd.js'
import { limitPatterns } from './patterns.js'
import { startFilesOf } from './start-files.js'

/** Options that say which project and stage a command is about. */
export interface ProjectOptions {
  readonly root?: string
  readonly stage?: string
  /** The source of the stage, if not `--stage`. */
  readonly stageFrom?: string
  /** `NAME=value`, each as typed. */
  readonly set?: readonly string[]
  /** The host's variables, if not those of this process. */
  readonly environment?: Texts
  /** True if `environment` was captured elsewhere: nothing that only this machine has is looked at. */
  readonly elsewhere?: boolean
  /** True if only what a clone has is looked at: no layer of this machine, and none that git leaves out. */
  readonly cloned?: boolean
  /** True if what is missing may be given elsewhere, so that rules which read it wait. */
  readonly givenElsewhere?: boolean
  /** True if the legend may have changed since this process loaded it. */
  readonly fresh?: boolean
  /** True if it is for a start, which does not search what may reach a browser for the texts of secrets: that has been done. */
  readonly start?: boolean
  /** True if the project is gone after this run, so that nothing of it is kept. */
  readonly passing?: boolean
}

/** A project's root and its legend, if it has one that loads. */
export interface Project {
  readonly root: string
  readonly legendFile: string | undefined
  readonly definition: Legend | undefined
  /** The text of the legend's file, read before the legend was loaded: what is edited must be what was loaded. */
  readonly legendText?: string | undefined
  readonly faults: readonly Fault[]
  /** The files that the legend is made of, and those that it could be. Absolute paths. */
  readonly files: readonly string[]
  /** The place of the legend's failure, for `--debug`; holds no text of a layer. */
  readonly cause?: string | undefined
}

/** Finds a project's root and loads its legend, in whatever language that is written. */
export async function openProject({ root, fresh, passing }: ProjectOptions): Promise<Project> {
  limitPatterns()
  const { directory, legendFile } = rootOf(root)
  const names = legendFileNames.flatMap((name) => [join(directory, name), join(directory, 'src', name)])
  if (legendFile === undefined) return { root: directory, legendFile, definition: undefined, faults: [], files: names }
  const path = join(directory, legendFile)
  const odd = legendFile.endsWith('.json') ? undefined : oddAbove(directory)
  if (odd) return { root: directory, legendFile, files: names, definition: undefined, faults: [odd] }
  const legendText = textAt(path)
  // Node keeps what it has loaded; a compiled legend is another module whenever it changes.
  const compiled = isTypeScript(legendFile) || (fresh && !legendFile.endsWith('.json'))
  const loaded = compiled ? await loadTypeScriptLegend(path, !passing) : loadLegendFile(path)
  const base = { root: directory, legendFile, legendText, files: [...names, ...(compiled ? legendInputs(path) : [])] }
  if ('definition' in loaded) return { ...base, definition: loaded.definition, faults: [] }
  // The legend is code, and what it throws may repeat what it read.
  const mask = maskFor(layersAround(directory))
  const { message, remedy } = loaded.fault
  const fault = { ...loaded.fault, message: mask(message), ...(remedy !== undefined && { remedy: mask(remedy) }) }
  const cause = loaded.cause === undefined ? {} : { cause: mask(stackOf(loaded.cause)) }
  return { ...base, definition: undefined, faults: [fault], ...cause }
}

/** Finds the root, and refuses one that is named and not there: nothing would be found in it. */
function rootOf(root: string | undefined) {
  const environmentRoot = process.env.MAPPA_ROOT
  const found = findRoot({ root, environmentRoot })
  const from = root !== undefined ? '--root' : environmentRoot ? 'MAPPA_ROOT' : undefined
  const isThere = existsSync(found.directory)
  if (from !== undefined && !(isThere && statSync(found.directory).isDirectory()))
    throw new UsageError(
      `The root must be a directory, but ${printable(found.directory)} ${isThere ? 'is a file' : 'does not exist'}. Correct ${from}.`,
    )
  return found
}

/** Tells how a command ends that reports faults; a stage that is unknown is a word of its command line, anyone who named it. */
export function exitCodeFor(faults: readonly Fault[]): number {
  if (faults.some(({ kind }) => kind === 'unknown-stage')) return exitCodes.usage
  return faults.length > 0 ? exitCodes.faults : exitCodes.fine
}

/** Ends with the sentence of an unknown stage. */
export function refuseStage(definition: Legend, name: string | undefined): void {
  const fault = name === undefined ? undefined : unknownStage(definition, { name, from: '--stage' })
  if (fault) throw new UsageError(`${fault.message}\n${remedyText(fault.remedy ?? '')}`)
}

/** The layer files of all stages, and this process's environment. */
function layersAround(directory: string): Layer[] {
  const files = namesIn(directory).filter((name) => /^\.env(?:\.|$)/.test(name))
  return [
    ...files.map((name) => layerFromText(name, textAt(join(directory, name)) ?? '')),
    layerFromValues('the process environment', process.env, { source: 'environment' }),
  ]
}

/** A project whose legend is there, loads, and contradicts itself nowhere. */
export interface SoundProject extends Project {
  readonly legendFile: string
  readonly definition: Legend
}

/** Opens a project for what works from its legend. Problems are reported here, and the caller only ends. */
export async function openSound(options: ProjectOptions, consequence: string): Promise<SoundProject | Refused> {
  const project = await openProject(options)
  const { root, legendFile, definition, faults, cause } = project
  const stage = { name: options.stage ?? 'development', from: undefined }
  const tell = (faults: readonly Fault[]) => {
    // A legend's faults are those of all stages.
    const withoutStage = (text: string) => text.slice(text.indexOf('\n\n') + 2)
    tellFaults({ stage, faults, notices: [] }, consequence, withoutStage)
    return { refused: true, cause } as const
  }
  if (legendFile === undefined) return tell([noLegend(root, '')])
  if (!definition) return tell(faults)
  const found = contradictions(definition, legendFile, root)
  if (found.length > 0) return tell(found)
  refuseStage(definition, options.stage)
  return { ...project, legendFile, definition }
}

/** Finds where a legend writes an entry, or a word of one: by its text, since what was loaded does not say. */
function placeFor(root: string, legendFile: string) {
  return (name: string, word: string | undefined): Place | undefined => {
    const spot = spotIn(legendFile, textAt(join(root, legendFile)) ?? '', name, word)
    return spot && { file: legendFile, ...spot }
  }
}

/** Finds where a legend contradicts itself. */
export function contradictions(definition: Legend, legendFile = 'the legend', root?: string): readonly Fault[] {
  const { faults } = surveyLayers(definition, {
    stage: 'development',
    layers: [],
    legendName: legendFile,
    ...(root !== undefined && { legendPlace: placeFor(root, legendFile) }),
  })
  return faults.filter(({ kind }) => kind === 'legend')
}

/**
 * Stages that have something of their own: a committed layer file, words in the legend, a name that only this legend knows, or
 * a start. What git leaves out does not count, so that every machine gives the same answer.
 */
export function ownStages(project: Pick<Project, 'root' | 'legendFile' | 'definition'>): readonly string[] {
  const { root, legendFile, definition } = project
  const all = stagesOf(definition)
  const entries = Object.values(entriesOf(definition))
  const worded = new Set(entries.flatMap((entry) => Object.keys(entry?.stages ?? {})))
  const names = all.flatMap((stage) =>
    layerFiles(stage, definition?.like).flatMap(({ name, staged, local }) => (staged && !local ? [name] : [])),
  )
  const top = definition?.topLayers ? repositoryTop(root) : undefined
  const committed = new Set(
    [root, ...(top === undefined ? [] : [top])].flatMap((directory) => {
      const there = names.filter((name) => existsSync(join(directory, name)))
      const ignored =
        there.length === 0 ? new Set<string>() : ignoredFiles(directory, legendFile ?? 'mappa.legend.ts', there)
      return there.filter((name) => !ignored.has(name))
    }),
  )
  const started = stagesOfStarts(startFilesOf(project), all)
  const own = all.filter((stage) => {
    const files = layerFiles(stage, definition?.like)
    const isNamed = definition?.stages.includes(stage) || worded.has(stage) || started.has(stage)
    return isNamed || files.some(({ name, staged }) => staged && committed.has(name))
  })
  // Tests leave this machine's values out, so that only a project that says something of them is held to that.
  return own.length > 1 ? own : all.filter((stage) => stage !== 'test' || own.includes('test'))
}

/** Says which stages have nothing of their own, and so were not looked at. */
export function leftOut(definition: Legend | undefined, stages: readonly string[]): string[] {
  const rest = stagesOf(definition).filter((stage) => !stages.includes(stage))
  if (rest.length === 0) return []
  const which = rest.length === 1 ? 'stage' : 'stages'
  const [first = ''] = rest
  return [
    `Skipped ${which} without a committed layer file, words in the legend or a start: ${rest.join(', ')}. To check one, run: mappa check ${first}`,
  ]
}

/** Stands for a project whose legend is faulty. */
export interface Refused {
  readonly refused: true
  readonly cause: string | undefined
}

/** The fault of a project without a legend, with what to type next. */
export function noLegend(root: string, so = ', so values cannot be checked'): Fault {
  return { kind: 'legend', message: `No legend in ${root}${so}.`, remedy: nextStep(root) }
}

/** At most this many folders or names are listed. */
const toldMax = 3

/** Says where the legends are, at the top of several packages that has none itself; undefined elsewhere. */
export function legendsElsewhere(
  { root, legendFile }: Pick<Project, 'root' | 'legendFile'>,
  command: string,
): string | undefined {
  if (legendFile !== undefined || legendAbove(root) !== undefined) return undefined
  const [first, ...others] = legendsBelow(root)
  if (first === undefined) return undefined
  const rest = [first, ...others].slice(0, toldMax + 1).join(', ')
  return `There is no legend here, but in ${rest}${others.length > toldMax ? ', …' : ''}.\n  → Run: mappa ${command} --root ${first}\n`
}

/** The next command where there is no legend: in a member that has one, or `mappa init`. */
export function nextStep(root: string): string {
  const other = legendAbove(root)
  if (other !== undefined)
    return `${printable(other)} is above it. Run: mappa check --root ${printable(dirname(other))}`
  const [member, ...others] = legendsBelow(root)
  if (member !== undefined) {
    const rest =
      others.length > 0 ? `, ${others.slice(0, toldMax).join(', ')}${others.length > toldMax ? ', …' : ''}` : ''
    return `There is one in ${member}${rest}. Run: mappa check --root ${member}`
  }
  const names = [...new Set(layersAround(root).flatMap((layer) => (layer.source === 'file' ? [...layer.names()] : [])))]
  return names.length === 0 && mayHoldSettings(root) ? 'Run: mappa lift' : 'Run: mappa init'
}

/** A project's settings in a stage, on this machine. */
export interface Surveyed {
  readonly found: Survey
  /** Every file and directory that they depend on, the legend's own aside. Absolute paths. */
  readonly files: readonly string[]
  /** True if remote sources were asked. */
  readonly asked: boolean
}

/** Lays a project's layers over each other, and asks its remote sources. */
export async function surveyProject(project: Project, options: ProjectOptions): Promise<Surveyed> {
  const { root, legendFile, definition, faults } = project
  const sources = await gatherWaiting(root, definition, {
    ...(options.stage !== undefined && {
      stage: { name: options.stage, from: options.stageFrom ?? '--stage' } satisfies Stage,
    }),
    ...(options.environment && { environment: options.environment }),
    ...(options.set && { commandLine: assignments(options.set) }),
    namedHere: true,
  })
  // A legend that did not load says nothing of what the layers hold, so its fault stands alone.
  const gathered = options.cloned
    ? clonedLayers(root, legendFile, sources.layers)
    : options.elsewhere
      ? sources.layers.filter(isElsewhere)
      : sources.layers
  const layers = faults.length > 0 ? [] : gathered
  const found = await surveyLayersAsync(definition, {
    ...sources,
    layers,
    thorough: !options.start,
    // Rules wait for what is to come from elsewhere.
    ...((options.cloned || options.givenElsewhere) && { givenElsewhere: true }),
    faults: faults.length > 0 ? faults : (sources.faults ?? []),
    ...(legendFile !== undefined && { legendName: legendFile, legendPlace: placeFor(root, legendFile) }),
  })
  return { found, files: sources.files, asked: sources.asked === true }
}

/** Tells whether a layer is there on every machine: files of this one, and what variables name on it, are not. */
function isElsewhere({ source, local }: Layer): boolean {
  return !local && source !== 'directory'
}

/** The layers that anyone who clones the project has. */
function clonedLayers(root: string, legendFile: string | undefined, layers: readonly Layer[]): readonly Layer[] {
  const files = layers.filter(({ source, local }) => source === 'file' && !local)
  const names = files.map(({ name }) => name)
  const ignored = legendFile === undefined ? new Set<string>() : ignoredFiles(root, legendFile, names)
  return files.filter(({ name }) => !ignored.has(name))
}

/** `--set NAME=value`; what is wrong with one is said without repeating it, since it may hold a secret. */
function assignments(given: readonly string[]): Record<string, string> {
  const values: Record<string, string> = Object.create(null)
  for (const [at, text] of given.entries()) {
    const [, name, value] = /^([A-Za-z_][A-Za-z0-9_]*)=([\s\S]*)$/.exec(text) ?? []
    if (name === undefined || value === undefined)
      throw new UsageError(
        `--set takes NAME=value, for example --set LOG_LEVEL=debug.${given.length > 1 ? ` Number ${at + 1} does not.` : ''}`,
      )
    if (Object.hasOwn(values, name)) throw new UsageError(`--set sets ${name} twice.`)
    values[name] = value
  }
  return values
}
