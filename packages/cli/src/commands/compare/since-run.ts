import { printable, type Survey, variablesOf } from 'mappa'
import { counted } from '../../declared/counted.js'
import { hostNames } from '../../delivery/host-report.js'
import { type HostOptions, hostText } from '../../delivery/host-text.js'
import {
  contradictions,
  openProject,
  ownStages,
  type Project,
  type ProjectOptions,
  type SoundProject,
  surveyProject,
} from '../../project/project.js'
import { jsonReport } from '../../terminal/json-report.js'
import { paragraph } from '../../terminal/paragraph.js'
import { jsonText, output, talk } from '../../terminal/terminal.js'
import { type Ended, exitCodes, UsageError } from '../../terminal/usage-error.js'
import { type BesideChange, besideChanges, besideLines } from './beside.js'
import { earlierProject } from './earlier.js'
import { changesSince, type StageAt, type StageChanges } from './since.js'
import { sinceMarkdown, sinceText } from './since-text.js'

/** Options of `mappa compare --since`. */
export interface SinceOptions extends ProjectOptions, HostOptions {
  readonly json?: boolean
  /** True if values of the host are compared, too, except secrets. */
  readonly values?: boolean
  /** The form of the report: text, or Markdown for a review. */
  readonly as?: 'text' | 'markdown'
}

/** `mappa compare --since REVISION`: what has changed since a commit, by stage, and what that asks of each host. */
export async function compareSince(
  project: SoundProject,
  named: readonly string[],
  options: SinceOptions,
  revision: string,
): Promise<Ended> {
  if (options.json && options.as === 'markdown') throw new UsageError('compare takes --json or --as, not both.')
  if (options.values) throw new UsageError('--values is for --host without --since.')
  const stages = stagesFor(project, named, options)
  if (options.host !== undefined && stages.length !== 1)
    throw new UsageError('--host takes one stage, for example: mappa compare production --since main --host host.json')
  const earlier = earlierProject(project.root, revision)
  if (!earlier)
    throw new UsageError(
      `No commit ${printable(revision)}. Name a commit or branch, for example: mappa compare --since main`,
    )
  try {
    const old = await openProject({ root: earlier.root, passing: true })
    const isSound = old.definition && contradictions(old.definition).length === 0
    if (old.legendFile !== undefined && !isSound) {
      talk().write(`The legend of commit ${earlier.commit} cannot be read.\n`)
      return { exitCode: exitCodes.faults }
    }
    const found: StageChanges[] = []
    const masks: ((text: string) => string)[] = []
    for (const stage of stages) {
      const now = await stageAt(project, stage)
      masks.push((text) => now.found.mask(text))
      const host = options.host === undefined ? undefined : await namesOnHost(options, now.found, project, stage)
      if (typeof host === 'string') {
        talk().write(`${host}\nNothing was compared.\n`)
        return { exitCode: exitCodes.faults }
      }
      const before =
        old.definition && isSound ? await stageAt({ ...old, definition: old.definition }, stage) : undefined
      found.push(changesSince(stage, before, now, host))
    }
    const lacking = found.flatMap(({ tasks }) => tasks.filter(({ kind }) => kind === 'give'))
    const beside = besideChanges(project.root, earlier.commit, project.definition, old.definition).map((each) => ({
      ...each,
      what: masks.reduce((text, mask) => mask(text), each.what),
    }))
    tell(found, { commit: earlier.commit, revision, beside }, options, lacking.length)
    return { exitCode: options.host !== undefined && lacking.length > 0 ? exitCodes.faults : exitCodes.fine }
  } finally {
    earlier.close()
  }
}

function tell(
  found: readonly StageChanges[],
  since: { readonly commit: string; readonly revision: string; readonly beside: readonly BesideChange[] },
  options: SinceOptions,
  lacking: number,
): void {
  const terminal = output()
  const isNamed = !/^[0-9a-f]{7,}$/.test(since.revision)
  const commit = isNamed ? `${since.commit} (${printable(since.revision)})` : since.commit
  if (options.json)
    terminal.write(
      jsonText(
        jsonReport(
          {},
          { since: since.commit, stages: found, beside: since.beside },
          options.host === undefined || lacking === 0,
        ),
      ),
    )
  else if (options.as === 'markdown') terminal.write(sinceMarkdown(found, commit, besideLines(since.beside)))
  else {
    terminal.write(`Since ${commit}\n\n${sinceText(found, terminal)}\n\n`)
    const beside = besideLines(since.beside).map((line) => `${paragraph(`  ${line}`, terminal.width)}\n`)
    if (beside.length > 0) terminal.write(`Exceptions, sources and starts\n${beside.join('')}\n`)
    const changed = new Set(found.flatMap(({ changes }) => changes.map(({ name }) => name))).size
    const hosts =
      options.host === undefined
        ? ''
        : lacking === 0
          ? ' The host lacks nothing.'
          : ` The host lacks ${counted(lacking, 'value')}.`
    const text = `${counted(changed, 'variable')} changed.${hosts}`
    terminal.write(`${paragraph(text, terminal.width)}\n`)
  }
}

function stagesFor(project: SoundProject, named: readonly string[], { stage }: SinceOptions): readonly string[] {
  const given = [...new Set([...named, ...(stage === undefined ? [] : [stage])])]
  return given.length > 0 ? given : ownStages(project)
}

/** A stage as a fresh clone has it. */
async function stageAt(project: Project & Pick<SoundProject, 'definition'>, stage: string): Promise<StageAt> {
  const options = { stage, stageFrom: 'the command line', environment: {}, cloned: true }
  const { found } = await surveyProject({ ...project, faults: [] }, options)
  return { variables: variablesOf(project.definition, stage), found }
}

async function namesOnHost(
  options: SinceOptions,
  found: Survey,
  project: SoundProject,
  stage: string,
): Promise<ReadonlySet<string> | string> {
  // Its token may be one of this machine's values, which no clone has.
  const own =
    options.tokenFrom === undefined
      ? found
      : (await surveyProject(project, { stage, stageFrom: 'the command line' })).found
  const answer = await hostText(options, own)
  if ('why' in answer) return answer.why
  const names = hostNames(answer.text)
  return names ? new Set(names) : "The host's variables must be JSON or layer text."
}
