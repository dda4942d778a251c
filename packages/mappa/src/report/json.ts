import type { Fault, Notice } from '../settle/faults/faults.js'
import type { AcceptedOccurrence } from '../settle/reading/read.js'
import type { Stage } from '../settle/stack/stage.js'
import { mustBeReported, type Reported } from './report-text.js'

/** The shape of a report as JSON. `version` changes when a member changes its meaning or goes. */
export interface JsonReport {
  readonly version: 2
  readonly ok: boolean
  readonly stage: { readonly name: string; readonly from: string | null }
  readonly faults: readonly Fault[]
  readonly notices: readonly Notice[]
  /** Faults and notices that the legend accepts. */
  readonly accepted: readonly AcceptedOccurrence[]
}

/** A report as plain data for `JSON.stringify`. Holds no secret. */
export function reportJson(reported: Reported): JsonReport {
  mustBeReported(reported, 'reportJson')
  const { stage, faults, notices, accepted = [] } = reported
  return { version: 2, ok: faults.length === 0, stage: stageJson(stage), faults, notices, accepted }
}

function stageJson({ name, from }: Stage): JsonReport['stage'] {
  return { name, from: from ?? null }
}
