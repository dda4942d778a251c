import { reportText } from '../report/text.js'
import type { Fault } from '../settle/faults/faults.js'
import type { Stage } from '../settle/stack/stage.js'

/** Faults as a builder prints them. `consequence` says what did not happen because of them, and `width` how wide they are. */
export function bundleReport(stage: Stage, faults: readonly Fault[], consequence: string, width?: number): string {
  const options = { consequence, ...(width !== undefined && { width }) }
  return `\n${reportText({ stage, faults, notices: [] }, options).trimEnd()}`
}
