import { type Reported, reportText } from 'mappa'
import { forget, jsonText, output, outputSoFar, talk } from './terminal.js'
import { exitCodes } from './usage-error.js'

/** Changes when a member of a report goes or changes its meaning. */
const reportVersion = 2

/** The JSON report of every command: `docs/json/report.schema.json`. `about` has the command's own fields. */
export function jsonReport(
  { stage, faults = [], notices = [] }: Partial<Reported>,
  about: Readonly<Record<string, unknown>> = {},
  ok = faults.length === 0,
): object {
  return {
    version: reportVersion,
    ok,
    stage: stage ? { name: stage.name, from: stage.from ?? null } : null,
    faults,
    notices,
    ...about,
  }
}

/** True if this run answers in JSON: then it always does. */
let isJson = false

/** Begins a run of the command. */
export function beginReport(json: boolean): void {
  isJson = json
  forget()
}

/** Faults that keep a command from its work: as JSON where that was asked for, else for a person. */
export function tellFaults(reported: Reported, consequence: string, cut = (text: string) => text): void {
  if (isJson) output().write(jsonText(jsonReport(reported)))
  else talk().write(cut(reportText(reported, { ...talk(), consequence })))
}

/** Ends a run that has printed nothing as JSON yet: with what was said, as a fault of wrong usage or of a refusal. */
export function endReport(exitCode: number): void {
  const { hasPrinted, said } = outputSoFar()
  if (!isJson || hasPrinted || exitCode === exitCodes.fine) return
  const kind = exitCode === exitCodes.usage ? 'usage' : 'refused'
  const message = said.trim().replace(/\s*\n\s*/g, ' ') || 'Nothing was done.'
  // No kind of the library: these are about the command line, not about settings.
  const faults = [{ kind, message }] as unknown as Reported['faults']
  output().write(jsonText(jsonReport({ faults })))
}
