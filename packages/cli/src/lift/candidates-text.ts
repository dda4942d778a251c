import type { Paint } from 'mappa'
import { grouped } from '../code/grouped.js'
import { counted } from '../declared/counted.js'
import type { Candidate } from '../guess/finding.js'
import type { Held } from './change.js'
import type { Found, UnparsedFile } from './lift.js'

/** How wide what is printed may be, and how it looks. */
interface Screen {
  readonly paint: Paint
  readonly width: number
  readonly wrap: (text: string, indent: number) => string
}

/** What there is, by file: the verdict first, then a row for each setting, and each reason for staying once. */
export function overviewText(
  sure: readonly Candidate[],
  staying: readonly Held[],
  unsure: readonly Candidate[],
  screen: Screen,
): string {
  const all = [...sure, ...staying.map(({ candidate }) => candidate), ...unsure]
  const secrets = sure.filter(({ secret }) => secret).length
  const files = new Set(all.flatMap(({ sites }) => sites.map(({ path }) => path))).size
  const moving = `${sure.length} move${sure.length === 1 ? 's' : ''}${secrets > 0 ? ` (${secrets} secret)` : ''}`
  const left = staying.length + unsure.length
  const verdict = `${counted(all.length, 'setting')} in ${counted(files, 'file')}: ${moving}, ${left} ${left === 1 ? 'stays' : 'stay'}.`
  const rows = [...sure.map((each) => rowOf(each, false)), ...staying.map(({ candidate }) => rowOf(candidate, true))]
  const texts = ({ cells: [name, kind, value], stages }: SettingRow) => [[name], [kind], [value, ...stages]]
  const widths = [0, 1, 2].map((at) =>
    rows.reduce((most, each) => (texts(each)[at] ?? []).reduce((more, text) => Math.max(more, text.length), most), 0),
  )
  const groups = grouped(rows, ({ file }) => file)
  const tables = [...groups]
    .sort(([one], [other]) => (one < other ? -1 : 1))
    .map(([file, own]) => `${file}\n${own.map((each) => rowText(each, widths, screen)).join('')}`)
  const stays = stayingLines(staying, unsure, screen)
  return [
    `${screen.paint.bold(verdict)}\n`,
    ...tables,
    ...(stays.length > 0 ? [`Not moved:\n${stays.map((line) => `${line}\n`).join('')}`] : []),
  ].join('\n')
}

interface SettingRow {
  readonly file: string
  /** Name, kind, value and places. */
  readonly cells: readonly [name: string, kind: string, value: string, places: string]
  /** Values of single stages. */
  readonly stages: readonly string[]
}

function rowOf({ name, kind, secret, value, stages, sites, entry }: Candidate, stays: boolean): SettingRow {
  const known = value ?? (entry.default === undefined ? '' : String(entry.default))
  const shown = (text: string) => (secret ? '(secret)' : (text.split('\n', 1)[0] as string))
  const file = sites[0]?.path ?? ''
  const own = sites.filter(({ path }) => path === file)
  const lines = [...new Set(own.map(({ line }) => line))]
  const more = sites.length - own.length
  const places = `${lines.slice(0, rowLinesMax).join(', ')}${lines.length > rowLinesMax ? ', …' : ''}${more > 0 ? ` +${more}` : ''}${stays ? '  stays' : ''}`
  const what = entry.type === 'array' && kind !== 'variable' ? `${kind} list` : kind
  return {
    file,
    cells: [name, secret ? 'secret' : what, known === '' ? '' : shown(known), places],
    stages: Object.entries(stages).map(([stage, text]) => `${stage}: ${shown(text)}`),
  }
}

/** More lines of one file are not shown. */
const rowLinesMax = 3

function rowText(
  { cells: [name, kind, value, places], stages }: SettingRow,
  widths: readonly number[],
  screen: Screen,
): string {
  const [names = 0, kinds = 0, values = 0] = widths
  const { paint, width } = screen
  const room = Math.min(Math.max(values, valueWidthMin), width - names - kinds - placesWidth - 8)
  const cut = (text: string) => (text.length > room ? `${text.slice(0, Math.max(0, room - 1))}…` : text)
  const lead = `  ${paint.bold(name.padEnd(names))}  ${kind.padEnd(kinds)}`
  // A narrow terminal has no room for values.
  if (room < valueWidthMin) return `${lead}  ${paint.dim(places)}`.trimEnd().concat('\n')
  const indent = ' '.repeat(names + kinds + 6)
  const more = stages.map((text) => `${indent}${paint.dim(cut(text))}\n`).join('')
  return `${lead}  ${cut(value).padEnd(room)}  ${paint.dim(places)}`.trimEnd().concat('\n', more)
}

/** Room for the lines of a row, and the least for its value. Columns. */
const placesWidth = 20
const valueWidthMin = 12

/** What stays, each reason once, with the names. */
export function stayingLines(
  held: readonly Held[],
  unsure: readonly Candidate[],
  { wrap }: { readonly wrap: (text: string, indent: number) => string },
): readonly string[] {
  // A reason may name its setting, in the command that moves it all the same.
  const reasons = grouped(held, ({ candidate, why }) => why.replaceAll(candidate.name, 'NAME'))
  const [first] = unsure
  const all: readonly (readonly [string, readonly string[]])[] = [
    ...[...reasons.values()].map((own) => [own[0]?.why ?? '', own.map(({ candidate }) => candidate.name)] as const),
    ...(first
      ? [[`Low confidence. Run: mappa lift --why ${first.name}`, unsure.map(({ name }) => name)] as const]
      : []),
  ]
  return all.flatMap(([why, names]) => [
    `    ${listedNames(names)}`,
    `        ${wrap(why, 8).replaceAll('\n', '\n        ')}`,
  ])
}

/** The first of many names, and how many more there are. */
export function listedNames(names: readonly string[]): string {
  const more = names.length > namesMax ? ` and ${names.length - namesMax} more` : ''
  return names.slice(0, namesMax).join(', ') + more
}

/** More names are counted. */
const namesMax = 6

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
