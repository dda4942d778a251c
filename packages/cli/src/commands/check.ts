import { pathToFileURL } from 'node:url'
import {
  type Fault,
  type Legend,
  type Notice,
  type Reported,
  reportJson,
  reportLines,
  reportSarif,
  reportText,
  type Survey,
} from 'mappa'
import { isAccepted, isAround, stageLine, tally } from 'mappa/command'
import type { CodeReport } from '../check/against-code.js'
import { allRight } from '../check/all-right.js'
import { capturedEnvironment } from '../project/captured.js'
import {
  exitCodeFor,
  leftOut,
  noLegend,
  openProject,
  ownStages,
  type ProjectOptions,
  surveyProject,
} from '../project/project.js'
import { jsonText, output } from '../terminal/terminal.js'
import { exitCodes } from '../terminal/usage-error.js'

/** Options of `mappa check`. */
export interface CheckOptions extends ProjectOptions {
  readonly json?: boolean
  readonly sarif?: boolean
  /** Whether to print a line for each. */
  readonly lines?: boolean
  /** Whether to check every stage, without the process environment. */
  readonly everyStage?: boolean
  /** Whether notices end with 1, too. */
  readonly strict?: boolean
  /** Whether to compare the legend with the code, too. */
  readonly code?: boolean
  /** A process environment captured elsewhere, in place of this one's: a file, or `-`. */
  readonly captured?: string | undefined
}

/** `mappa check`: every fault and notice of a stage, or of each. */
export async function check(options: CheckOptions): Promise<{ exitCode: number; cause?: string | undefined }> {
  const project = await openProject(options)
  const code = options.code && project.definition ? await codeReport(project.root, project.definition) : undefined
  const missing = project.legendFile === undefined ? [noLegend(project.root)] : []
  // Without a legend there is one thing to say, and not one of each stage. What this machine's environment sets is meant for
  // one stage at most.
  const each =
    options.everyStage && project.legendFile !== undefined
      ? ownStages(project).map((stage) => ({ ...options, stage, stageFrom: 'the legend', environment: {} }))
      : [{ ...options, ...(await capturedEnvironment(options.captured)) }]
  const reports: Checked[] = []
  for (const [at, own] of each.entries()) {
    const { found } = await surveyProject(project, own)
    const isBare = project.legendFile === undefined
    // Which stage it is matters where there is something to check.
    const told = isBare ? found.faults.filter(({ kind }) => kind !== 'no-layers') : found.faults
    // What is not about a stage is told once.
    const [faults, notices] = at === 0 ? [[...missing, ...(code?.faults ?? [])], code?.notices ?? []] : [[], []]
    const list = project.definition?.accepted
    const isOpen = ({ kind, name }: Fault | Notice) => !isAccepted(list, kind, [name])
    reports.push({
      found,
      stage: found.stage,
      faults: options.everyStage && isBare ? missing : [...told, ...faults.filter(isOpen)],
      notices: [...found.notices.filter(({ kind }) => at === 0 || !isAround(kind)), ...notices.filter(isOpen)],
      accepted: [...found.accepted, ...[...faults, ...notices].filter((each) => !isOpen(each))],
    })
  }
  output().write(reportsIn(reports, options, project.root))
  if (options.everyStage && !options.json && !options.sarif && !options.lines)
    for (const text of [
      'The process environment of this machine was left out: it belongs to one stage at most.',
      ...leftOut(
        project.definition,
        reports.map(({ stage }) => stage.name),
      ),
    ])
      output().write(`${text}\n`)
  const exitCode = exitCodeFor(reports.flatMap(({ faults }) => faults))
  const isStrict = options.strict === true && reports.some(({ notices }) => notices.length > 0)
  return { exitCode: exitCode === exitCodes.fine && isStrict ? exitCodes.faults : exitCode, cause: project.cause }
}

interface Checked extends Reported {
  readonly found: Survey
}

/** Reports in the form that was asked for. */
function reportsIn(reports: readonly Checked[], options: CheckOptions, root: string): string {
  const [first] = reports
  if (options.sarif) {
    const told = { root: pathToFileURL(`${root}/`).href }
    const runs = reports.flatMap((report) => reportSarif(report, told).runs)
    return jsonText({ ...reportSarif(first as Checked, told), runs })
  }
  if (options.json)
    return jsonText(options.everyStage ? { version: 1, stages: reports.map(reportJson) } : reportJson(first as Checked))
  if (options.lines) {
    // What stands in a layer of all stages would come once for each.
    const lines = reports.flatMap((report) => reportLines(report).split(/(?<=\n)/))
    return [...new Set(lines)].join('')
  }
  const terminal = output()
  const texts = reports.map((report) =>
    report.faults.length + report.notices.length > 0
      ? reportText(report, terminal)
      : `${stageLine(report.stage, terminal.paint)}\n\n${allRight(report.found)}\n${tally(0, 0, report.accepted?.length)}\n`,
  )
  return texts.join('\n')
}

/** What the project's code and its legend say of each other. The parser is loaded only for this. */
async function codeReport(root: string, definition: Legend): Promise<CodeReport> {
  const { againstCode } = await import('../check/against-code.js')
  const { projectFiles } = await import('../project/files.js')
  return againstCode(definition, projectFiles(root))
}
