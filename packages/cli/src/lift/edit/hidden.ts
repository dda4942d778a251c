import type { Candidate, Finding } from '../../guess/finding.js'
import type { LiftedFile } from '../change.js'

/** Every text that must not be shown with some changes, the longest first: as values, and as they are written in code. */
export function hiddenTexts(
  secrets: readonly Finding[],
  moved: readonly Candidate[],
  changes: readonly LiftedFile[],
): string[] {
  const marked = moved.filter(({ secret }) => secret)
  const findings = [...secrets, ...marked.flatMap(({ sites }) => sites)]
  const written = findings.flatMap(({ path, literals }) => {
    const text = changes.find((change) => change.path === path)?.before
    return literals.map(({ start, end }) => text?.slice(start + 1, end - 1) ?? '')
  })
  const values = [...findings, ...marked].flatMap(({ value, stages = {} }) => [value ?? '', ...Object.values(stages)])
  // A manifest's scripts are text within text.
  const quoted = values.map((value) => JSON.stringify(value).slice(1, -1))
  return [...new Set([...values, ...quoted, ...written])]
    .flatMap((text) => text.split('\n'))
    .filter((line) => line !== '')
    .sort((a, b) => b.length - a.length)
}
