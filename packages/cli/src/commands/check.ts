import {
  type Fault,
  type Legend,
  reportJson,
  reportLines,
  reportSarif,
  reportText,
  type Survey,
  stageLine,
  tally,
} from 'mappa'
import type { Usage } from '../lift/usage.js'
import { openProject, type Project, type ProjectOptions, surveyProject } from '../project.js'
import { output } from '../terminal.js'
import { exitCodes } from '../usage.js'
import { counted } from '../wording.js'

/** Options of `mappa check`. */
export interface CheckOptions extends ProjectOptions {
  readonly json?: boolean
  readonly sarif?: boolean
  /** Whether to print a line for each. */
  readonly lines?: boolean
  /** Whether to compare the legend with the code, too. */
  readonly code?: boolean
}

/** `mappa check`: every fault and notice of a stage. */
export async function check(options: CheckOptions): Promise<{ exitCode: number; cause?: unknown }> {
  const project = await openProject(options)
  const { found } = await surveyProject(project, options)
  const usage = options.code && project.definition ? await usageIn(project.root, project.definition) : undefined
  const missing = project.legendFile === undefined ? [noLegend(project)] : []
  const faults = [...found.faults, ...missing, ...(usage?.faults ?? [])]
  const notices = [...found.notices, ...(usage?.notices ?? [])]
  const { stage } = found
  const terminal = output()
  if (options.sarif) terminal.write(`${JSON.stringify(reportSarif({ stage, faults, notices }), null, 2)}\n`)
  else if (options.lines) terminal.write(reportLines({ stage, faults, notices }))
  else if (options.json) terminal.write(`${JSON.stringify(reportJson({ stage, faults, notices }), null, 2)}\n`)
  else if (faults.length + notices.length > 0) terminal.write(reportText({ stage, faults, notices }, terminal))
  else terminal.write(`${stageLine(stage, terminal.paint)}\n\n${allRight(found)}\n${tally(0, 0)}\n`)
  return { exitCode: faults.length > 0 ? exitCodes.faults : exitCodes.fine, cause: project.cause }
}

/** What the project's code and its legend say of each other. The parser is loaded only for this. */
async function usageIn(root: string, definition: Legend): Promise<Usage> {
  const { usageOf } = await import('../lift/usage.js')
  const { projectFiles } = await import('../project-files.js')
  return usageOf(definition, projectFiles(root))
}

function noLegend({ root }: Project): Fault {
  return {
    kind: 'legend',
    message: `There is no legend in ${root}, so there is nothing to check the values against.`,
    remedy: "Write mappa.legend.mjs: import { legend } from 'mappa'; export default legend({ … })",
  }
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
