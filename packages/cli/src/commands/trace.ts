import { type Fault, reportText, type Survey, type Trail } from 'mappa'
import { stageLine } from 'mappa/command'
import { capturedEnvironment } from '../project/captured.js'
import { exitCodeFor, openProject, type ProjectOptions, surveyProject } from '../project/project.js'
import { jsonText, output } from '../terminal/terminal.js'
import { exitCodes } from '../terminal/usage-error.js'
import { traceJson } from '../trace/json.js'
import { trailText, unknownText } from '../trace/text.js'
import { faultsFor, namesMatching } from '../trace/traced.js'

/** Options of `mappa trace`. */
export interface TraceOptions extends ProjectOptions {
  readonly json?: boolean
  /** A process environment captured elsewhere, in place of this one's: a file, or `-`. */
  readonly captured?: string | undefined
}

/** `mappa trace NAME…`: where values come from, and what they hide. A name may be a pattern, `ALERT_*`. Secrets are masked. */
export async function trace(
  wanted: readonly string[],
  options: TraceOptions,
): Promise<{ exitCode: number; cause?: string | undefined }> {
  const project = await openProject(options)
  const { found } = await surveyProject(project, { ...options, ...(await capturedEnvironment(options.captured)) })
  const names = [...new Set(wanted.flatMap((each) => namesMatching(each, found)))]
  const missed = wanted.filter((each) => each.includes('*') && namesMatching(each, found).length === 0)
  const trails = names.map((name) => found.trail(name))
  const faults = faultsFor(found, names)
  const terminal = output()
  const isKnown = ({ declared, steps }: Trail) => declared || steps.length > 0
  if (options.json) terminal.write(jsonText(traceJson(found, trails, faults)))
  else {
    const blocks = [
      stageLine(found.stage, terminal.paint),
      ...trails.flatMap((trail) => {
        if (isKnown(trail)) return [trailText(trail, terminal, found.notAsked)]
        // Without a legend that can be read, nothing is known of any name.
        return faults.some(({ name }) => name === undefined) ? [] : [unknownText(trail.name, found)]
      }),
      ...missed.map((pattern) => `No variable is called ${pattern}.`),
    ]
    terminal.write(`${blocks.join('\n\n')}\n`)
    if (faults.length > 0) terminal.write(`\n${faultText(found, faults, terminal)}`)
  }
  const isFine = trails.every(isKnown) && missed.length === 0 && faults.length === 0
  return { exitCode: isFine ? exitCodes.fine : exitCodeFor(faults) || exitCodes.faults, cause: project.cause }
}

function faultText(found: Survey, faults: readonly Fault[], terminal: ReturnType<typeof output>): string {
  // The stage line stands above the trail already.
  return reportText({ stage: found.stage, faults, notices: [] }, terminal).split('\n\n').slice(1).join('\n\n')
}
