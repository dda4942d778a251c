import { counted } from '../declared/counted.js'
import type { Candidate } from '../guess/finding.js'
import { listedNames, stayingLines } from './candidates-text.js'
import type { Held, LiftedFile } from './change.js'

/** What was done, by file, what was left and why, and how to undo it: one screen. */
export function summaryText(
  moved: readonly Candidate[],
  held: readonly Held[],
  unsure: readonly Candidate[],
  changes: readonly LiftedFile[],
  { wrap }: { readonly wrap: (text: string, indent: number) => string },
): string {
  const secrets = moved.filter(({ secret }) => secret).length
  const among =
    secrets === 0 ? '' : moved.length === 1 ? ' (secret)' : ` (${secrets} ${secrets === 1 ? 'secret' : 'secrets'})`
  const sites = moved.flatMap((candidate) => candidate.sites)
  const read = sites.filter(({ form }) => form !== 'script' && form !== 'container')
  const sitesIn = (path: string) => read.filter((site) => site.path === path).length
  const code = changes.filter(({ path, before }) => before !== null && sitesIn(path) > 0)
  const rest = changes.filter((change) => !code.includes(change))
  const groups: readonly (readonly [string, readonly string[]])[] = [
    ['Code changed', code.map(({ path }) => `${path} (${sitesIn(path)})`)],
    ['New', pathsOf(rest, (change) => change.before === null && !change.secret)],
    ['Only on this machine (ignored)', pathsOf(rest, (change) => change.secret)],
    ['Changed', pathsOf(rest, (change) => change.before !== null && !change.secret)],
  ]
  const files = groups
    .filter(([, paths]) => paths.length > 0)
    .map(([what, paths]) => `    ${wrap(`${what}: ${paths.join(', ')}`, indent).replaceAll('\n', '\n        ')}`)
  const open = moved.flatMap(({ name, unproved }) => (unproved === undefined ? [] : [name]))
  const told = moved.flatMap(({ name, differences }) => (differences === undefined ? [] : [name]))
  const left = stayingLines(held, unsure, { wrap })
  return [
    `Moved ${counted(moved.length, 'setting')}${among}. Wrote ${counted(changes.length, 'file')}:`,
    ...files,
    ...(open.length > 0 ? [`    ${wrap(`Moved without a proof: ${open.join(', ')}`, indent)}`] : []),
    ...(told.length > 0 ? [`    ${wrap(`Other results for ill-formed texts: ${listedNames(told)}`, indent)}`] : []),
    ...(left.length > 0 ? ['', 'Not moved:', ...left] : []),
    '',
    'To undo: mappa undo',
    '',
  ].join('\n')
}

/** Reasons stand so far in. Columns. */
const indent = 8

function pathsOf(changes: readonly LiftedFile[], isIt: (change: LiftedFile) => boolean): readonly string[] {
  return changes.filter(isIt).map(({ path }) => path)
}
