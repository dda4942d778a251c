import type { Paint } from 'mappa'
import { grouped } from '../code/grouped.js'
import { capitalized, counted } from '../declared/counted.js'
import type { Candidate } from '../guess/finding.js'
import type { Held } from './change.js'
import type { Found, UnparsedFile } from './lift.js'

/** Every candidate, and what could not be read. */
export function candidatesText(
  movable: readonly Candidate[],
  held: readonly Held[],
  unparsed: readonly UnparsedFile[],
  files: number,
  terminal: { readonly paint: Paint },
): string {
  const blocks = [
    ...movable.map((candidate) => candidateText(candidate, [], terminal)),
    ...held.map(({ candidate, why }) => candidateText(candidate, [`Not moved: ${why}`], terminal)),
    ...(unparsed.length > 0 ? [unparsedText(unparsed).trimEnd()] : []),
  ]
  const tally = capitalized(
    `${counted(movable.length + held.length, 'setting')} found in ${counted(files, 'file')}${held.length > 0 ? `, ${held.length} cannot be moved yet` : ''}.`,
  )
  return `${[...blocks, tally].join('\n\n')}\n\n`
}

/** What is another value afterwards, a line for each candidate; empty if nothing is. */
export function differencesText(
  candidates: readonly Candidate[],
  { wrap }: { readonly wrap: (text: string, indent: number) => string },
): string {
  const lines = candidates.flatMap(({ name, differences = [] }) => {
    const ends = grouped(differences, ({ text, was, now }) => {
      const before = was === JSON.stringify(text) ? 'stayed text' : `gave ${was}`
      return `${before}, now ${now}`
    })
    const said = [...ends].map(([end, texts]) => {
      const more = texts.length > textsMax ? ` and ${texts.length - textsMax} more` : ''
      return `${texts
        .slice(0, textsMax)
        .map(({ text }) => JSON.stringify(text))
        .join(', ')}${more} ${end}`
    })
    return said.length === 0 ? [] : [`  ${wrap(`${name}: ${said.join('; ')}`, 2).replaceAll('\n', '\n      ')}\n`]
  })
  return lines.length === 0 ? '' : `Other results for ill-formed texts:\n${lines.join('')}\n`
}

/** So many texts with one and the same end are shown. */
const textsMax = 3

/** Files that could not be parsed, a line each. */
export function unparsedText(unparsed: readonly UnparsedFile[]): string {
  return unparsed
    .map(({ path, line, column }) => `${path}:${line}:${column} cannot be parsed, so it was skipped.\n`)
    .join('')
}

/** The list of what lift leaves in place, with reasons; empty if there is nothing. */
export function leftText(apart: readonly string[], { templates, made }: Pick<Found, 'templates' | 'made'>): string {
  const shown = [
    ...apart.slice(0, leftCountMax).map((folder) => {
      const root = folder.replace(/\/$/, '')
      return `Skipped ${folder}, a separate package. Run: mappa lift --root ${root}`
    }),
    ...(apart.length > leftCountMax ? [`Skipped ${apart.length - leftCountMax} more packages.`] : []),
    ...(made.length > 0 ? [`Skipped generated files: ${someOf(made)}.`] : []),
    ...templates.map((folder) => `Skipped ${folder}, which contains templates to copy.`),
  ]
  return shown.map((line) => `${line}\n`).join('')
}

function someOf(paths: readonly string[]): string {
  return paths.length > 3 ? `${paths[0]} and ${paths.length - 1} more files` : paths.join(', ')
}

/** More are counted rather than named. */
const leftCountMax = 10

/** One candidate with its reason and its places; a secret is not shown. */
export function candidateText(
  { name, kind, secret, confidence, value, stages, reason, sites, entry, builtOn, asks }: Candidate,
  more: readonly string[],
  { paint }: { readonly paint: Paint },
): string {
  const known = value ?? (entry.default === undefined ? undefined : String(entry.default))
  const shown = known === undefined ? '' : secret ? '(secret)' : (known.split('\n', 1)[0] as string)
  const type = kind === 'variable' ? `variable, ${entry.type}` : kind
  const what = `${secret ? 'secret, ' : ''}${type}${confidence === 'low' ? ', low confidence' : ''}`
  const staged = Object.entries(stages).map(([stage, own]) => `    In ${stage}: ${secret ? '(secret)' : own}`)
  const asked = asks.filter((each) => each !== 'NODE_ENV' && each !== 'MAPPA_STAGE')
  const lines = [
    ...(builtOn === undefined ? [] : [`Its port is ${builtOn}.`]),
    reason,
    ...(asked.length > 0 ? [`Code chooses by ${asked.join(', ')}. After the move, MAPPA_STAGE names the stage.`] : []),
    ...more,
  ]
  const places = sites.map(({ path, line, column }) => `    ${path}:${line}:${column}`)
  const head = `${paint.bold(name)} ${paint.dim(`(${what})`)} ${shown}`.trimEnd()
  return [head, ...staged, ...lines.map((line) => `    ${line}`), ...places].join('\n')
}
