import { counted } from 'mappa/command'
import type { Held, LiftedFile } from './change.js'
import type { Candidate } from './finding.js'

/** What was done, by file, what was left and why, and how to undo it: one screen. */
export function summaryText(
  moved: readonly Candidate[],
  held: readonly Held[],
  unsure: readonly Candidate[],
  changes: readonly LiftedFile[],
  { versioned, wrap }: { readonly versioned: boolean; readonly wrap: (text: string, indent: number) => string },
): string {
  const secrets = moved.filter(({ secret }) => secret).length
  const among =
    secrets === 0
      ? ''
      : moved.length === 1
        ? ', a secret'
        : `, ${secrets} of them ${secrets === 1 ? 'a secret' : 'secrets'}`
  const widest = Math.min(40, Math.max(...changes.map(({ path }) => path.length)))
  const files = changes.map((change) => `    ${change.path.padEnd(widest)}  ${whatOf(change, moved)}`)
  const reasons = new Map<string, string[]>()
  for (const { candidate, why } of held) reasons.set(why, [...(reasons.get(why) ?? []), candidate.name])
  if (unsure.length > 0)
    reasons.set(
      `Nothing is certain about ${unsure.length === 1 ? 'it' : 'them'}. To move one: mappa lift --only ${unsure[0]?.name} --apply`,
      unsure.map(({ name }) => name),
    )
  const left = [...reasons].flatMap(([why, names]) => [
    `    ${listed(names)}`,
    `        ${wrap(why, indent).replaceAll('\n', '\n        ')}`,
  ])
  return [
    `${counted(moved.length, 'setting')} moved${among}. ${counted(changes.length, 'file')} written:`,
    ...files,
    ...(left.length > 0 ? ['', 'Left as they are:', ...left] : []),
    ...(versioned ? ['', `To undo: ${undoOf(changes)}`] : []),
    '',
  ].join('\n')
}

/** Reasons stand so far in. Columns. */
const indent = 8

/** More names are counted. */
const namesMax = 6

function listed(names: readonly string[]): string {
  const more = names.length > namesMax ? ` and ${names.length - namesMax} more` : ''
  return names.slice(0, namesMax).join(', ') + more
}

function whatOf({ path, before, secret }: LiftedFile, moved: readonly Candidate[]): string {
  const sites = moved.flatMap((candidate) => candidate.sites).filter((site) => site.path === path).length
  const what = sites > 0 ? counted(sites, 'place') : before === null ? 'new' : 'changed'
  return secret ? `${what}, for this machine alone` : what
}

/** Version control gives back what it knows; the rest was not there. */
function undoOf(changes: readonly LiftedFile[]): string {
  const quoted = (path: string) => (/^[\w./-]+$/.test(path) ? path : `'${path.replaceAll("'", "'\\''")}'`)
  const fresh = changes.filter(({ before }) => before === null).map(({ path }) => quoted(path))
  const known = changes.filter(({ before }) => before !== null)
  return [...(known.length > 0 ? ['git restore .'] : []), ...(fresh.length > 0 ? [`rm ${fresh.join(' ')}`] : [])].join(
    ' && ',
  )
}
