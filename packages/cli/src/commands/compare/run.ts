import { reportText, type Survey, variablesOf } from 'mappa'
import { capitalized, counted } from '../../declared/counted.js'
import { compareHost, compareValues, faultsOnHost, hostNames, hostTexts } from '../../delivery/host-report.js'
import { hostText } from '../../delivery/host-text.js'
import { capturedEnvironment } from '../../project/captured.js'
import { leftOut, openSound, ownStages, refuseStage, type SoundProject, surveyProject } from '../../project/project.js'
import { jsonReport } from '../../terminal/json-report.js'
import { paragraph } from '../../terminal/paragraph.js'
import { jsonText, output, talk } from '../../terminal/terminal.js'
import { type Ended, exitCodes, UsageError } from '../../terminal/usage-error.js'
import { rowsText } from './rows-text.js'
import type { SinceOptions } from './since-run.js'
import { compareStages, type Row, stagesWithOthers, stands } from './stages.js'

/** Options of `mappa compare`. */
export interface CompareOptions extends SinceOptions {
  /** True to show also what is the same everywhere. */
  readonly all?: boolean
  /** Process environments captured elsewhere. */
  readonly captured?: readonly string[] | undefined
  /** An earlier commit to compare with. */
  readonly since?: string
}

/** `mappa compare [stage…]`: stages side by side, or the names of one stage against those that a host has. */
export async function compare(stages: readonly string[], options: CompareOptions): Promise<Ended> {
  const known = await openSound(options, 'Nothing was compared.')
  if ('refused' in known) return { exitCode: exitCodes.faults, cause: known.cause }
  for (const stage of stages) refuseStage(known.definition, stage)
  if (options.tokenFrom !== undefined && options.host === undefined)
    throw new UsageError('--token-from is for a host with an address: --host https://…')
  if (options.values && options.host === undefined)
    throw new UsageError('--values is for a host: --host FILE or --host https://…')
  if (options.as !== undefined && options.since === undefined) throw new UsageError('--as is for --since.')
  if (options.since !== undefined) {
    const { compareSince } = await import('./since-run.js')
    return compareSince(known, stages, options, options.since)
  }
  if (options.host !== undefined) return againstHost(known, stages, options)
  if (options.captured !== undefined) return betweenMachines(known, stages, options, options.captured)
  if (options.stage !== undefined || stages.length === 1)
    throw new UsageError('compare takes at least two stages, for example: mappa compare staging production')
  if (stages.length > 0 && new Set(stages).size === 1)
    throw new UsageError('compare takes different stages, for example: mappa compare staging production')
  return sideBySide(known, stages, options)
}

async function sideBySide(project: SoundProject, named: readonly string[], options: CompareOptions): Promise<Ended> {
  const isChosen = named.length > 0
  const stages = isChosen ? [...new Set(named)] : ownStages(project)
  const surveys: Survey[] = []
  for (const stage of stages) surveys.push((await surveyProject(project, { ...options, stage, environment: {} })).found)
  const entries = project.definition.entries
  const rows = compareStages(surveys, (name) => entries[name]?.secret === true)
  return shownSideBySide(rows, stages, stagesWithOthers(surveys, rows), options, [
    "This machine's process environment is not included: it belongs to one stage at most.",
    ...(isChosen ? [] : leftOut(project.definition, stages)),
  ])
}

/** One stage on several machines, by what was captured there. This machine is left out. */
async function betweenMachines(
  project: SoundProject,
  named: readonly string[],
  options: CompareOptions,
  files: readonly string[],
): Promise<Ended> {
  const [stage = options.stage] = named
  if (named.length > 1 || files.length < 2)
    throw new UsageError(
      '--environment compares one stage on several machines, for example: mappa compare production --environment one.txt two.txt',
    )
  const surveys: Survey[] = []
  for (const file of files) {
    const machine = await capturedEnvironment(file)
    surveys.push(
      (await surveyProject(project, { ...options, ...(stage !== undefined && { stage }), ...machine })).found,
    )
  }
  // The same secret is right on machines of one stage.
  const rows = compareStages(surveys, () => false, files)
  return shownSideBySide(rows, files, [], options, ['Compared captured environments; this machine is not included.'])
}

function shownSideBySide(
  rows: readonly Row[],
  stages: readonly string[],
  others: readonly string[],
  options: CompareOptions,
  notes: readonly string[],
): Ended {
  const shown = options.all ? rows : rows.filter(stands)
  const isFaulty =
    others.length > 0 ||
    rows.some(({ cells }) => cells.some(({ state, fault }) => state === 'missing' || fault !== null))
  const ended = { exitCode: isFaulty ? exitCodes.faults : exitCodes.fine }
  const terminal = output()
  if (options.json) {
    terminal.write(jsonText(jsonReport({}, { stages, stagesWithOtherFaults: others, variables: shown }, !isFaulty)))
    return ended
  }
  if (shown.length > 0) terminal.write(`${rowsText(shown, stages, terminal.width, terminal.paint)}\n\n`)
  const same = rows.length - shown.length
  const rest = options.all
    ? ''
    : same > 0
      ? ` ${counted(same, 'other')} ${same === 1 ? 'is' : 'are'} the same in all: --all shows ${same === 1 ? 'it' : 'them'}.`
      : ''
  const differing = rows.filter(({ differs }) => differs).length
  const shared = rows.filter(({ cells }) => cells.some(({ sameSecretAs }) => sameSecretAs.length > 0)).length
  const sentences = [
    ...others.map((stage) => `Stage ${stage} has other faults. Run: mappa check --stage ${stage}`),
    ...(shared > 0
      ? [`${counted(shared, 'secret')} ${shared === 1 ? 'is' : 'are'} the same in more than one stage.`]
      : []),
    `${capitalized(counted(differing, 'variable'))} ${differing === 1 ? 'differs' : 'differ'}.${rest}`,
    ...notes,
  ]
  for (const text of sentences) terminal.write(`${paragraph(text, terminal.width)}\n`)
  return ended
}

async function againstHost(project: SoundProject, stages: readonly string[], options: CompareOptions): Promise<Ended> {
  if (stages.length > 1 || (stages.length === 1 && options.stage !== undefined))
    throw new UsageError('--host compares one stage, for example: mappa compare production --host host.json')
  const stage = stages[0] ?? options.stage
  if (stage === undefined)
    throw new UsageError("--host needs the host's stage, for example: mappa compare production --host host.json")
  const stageFrom = stages.length > 0 ? 'the command line' : '--stage'
  const { found } = await surveyProject(project, { ...options, stage, stageFrom, environment: {} })
  const answer = await hostText(options, found)
  const names = 'text' in answer ? hostNames(answer.text) : undefined
  const texts = 'text' in answer && options.values ? hostTexts(answer.text) : undefined
  if (names === undefined || (options.values && !texts)) {
    const why =
      'why' in answer
        ? answer.why
        : names === undefined
          ? "The host's variables must be JSON or layer text."
          : 'The host lists only names, so values cannot be compared. Omit --values.'
    talk().write(`${why}\nNothing was compared.\n`)
    return { exitCode: exitCodes.faults }
  }
  const variables = variablesOf(project.definition, found.stage.name)
  const { both, elsewhere, ...report } = compareHost(found, variables, names)
  // The host's texts are read as its processes read them: from their environment.
  const there = texts && (await surveyProject(project, { ...options, stage, stageFrom, environment: texts })).found
  const values = there ? compareValues(found, there, variables) : []
  const faults = [...report.faults, ...(there ? faultsOnHost(there, texts ?? {}) : [])]
  const reported = { stage: found.stage, faults, notices: report.notices }
  const terminal = output()
  if (options.json) terminal.write(jsonText(jsonReport(reported, { both, elsewhere, ...(there && { values }) })))
  else {
    terminal.write(reportText(reported, terminal))
    const sentences = [
      ...(both.length > 0 ? [`Set in both; the host wins: ${both.join(', ')}.`] : []),
      ...values.map(
        ({ name, host, layers, layer }) =>
          `${name} is ${host || 'empty'} on the host, but ${layers || 'empty'} here (${layer}).`,
      ),
      ...(elsewhere.length > 0 ? [`Not set on the host; a layer or default applies: ${elsewhere.join(', ')}.`] : []),
    ]
    for (const text of sentences) terminal.write(`${paragraph(text, terminal.width)}\n`)
  }
  return { exitCode: faults.length > 0 ? exitCodes.faults : exitCodes.fine }
}
