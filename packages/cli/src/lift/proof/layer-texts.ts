import type { Candidate } from '../../guess/finding.js'
import type { StartFiles } from '../../starts/start.js'
import { type StartGets, startsAtStage } from '../../starts/told.js'
import type { HeldTexts } from '../edit/held.js'
import { isRead } from './read-values.js'

/**
 * Variables that layer files hold already, where a start does not load those today: settings would give code their texts from then on. A
 * reader that is not known may give them, so that these move.
 */
export function provedOfLayers(
  candidates: readonly Candidate[],
  held: HeldTexts,
  { starts, stages }: { readonly starts: StartFiles; readonly stages: readonly string[] },
): readonly Candidate[] {
  const asked = candidates.filter((each) => mayMove(each) && held.has(each.name) && each.sites.some(isRead))
  if (asked.length === 0) return candidates
  const reasons = new Map<string, string>()
  for (const stage of stages) {
    const expected = asked.flatMap(({ name }) => {
      const own = layerTextIn(held, name, stage)
      // What is built on other variables is not worked out here.
      return own === undefined || own.text.includes('$') ? [] : [{ name, ...own }]
    })
    if (expected.length === 0) continue
    for (const start of startsAtStage(starts, { stage, stages, expected }))
      for (const { name, file } of expected) {
        const why = reasonFor(start, name, file)
        if (why !== undefined && !reasons.has(name)) reasons.set(name, why)
      }
  }
  return candidates.map((candidate) => {
    const why = reasons.get(candidate.name)
    return why === undefined || !mayMove(candidate) ? candidate : { ...candidate, unproved: why }
  })
}

function mayMove({ blocked, unproved, declared }: Candidate): boolean {
  return blocked === undefined && unproved === undefined && declared === undefined
}

/** The text that the layer files of a stage give a name, and the file that has it. */
function layerTextIn(held: HeldTexts, name: string, stage: string) {
  const files = [`.env.${stage}.local`, ...(stage === 'test' ? [] : ['.env.local']), `.env.${stage}`, '.env']
  const file = files.find((each) => held.get(name)?.has(each))
  return file === undefined ? undefined : { file, text: held.get(name)?.get(file) ?? '' }
}

function reasonFor({ start, gets }: StartGets, name: string, file: string): string | undefined {
  const own = gets.get(name)
  if (own?.is !== 'lost' && own?.is !== 'other') return undefined
  const now = own.is === 'other' ? `loads ${own.file}` : `does not load ${file}`
  return `${start.name.charAt(0).toUpperCase()}${start.name.slice(1)} ${now} today, but settings would give code the value in ${file}. Remove it there, or load it first. To move it anyway, run: mappa lift --only ${name} --unproved`
}
