import { pathToFileURL } from 'node:url'
import {
  type Legend,
  type Reported,
  reportJson,
  reportLines,
  reportSarif,
  reportText,
  type Survey,
  stageLine,
  tally,
} from 'mappa'
import type { Usage } from '../lift/usage.js'
import { leftOut, noLegend, openProject, ownStages, type ProjectOptions, surveyProject } from '../project.js'
import { output } from '../terminal.js'
import { exitCodes } from '../usage.js'
import { counted } from '../wording.js'

/** Options of `mappa check`. */
export interface CheckOptions extends ProjectOptions {
  readonly json?: boolean
  readonly sarif?: boolean
  /** Whether to print a line for each. */
  readonly lines?: boolean
  /** Whether to check every stage, without the process environment. */
  readonly everyStage?: boolean
  /** Whether to compare the legend with the code, too. */
  readonly code?: boolean
}

/** `mappa check`: every fault and notice of a stage, or of each. */
export async function check(options: CheckOptions): Promise<{ exitCode: number; cause?: unknown }> {
  const project = await openProject(options)
  const usage = options.code && project.definition ? await usageIn(project.root, project.definition) : undefined
  const missing = project.legendFile === undefined ? [noLegend(project.root)] : []
  // What this machine's environment sets is meant for one stage at most.
  const each = options.everyStage
    ? ownStages(project).map((stage) => ({ ...options, stage, stageFrom: 'the legend', environment: {} }))
    : [options]
  const reports: Checked[] = []
  for (const [at, own] of each.entries()) {
    const { found } = await surveyProject(project, own)
    // What is not about a stage is told once.
    const [faults, notices] = at === 0 ? [[...missing, ...(usage?.faults ?? [])], usage?.notices ?? []] : [[], []]
    reports.push({
      found,
      stage: found.stage,
      faults: [...found.faults, ...faults],
      notices: [...found.notices.filter(({ kind }) => at === 0 || !surrounding.has(kind)), ...notices],
    })
  }
  output().write(written(reports, options, project.root))
  if (options.everyStage && !options.json && !options.sarif && !options.lines)
    for (const text of [
      "The process environment of this machine was left out: it is one stage's at most.",
      ...leftOut(
        project.definition,
        reports.map(({ stage }) => stage.name),
      ),
    ])
      output().write(`${text}\n`)
  const isFaulty = reports.some(({ faults }) => faults.length > 0)
  return { exitCode: isFaulty ? exitCodes.faults : exitCodes.fine, cause: project.cause }
}

/** Notices about the root, whatever the stage. */
const surrounding: ReadonlySet<string> = new Set(['misnamed', 'writable-by-others', 'shared-secret'])

interface Checked extends Reported {
  readonly found: Survey
}

/** Reports in the form that was asked for. */
function written(reports: readonly Checked[], options: CheckOptions, root: string): string {
  const [first] = reports
  const asJson = (value: unknown) => `${JSON.stringify(value, null, 2)}\n`
  if (options.sarif) {
    const told = { root: pathToFileURL(`${root}/`).href }
    const runs = reports.flatMap((report) => reportSarif(report, told).runs)
    return asJson({ ...reportSarif(first as Checked, told), runs })
  }
  if (options.json)
    return asJson(options.everyStage ? { version: 1, stages: reports.map(reportJson) } : reportJson(first as Checked))
  if (options.lines) {
    // What stands in a layer of all stages would come once for each.
    const lines = reports.flatMap((report) => reportLines(report).split(/(?<=\n)/))
    return [...new Set(lines)].join('')
  }
  const terminal = output()
  const texts = reports.map((report) =>
    report.faults.length + report.notices.length > 0
      ? reportText(report, terminal)
      : `${stageLine(report.stage, terminal.paint)}\n\n${allRight(report.found)}\n${tally(0, 0)}\n`,
  )
  return texts.join('\n')
}

/** What the project's code and its legend say of each other. The parser is loaded only for this. */
async function usageIn(root: string, definition: Legend): Promise<Usage> {
  const { usageOf } = await import('../lift/usage.js')
  const { projectFiles } = await import('../project-files.js')
  return usageOf(definition, projectFiles(root))
}

/** How many variables are right, and how many of them each layer gives. */
function allRight(found: Survey): string {
  const declared = [...found.trails.values()].filter((trail) => trail.declared)
  const origins = new Map<string, number>()
  for (const { winner } of declared) {
    const origin = winner === undefined ? 'no value' : winner.source === 'default' ? 'default' : winner.layer
    origins.set(origin, (origins.get(origin) ?? 0) + 1)
  }
  const most = [...origins].sort(([, a], [, b]) => b - a)
  const widest = String(most[0]?.[1] ?? '').length
  const lines = most.map(([origin, count]) => `    ${String(count).padStart(widest)}  ${origin}`)
  return [
    `${counted(declared.length, 'variable')} ${declared.length === 1 ? 'is' : 'are'} right, from`,
    ...lines,
    '',
  ].join('\n')
}
