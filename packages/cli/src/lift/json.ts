import type { Candidate } from '../guess/finding.js'
import type { Held } from './change.js'
import type { OtherFiles } from './other-files.js'
import type { Obligation } from './places/obligations.js'

/** The candidates of `lift --json`, and what other places need after the move: docs/json/lift.schema.json. */
export function liftJson(
  candidates: readonly Candidate[],
  held: readonly Held[],
  obligations: readonly Obligation[],
  { notExamined, keyShaped }: OtherFiles,
) {
  return {
    candidates: candidates.map((candidate) => candidateJson(candidate, held)),
    obligations,
    notExamined,
    keyShaped,
  }
}

/** The value of a secret is null. */
function candidateJson(
  { name, kind, entry, secret, reach, confidence, reason, value, stages, sites, builtOn, differences = [] }: Candidate,
  held: readonly Held[],
) {
  const why = held.find(({ candidate }) => candidate.name === name)?.why
  const { type, optional } = entry
  return {
    name,
    kind,
    type,
    secret,
    reach,
    optional,
    confidence,
    reason,
    value: secret ? null : (value ?? null),
    default: secret ? null : (entry.default ?? null),
    stages: secret ? Object.fromEntries(Object.keys(stages).map((stage) => [stage, null])) : stages,
    builtOn: builtOn ?? null,
    notMoved: why ?? null,
    differences,
    sites: sites.map(({ path, line, column }) => ({ file: path, line, column })),
  }
}
