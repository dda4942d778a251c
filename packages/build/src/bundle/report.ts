import { type Fault, reportText, type Stage } from 'mappa'

/** Faults as a builder prints them. `consequence` says what did not happen because of them, and `width` how wide they are. */
export function bundleReport(
  {
    stage,
    faults,
    root,
  }: { readonly stage: Stage; readonly faults: readonly Fault[]; readonly root: string | undefined },
  consequence: string,
  width?: number,
): string {
  const options = { consequence, ...(width !== undefined && { width }) }
  return `\n${reportText({ stage, faults, notices: [], root }, options).trimEnd()}`
}
