import { reportText } from '../report/text.js'
import type { Fault } from '../settle/faults.js'
import type { Stage } from '../settle/stage.js'

/** Faults as a builder prints them. `consequence` says what did not happen because of them. */
export function bundleReport(stage: Stage, faults: readonly Fault[], consequence: string): string {
  return `\n${reportText({ stage, faults, notices: [] }, { consequence }).trimEnd()}`
}
