import { entriesOf, isStageName, type Legend, printable, reportText, stagesOf } from 'mappa'
import { isGeneral, stageLine } from 'mappa/command'
import { counted } from '../../declared/counted.js'
import { type BundledValue, bundledValues } from '../../delivery/bundled.js'
import { capturedEnvironment } from '../../project/captured.js'
import {
  exitCodeFor,
  legendsElsewhere,
  openProject,
  type Project,
  type ProjectOptions,
  surveyProject,
} from '../../project/project.js'
import { otherStartsText } from '../../project/starts-here.js'
import { jsonReport } from '../../terminal/json-report.js'
import { paragraph } from '../../terminal/paragraph.js'
import { jsonText, output, talk } from '../../terminal/terminal.js'
import { unknownVariable } from '../../terminal/unknown-variable.js'
import { exitCodes, UsageError } from '../../terminal/usage-error.js'
import { patternFor } from '../../terminal/wanted.js'
import { listText, rowsOf } from './rows.js'

/** Options of `mappa list`. */
export interface ListOptions extends ProjectOptions {
  readonly json?: boolean
  /** True if only what must have a value and has none is listed. */
  readonly missing?: boolean
  /** A build's output: which stages its values are of. */
  readonly bundle?: string
  /** True if only secrets are listed. */
  readonly secrets?: boolean
  /** A process environment captured elsewhere, in place of this one's: a file, or `-`. */
  readonly captured?: string | undefined
}

/** `mappa list [stage] [NAME…]`: one line a variable, its value masked if secret, and where it comes from. */
export async function list(
  given: readonly string[],
  options: ListOptions,
): Promise<{ exitCode: number; cause?: string | undefined }> {
  const project = await openProject(options)
  const elsewhere = legendsElsewhere(project, 'list')
  if (elsewhere !== undefined) talk().write(elsewhere)
  const { stage, names } = stageAndNames(given, project.definition, options)
  const captured = await capturedEnvironment(options.captured)
  const { found } = await surveyProject(project, { ...options, ...captured, ...stage })
  const patterns = names.map(patternFor)
  const stranger = names.find((_, at) => ![...found.trails.keys()].some((known) => patterns[at]?.test(known)))
  if (stranger !== undefined && found.faults.every(({ kind, name }) => name !== undefined || !isGeneral(kind)))
    throw new UsageError(
      stranger.includes('*') ? `No variable matches ${stranger}.` : unknownVariable(stranger, found.trails.keys()),
    )
  const secrets = Object.entries(entriesOf(project.definition)).flatMap(([name, entry]) => (entry.secret ? [name] : []))
  const rows = rowsOf(found, new Set(secrets), {
    isNamed: (name) => patterns.length === 0 || patterns.some((pattern) => pattern.test(name)),
    missing: options.missing === true,
    secrets: options.secrets === true,
  })
  const bundled = options.bundle === undefined ? undefined : await bundledIn(project, options.bundle)
  const terminal = output()
  // Without these nothing can be said of any variable.
  const general = found.faults.filter(({ kind, name }) => name === undefined && isGeneral(kind))
  if (options.json) {
    terminal.write(
      jsonText(jsonReport({ stage: found.stage, faults: general }, { variables: rows, ...(bundled && { bundled }) })),
    )
  } else if (general.length > 0)
    terminal.write(reportText({ stage: found.stage, faults: general, notices: [] }, terminal))
  else {
    const lacking = rows.filter(({ missing }) => missing).length
    const none = options.missing ? 'Nothing is missing.' : 'No variable matches.'
    const tally = `${counted(rows.length, 'variable')}${lacking > 0 ? `, ${lacking} missing.\n  → Run: mappa fill${found.stage.from === undefined ? '' : ` --stage ${found.stage.name}`}` : '.'}`
    const text = rows.length === 0 ? none : `${listText(rows, terminal)}\n\n${tally}`
    const others =
      rows.length === 0 ? '' : otherStartsText(project, found, new Set(rows.map(({ name }) => name)), terminal.width)
    terminal.write(
      `${stageLine(found.stage, terminal.paint)}\n\n${text}\n${others}${bundled ? bundleText(bundled, options.bundle ?? '', terminal.width) : ''}`,
    )
  }
  const isFine =
    general.length === 0 && (rows.length > 0 || (patterns.length === 0 && !options.secrets) || options.missing)
  return { exitCode: isFine ? exitCodes.fine : exitCodeFor(general) || exitCodes.faults, cause: project.cause }
}

async function bundledIn(project: Project, bundle: string): Promise<readonly BundledValue[]> {
  const { definition, legendFile } = project
  return definition === undefined || legendFile === undefined
    ? []
    : bundledValues({ ...project, definition, legendFile }, bundle)
}

/** The stages whose values a bundle holds. */
function bundleText(bundled: readonly BundledValue[], bundle: string, width: number): string {
  if (bundled.length === 0) return `\n${printable(bundle)} contains no value that differs by stage.\n`
  const lines = bundled.map(
    ({ name, file, stages }) => `  ${name}: of stage ${stages.join(' and ')}  (${printable(file)})`,
  )
  return `\n${printable(bundle)} contains:\n${lines.map((line) => paragraph(line, width)).join('\n')}\n`
}

/** A stage is in front of names; both may be left out. */
function stageAndNames(
  given: readonly string[],
  definition: Legend | undefined,
  options: ListOptions,
): { readonly stage: Pick<ProjectOptions, 'stage' | 'stageFrom'>; readonly names: readonly string[] } {
  const [first, ...rest] = given
  const isStage =
    first !== undefined && (stagesOf(definition).includes(first) || (isStageName(first) && !/[_*]/.test(first)))
  const names = isStage ? rest : given
  if (names.some((name) => !/^[A-Za-z_*][A-Za-z0-9_*]*$/.test(name)))
    throw new UsageError("list takes a stage and variable names, for example: mappa list staging 'ALERT_*'")
  if (!isStage) return { stage: {}, names }
  if (options.stage !== undefined && options.stage !== first)
    throw new UsageError('Two stages are named. Name one, by itself or with --stage.')
  return { stage: { stage: first, stageFrom: 'the command line' }, names }
}
