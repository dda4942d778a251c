import { type Words, type WrittenEntry, withEntries, withStage } from '../../declared/legend-edits.js'
import type { Candidate } from '../../guess/finding.js'
import type { LiftedFile, Target } from '../change.js'

/** An entry's words, in the order in which people write them. */
export function wordsOfEntry({ kind, entry, reach }: Candidate): Words {
  const { neededIn, stageDefaults = {} } = entry
  const stages = Object.fromEntries([
    ...(neededIn ?? []).map((stage) => [stage, { optional: false }]),
    ...Object.entries(stageDefaults).map(([stage, value]) => [stage, { default: value }]),
  ])
  return {
    type: entry.type,
    ...(entry.type === 'array'
      ? { items: { type: 'string', ...(kind === 'address' && { format: 'uri' }) } }
      : kind === 'address' && { format: 'uri' }),
    ...(entry.enum && { enum: entry.enum }),
    ...(entry.secret && { secret: true }),
    ...(reach === 'browser' && { reach }),
    ...(entry.default !== undefined && { default: entry.default }),
    ...((entry.optional || neededIn) && { optional: true }),
    ...(Object.keys(stages).length > 0 && { stages }),
  }
}

/** A candidate's entry as it is written, with what comments say of it. */
export function writtenEntry(candidate: Candidate): WrittenEntry {
  const { description, obtain } = candidate.said ?? {}
  return {
    name: candidate.name,
    // Only what opens something is to be got from somewhere.
    words: { ...wordsOfEntry(candidate), ...(obtain !== undefined && candidate.secret && { obtain }) },
    ...(description !== undefined && { description: description.charAt(0).toUpperCase() + description.slice(1) }),
  }
}

/** The legend with an entry for each candidate; the entries that are there stay as they are. Stages that starts name are added. */
export function legendChange(path: string, candidates: readonly Candidate[], target: Target): LiftedFile {
  const before = target.read(path)
  const entries = candidates.filter(({ declared }) => !declared).map(writtenEntry)
  const whole = withEntries(path, before, entries)
  const after = (target.startedStages ?? []).reduce((text, stage) => withStage(path, text, stage, undefined), whole)
  return { path, before: before ?? null, after, secret: false }
}
