import { join } from 'node:path'
import { pathToFileURL } from 'node:url'
import {
  entriesOf,
  type Fault,
  type Legend,
  type Notice,
  type Reported,
  reportSarif,
  reportText,
  type Survey,
} from 'mappa'
import { isAboutRoot, isAccepted, isGeneral, legendAbove, reportLines, stageLine, tally } from 'mappa/command'
import { capturedEnvironment } from '../../project/captured.js'
import { ignoredFiles, layerNamesIn, legendsBelow } from '../../project/files.js'
import { mayBeTracked } from '../../project/git/repository.js'
import {
  contradictions,
  exitCodeFor,
  leftOut,
  noLegend,
  openProject,
  ownStages,
  type Project,
  type ProjectOptions,
  surveyProject,
} from '../../project/project.js'
import { jsonReport } from '../../terminal/json-report.js'
import { paragraph } from '../../terminal/paragraph.js'
import { jsonText, output } from '../../terminal/terminal.js'
import { exitCodes, UsageError } from '../../terminal/usage-error.js'
import type { CodeReport } from './against-code.js'
import { allRight } from './all-right.js'
import { sharedSecrets } from './shared-secrets.js'

/** Options of `mappa check`. */
export interface CheckOptions extends ProjectOptions {
  readonly json?: boolean
  readonly sarif?: boolean
  /** True to print a line for each. */
  readonly lines?: boolean
  /** True to check every stage, without the process environment. */
  readonly everyStage?: boolean
  /** True to check what a fresh clone has, in every stage. */
  readonly asCloned?: boolean
  /** True if notices end with 1, too. */
  readonly strict?: boolean
  /** True to compare the legend with the code, too. */
  readonly code?: boolean
  /** A process environment captured elsewhere, in place of this one's: a file, or `-`. */
  readonly captured?: string | undefined
  /** A build's output, searched for values of other stages. */
  readonly bundle?: string
  /** A kind that the legend is to accept from now on. */
  readonly accept?: string
  readonly because?: string
  readonly until?: string
  readonly apply?: boolean
}

/** `mappa check`: every fault and notice of a stage, or of each; at the top of several projects, of each of those. */
export async function check(options: CheckOptions): Promise<{ exitCode: number; cause?: string | undefined }> {
  const project = await openProject(options)
  // A legend without variables says nothing of the packages below it.
  const isEmpty = project.legendFile === undefined || Object.keys(entriesOf(project.definition)).length === 0
  const isSound = project.faults.length === 0
  const members = isEmpty && isSound && options.root === undefined ? legendMembers(project) : []
  const outcomes: ProjectReports[] = []
  if (members.length === 0) outcomes.push(await checked(project, options))
  for (const member of members) {
    const root = join(project.root, member)
    const own = await openProject({ ...options, root })
    outcomes.push({ ...(await checked(own, { ...options, root })), member })
  }
  if (options.accept !== undefined) {
    const [only, ...others] = outcomes
    if (!only || others.length > 0) throw new UsageError('--accept is for one legend: name it with --root.')
    const { acceptNow } = await import('./accept.js')
    const { accept, because, until, apply = false, json = false } = options
    const [first] = only.reports
    if (first) return acceptNow(only.project, only.reports, first.found, { accept, because, until, apply, json })
  }
  output().write(reportsIn(outcomes, options))
  const reports = outcomes.flatMap((each) => each.reports)
  const exitCode = exitCodeFor(reports.flatMap(({ faults }) => faults))
  const isStrict = options.strict === true && reports.some(({ notices }) => notices.length > 0)
  const cause = outcomes.find((each) => each.project.cause !== undefined)?.project.cause
  return { exitCode: exitCode === exitCodes.fine && isStrict ? exitCodes.faults : exitCode, cause }
}

/** The folders below the working directory that hold a legend, where it holds none itself. */
function legendMembers({ root, legendFile }: Project): readonly string[] {
  return legendFile !== undefined || legendAbove(root) === undefined ? legendsBelow(root) : []
}

/** The reports of one project. */
interface ProjectReports {
  readonly project: Project
  readonly reports: readonly Checked[]
  /** The project's folder, if there are several. */
  readonly member?: string
}

async function checked(project: Project, options: CheckOptions): Promise<ProjectReports> {
  const code =
    (options.code || options.asCloned) && project.definition
      ? await codeReport(project.root, project.definition)
      : undefined
  const missing = project.legendFile === undefined ? [noLegend(project.root)] : []
  const isBare = project.legendFile === undefined
  // Without a legend there is one thing to say, and not one of each stage. What this machine's environment sets is meant for
  // one stage at most.
  const isEvery = (options.everyStage || options.asCloned) && !isBare
  const each: readonly ProjectOptions[] = isEvery
    ? ownStages(project).map((stage) => ({
        ...options,
        stage,
        stageFrom: 'the legend',
        environment: {},
        cloned: options.asCloned === true,
      }))
    : [{ ...options, ...(await capturedEnvironment(options.captured)) }]
  const unguarded = options.asCloned ? [] : await guardFaults(project)
  const stale = options.asCloned ? await staleFaults(project) : []
  const reports: Checked[] = []
  for (const [at, own] of each.entries()) {
    const { found } = await surveyProject(project, own)
    // Which stage it is matters where there is something to check.
    const all = isBare ? found.faults.filter(({ kind }) => kind !== 'no-layers') : found.faults
    const starts = options.asCloned ? { faults: [], notices: [] } : await startReport(project, found)
    const bundled = options.bundle === undefined ? [] : await bundleFaultsIn(project, found, options.bundle)
    const { faults: ofStage, given } = options.asCloned ? cloneFaults(found, all) : { faults: all, given: undefined }
    // A report that is not about a stage is reported once.
    const [faults, notices] =
      at === 0 ? [[...missing, ...unguarded, ...stale, ...(code?.faults ?? [])], code?.notices ?? []] : [[], []]
    const list = project.definition?.accepted
    const isOpen = ({ kind, name }: Fault | Notice) => !isAccepted(list, kind, [name])
    reports.push({
      found,
      stage: found.stage,
      root: project.root,
      faults:
        (options.everyStage || options.asCloned) && isBare
          ? missing
          : [...ofStage, ...sharedIn(found, project), ...bundled, ...[...starts.faults, ...faults].filter(isOpen)],
      notices: [
        ...found.notices.filter(
          (each) => (at === 0 || !isAboutRoot(each.kind)) && !starts.notices.some((own) => saysMore(own, each)),
        ),
        ...[...starts.notices, ...notices].filter(isOpen),
      ],
      accepted: [
        ...found.accepted,
        ...[...starts.faults, ...starts.notices, ...faults, ...notices].filter((fault) => !isOpen(fault)),
      ],
      ...(given && { hostGives: given }),
    })
  }
  return { project, reports }
}

/** Faults that concern a fresh clone, and the names that a host or a person must set. */
function cloneFaults(
  found: Survey,
  all: readonly Fault[],
): { readonly faults: readonly Fault[]; readonly given: readonly string[] } {
  const given = new Set<string>()
  const lacks = (name: string) => found.trail(name).declared && !found.trail(name).winner
  const kept = all.filter((fault) => {
    const { kind, name } = fault
    if (kind === 'remote') return false
    if (kind === 'missing' && name !== undefined) {
      given.add(name)
      return false
    }
    if (kind !== 'unset' || name === undefined) return true
    // Built on what is to come, it will be right.
    const text = found.layers.findLast((layer) => layer.get(name) !== undefined)?.get(name) ?? ''
    const culprits = [...text.matchAll(/\$\{([A-Za-z_]\w*)/g)].map(([, each = '']) => each).filter(lacks)
    for (const each of culprits) given.add(each)
    return culprits.length === 0
  })
  return { faults: kept, given: [...given] }
}

/** What a bundle holds of other stages. */
async function bundleFaultsIn(project: Project, found: Survey, bundle: string): Promise<readonly Fault[]> {
  const { bundleFaults } = await import('./bundle.js')
  const { definition, legendFile } = project
  if (definition === undefined || legendFile === undefined) return []
  return bundleFaults({ ...project, definition, legendFile }, found, bundle)
}

/** Tells whether a notice says of a value which readers read it differently, where another only says that some may. */
function saysMore(own: Notice, other: Notice): boolean {
  const isSame = own.kind === 'read-differently' && other.kind === own.kind && own.name === other.name
  const [here, there] = [own.place, other.place]
  return isSame && here?.file === there?.file && here?.line === there?.line && here?.column === there?.column
}

/** Values that a start of the project would lose although layers give them, and what of the layers no start would have. */
async function startReport(project: Project, found: Survey): Promise<CodeReport> {
  const nothing = { faults: [], notices: [] }
  // With another fault it is not known what a start would get.
  const isOpen = found.faults.some(({ kind, name }) => name === undefined && isGeneral(kind))
  if (project.definition === undefined || isOpen) return nothing
  const { lackingInImages, startsOfProject } = await import('../../project/starts-here.js')
  const { notLoaded, trueInCode } = await import('../../starts/told.js')
  const { otherReadings } = await import('./other-readers.js')
  const layerOf = (name: string) => {
    const { winner } = found.trail(name)
    return winner?.source === 'default' ? "the legend's default" : (winner?.layer ?? 'the layers')
  }
  const starts = startsOfProject(project, found)
  return {
    faults: notLoaded(starts, layerOf).map((fault) => ({ ...fault, message: found.mask(fault.message) })),
    notices: [...trueInCode(starts), ...lackingInImages(project, found), ...otherReadings(project, found)],
  }
}

/** Files that are made from the legend, and are not as it would make them now. */
async function staleFaults(project: Project): Promise<readonly Fault[]> {
  const { definition, legendFile, root } = project
  if (!definition || legendFile === undefined || contradictions(definition).length > 0) return []
  const { staleFiles } = await import('../../project/stale.js')
  return (await staleFiles({ ...project, definition, legendFile })).map(({ path, command }) => ({
    kind: 'stale',
    message: `${path} is stale.`,
    layer: path,
    place: { file: path, line: 1, column: 1, endColumn: 2 },
    remedy: `Run: ${command}${root === process.cwd() ? '' : ` --root ${root}`}`,
  }))
}

/** Layers of this machine that git has or would take. */
async function guardFaults({ root, legendFile }: Project): Promise<readonly Fault[]> {
  const local = layerNamesIn(root).filter((name) => name.endsWith('.local'))
  if (legendFile === undefined || local.length === 0) return []
  const { notIgnored, unguardedLayers } = await import('../../project/git/repository.js')
  return unguardedLayers(root, local).map(({ path, tracked }) => notIgnored(path, tracked))
}

/** Secrets in committed layers: nothing that stops a start, but nothing that may stay. */
function sharedIn(found: Survey, { root, legendFile, definition }: Project): readonly Fault[] {
  if (!definition) return []
  const faults = sharedSecrets(
    definition,
    found.stage.name,
    found.layers,
    (layer, name) => found.trail(name).steps.find((step) => step.layer === layer.name)?.place,
    (layer) => mayBeTracked(root, layer),
  )
  // What git ignores goes nowhere.
  const ignored =
    faults.length === 0 || legendFile === undefined
      ? new Set<string>()
      : ignoredFiles(root, legendFile, [...new Set(faults.flatMap(({ layer }) => layer ?? []))])
  // A placeholder is not a secret, and has been reported.
  const placeholders = new Set(found.faults.flatMap(({ kind, name }) => (kind === 'placeholder' ? [name] : [])))
  return faults
    .filter(({ name, layer = '' }) => !placeholders.has(name) && !ignored.has(layer))
    .map((fault) => ({ ...fault, message: found.mask(fault.message) }))
}

interface Checked extends Reported {
  readonly found: Survey
  /** Required values that a clone lacks and its host must set. */
  readonly hostGives?: readonly string[]
}

/** Reports in the form that was asked for. */
function reportsIn(outcomes: readonly ProjectReports[], options: CheckOptions): string {
  const all = outcomes.flatMap(({ project, reports, member }) => reports.map((report) => ({ report, project, member })))
  const [first] = all
  if (options.sarif) {
    const log = ({ report, project }: (typeof all)[number]) =>
      reportSarif(report, { root: pathToFileURL(`${project.root}/`).href })
    return jsonText({ ...log(first as (typeof all)[number]), runs: all.flatMap((each) => log(each).runs) })
  }
  if (options.json) {
    const data = ({ reports }: ProjectReports) =>
      options.everyStage || options.asCloned ? everyStageJson(reports) : stageJson(reports[0] as Checked)
    const isOne = outcomes.length === 1 && outcomes[0]?.member === undefined
    if (isOne) return jsonText(data(outcomes[0] as ProjectReports))
    const packages = outcomes.map((each) => ({ root: each.member, ...data(each) }))
    return jsonText(jsonReport(allOf(all.map(({ report }) => report)), { packages }))
  }
  if (options.lines) {
    // A fault of a shared layer would come once for each stage.
    const lines = all.flatMap(({ report, member }) =>
      reportLines(report)
        .split(/(?<=\n)/)
        .filter((line) => line !== '')
        .map((line) => (member === undefined ? line : `${member}/${line}`)),
    )
    return [...new Set(lines)].join('')
  }
  const { paint } = output()
  return outcomes
    .map((outcome) => {
      const head = outcome.member === undefined ? '' : `${paint.bold(outcome.member)}\n\n`
      return `${head}${projectText(outcome, options)}`
    })
    .join('\n')
}

function stageJson(report: Checked) {
  const { accepted = [], hostGives } = report
  return jsonReport(report, { accepted, ...(hostGives && { hostGives }) })
}

function everyStageJson(reports: readonly Checked[]) {
  return jsonReport(allOf(reports), { stages: reports.map(stageJson) })
}

/** All reports in one: each fault and notice with its stage. */
function allOf(reports: readonly Checked[]): Pick<Reported, 'faults' | 'notices'> {
  const allOfKind = (kind: 'faults' | 'notices') =>
    reports.flatMap((report) => report[kind].map((each) => ({ ...each, stage: report.stage.name })))
  return { faults: allOfKind('faults') as Reported['faults'], notices: allOfKind('notices') as Reported['notices'] }
}

/** One project's reports for a person, with what is to be said of all of its stages. */
function projectText({ project, reports }: ProjectReports, options: CheckOptions): string {
  const terminal = output()
  const texts = reports.map((report) => {
    const { faults, notices, hostGives = [] } = report
    const text =
      faults.length + notices.length > 0
        ? reportText(report, terminal)
        : `${stageLine(report.stage, terminal.paint)}\n\n${options.asCloned ? '' : `${allRight(report.found)}\n`}${tally(0, 0, report.accepted?.length)}\n`
    if (hostGives.length === 0) return text
    return `${text}${paragraph(`Set on the ${report.stage.name} host: ${hostGives.join(', ')}`, terminal.width)}\n`
  })
  const isEvery = options.everyStage || options.asCloned
  const said = isEvery
    ? [
        options.asCloned
          ? 'Checked committed files only; local layers and this environment were skipped.'
          : "This machine's process environment is not included: it belongs to one stage at most.",
        ...leftOut(
          project.definition,
          reports.map(({ stage }) => stage.name),
        ),
      ]
    : []
  return `${texts.join('\n')}${said.map((text) => `${text}\n`).join('')}`
}

/** Differences between the project's code and its legend. The parser is loaded only for this. */
async function codeReport(root: string, definition: Legend): Promise<CodeReport> {
  const { againstCode } = await import('./against-code.js')
  const { projectFiles } = await import('../../project/files.js')
  return againstCode(definition, projectFiles(root))
}
