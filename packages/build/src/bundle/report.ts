import { type Fault, reportText, type Stage } from 'mappa'

/** Faults as a builder prints them. `consequence` says what did not happen because of them, and `width` how wide they are. */
export function bundleReport(stage: Stage, faults: readonly Fault[], consequence: string, width?: number): string {
  const options = { consequence, ...(width !== undefined && { width }) }
  return `\n${reportText({ stage, faults, notices: [] }, options).trimEnd()}`
}
