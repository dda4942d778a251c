import { entriesOf, type Fault, printable, reportText, type Survey, type Trail } from 'mappa'
import { stageLine } from 'mappa/command'
import { takersOf } from '../../edits/plan.js'
import { capturedEnvironment, givenText } from '../../project/captured.js'
import { projectFiles } from '../../project/files.js'
import {
  exitCodeFor,
  legendsElsewhere,
  openProject,
  type Project,
  type ProjectOptions,
  surveyProject,
} from '../../project/project.js'
import { startsOfProject } from '../../project/starts-here.js'
import { deviationsOf } from '../../starts/told.js'
import { unseen } from '../../terminal/ask.js'
import { isAsked, jsonText, output, talk } from '../../terminal/terminal.js'
import { unknownVariable } from '../../terminal/unknown-variable.js'
import { exitCodes, UsageError } from '../../terminal/usage-error.js'
import { lastChange } from './blame.js'
import { traceJson } from './json.js'
import { type Origins, originText } from './origins.js'
import { type ShownDeviation, startsText } from './starts-text.js'
import { faultsFor, namesMatching } from './traced.js'
import { trailText } from './trail-text.js'

/** Options of `mappa trace`. */
export interface TraceOptions extends ProjectOptions {
  readonly json?: boolean
  /** `-`: whether the one variable has the value that is typed unseen, or comes on standard input. */
  readonly sameAs?: string
  /** A process environment captured elsewhere, in place of this one's: a file, or `-`. */
  readonly captured?: string | undefined
}

/** `mappa trace NAME…`: where values come from, and what they hide. A name may be a pattern, `ALERT_*`. Secrets are masked. */
export async function trace(
  wanted: readonly string[],
  options: TraceOptions,
): Promise<{ exitCode: number; cause?: string | undefined }> {
  const project = await openProject(options)
  const elsewhere = legendsElsewhere(project, 'trace')
  if (elsewhere !== undefined) talk().write(elsewhere)
  const { found } = await surveyProject(project, { ...options, ...(await capturedEnvironment(options.captured)) })
  if (options.sameAs !== undefined) return sameAs(wanted, found, options.sameAs)
  const names = [...new Set(wanted.flatMap((each) => namesMatching(each, found)))]
  const missed = wanted.find((each) => each.includes('*') && namesMatching(each, found).length === 0)
  if (missed !== undefined) throw new UsageError(`No variable matches ${missed}.`)
  const trails = names.map((name) => found.trail(name))
  const faults = faultsFor(found, names)
  const origins = new Map(trails.map((trail) => [trail.name, originsOf(trail, project, trails.length)]))
  const starts = deviationsIn(names, found, project)
  const terminal = output()
  const isKnown = ({ declared, steps }: Trail) => declared || steps.length > 0
  const stranger = trails.find((trail) => !isKnown(trail))
  // Without a legend that can be read, nothing is known of any name.
  if (stranger && faults.every(({ name }) => name !== undefined))
    throw new UsageError(
      project.definition ? unknownVariable(stranger.name, found.trails.keys()) : `No layer sets ${stranger.name}.`,
    )
  if (options.json) terminal.write(jsonText(traceJson(found, trails, faults, origins, starts)))
  else {
    const blocks = [
      stageLine(found.stage, terminal.paint),
      ...trails.flatMap((trail) => {
        if (!isKnown(trail)) return []
        const { width } = terminal
        const below = `${originText(origins.get(trail.name), width)}${startsText(starts.get(trail.name) ?? [], width)}`
        return [`${trailText(trail, terminal, found.notAsked)}${below}`]
      }),
    ]
    terminal.write(`${blocks.join('\n\n')}\n`)
    if (faults.length > 0) terminal.write(`\n${faultText(found, faults, terminal)}`)
  }
  const isFine = trails.every(isKnown) && faults.length === 0
  return { exitCode: isFine ? exitCodes.fine : exitCodeFor(faults) || exitCodes.faults, cause: project.cause }
}

/** At most this many variables are searched for in code, which must be parsed. */
const namesLooked = 5

/** Finds where code takes a variable, and who last changed the line that counts. */
function originsOf({ name, winner }: Trail, { root, definition }: Project, count: number): Origins {
  const files = definition && count <= namesLooked ? projectFiles(root) : []
  const place = winner?.source === 'file' ? winner.place : undefined
  return {
    takers: definition ? takersOf({ files, definition }, name) : [],
    changed: place && count <= namesLooked ? lastChange(root, place.file, place.line) : undefined,
    line: place && `${place.file}:${place.line}`,
  }
}

/** The starts in which code gets another value than the trail says, by name. */
function deviationsIn(
  names: readonly string[],
  found: Survey,
  project: Project,
): ReadonlyMap<string, readonly ShownDeviation[]> {
  const all = startsOfProject(project, found, new Set(names))
  return new Map(
    names.map((name) => {
      const isSecret = entriesOf(project.definition)[name]?.secret === true
      return [
        name,
        deviationsOf(all, name).map(({ text, ...rest }) => ({
          ...rest,
          ...(text !== undefined && { shown: isSecret ? '(secret)' : `"${printable(found.mask(text))}"` }),
        })),
      ]
    }),
  )
}

/** Says whether a variable has a value, and nothing of either. */
async function sameAs(wanted: readonly string[], found: Survey, from: string): Promise<{ exitCode: number }> {
  const [name, ...more] = wanted
  if (name === undefined || more.length > 0 || name.includes('*') || from !== '-')
    throw new UsageError('--same-as - takes one variable. Type the other value unseen, or give it on standard input.')
  const text = found.texts.get(name)
  const typed = isAsked()
    ? await unseen(`Value to compare ${name} with`)
    : (await givenText('--same-as', '-')).replace(/\r?\n$/, '')
  output().write(text === undefined ? `No: ${name} has no value.\n` : text === typed ? 'Yes.\n' : 'No.\n')
  return { exitCode: text === typed ? exitCodes.fine : exitCodes.faults }
}

function faultText(found: Survey, faults: readonly Fault[], terminal: ReturnType<typeof output>): string {
  // The stage line stands above the trail already.
  return reportText({ stage: found.stage, faults, notices: [] }, terminal).split('\n\n').slice(1).join('\n\n')
}
