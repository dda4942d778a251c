import { relative, sep } from 'node:path'
import { printable, type Survey } from 'mappa'
import { stageLine } from 'mappa/command'
import { counted } from '../../declared/counted.js'
import { jsonReport } from '../../terminal/json-report.js'
import { paragraph } from '../../terminal/paragraph.js'
import type { Terminal } from '../../terminal/terminal.js'
import { widest } from '../../terminal/widest.js'
import { isOfPackage, type ProgramSeen, type Status, type Verdict, type Witnessed } from './compared.js'
import type { RawPlace } from './protocol.js'
import type { Loaded, ValueOrigin } from './seen-record.js'

/** Each status with its heading, in the order of the report, and how the tally counts it. */
const statuses: Readonly<Record<Status, { readonly heading: string; readonly tallied: string }>> = {
  different: { heading: 'Different from the layers', tallied: 'different' },
  undeclared: { heading: 'Read but not declared', tallied: 'undeclared' },
  unread: { heading: 'Never read', tallied: 'never read' },
  'as-declared': { heading: 'As declared', tallied: 'as declared' },
}

interface Shown {
  readonly root: string
  readonly terminal: Pick<Terminal, 'width' | 'paint'>
}

/** The table of a run, for a person. */
export function witnessText(witnessed: Witnessed, found: Survey, { root, terminal }: Shown): string {
  const { paint, width } = terminal
  const lines = (text: string) => paragraph(text, width)
  const mask = (text: string) => found.mask(text)
  const place = (raw: RawPlace | undefined) => (raw ? placeText(raw, root) : 'place unknown')
  const rows = (Object.keys(statuses) as Status[]).flatMap((status) => {
    const all = witnessed.verdicts.filter((verdict) => verdict.status === status)
    // What installed packages ask for by themselves is no part of the program.
    const own = status === 'undeclared' ? all.filter(({ isPackages }) => !isPackages) : all
    const others = all.filter((verdict) => !own.includes(verdict)).map(({ name }) => name)
    if (all.length === 0) return []
    const table = tableOf(own, status, place, mask, width)
    const rest = others.length === 0 ? [] : [lines(`  Only by packages: ${others.sort().join(', ')}`)]
    const heading =
      status === 'different' ? paint.fault(statuses[status].heading) : paint.bold(statuses[status].heading)
    return [[heading, ...table, ...rest].join('\n')]
  })
  const wholes = witnessed.wholes.filter(({ file }) => !isOfPackage(file))
  const packages = packagesOf([...witnessed.wholes, ...witnessed.handedOn])
  const notes = [
    ...wholes.map((each) => `Whole environment read: ${place(each)}. Any of its names may be used there.`),
    ...witnessed.handedOn
      .filter(({ file }) => !isOfPackage(file))
      .map((each) => `Whole environment handed to a child: ${place(each)}`),
    ...(packages.length === 0 ? [] : [`Whole environment read by packages: ${packages.join(', ')}`]),
  ]
  const tally = (Object.keys(statuses) as Status[]).flatMap((status) => {
    const count = witnessed.verdicts.filter((verdict) => verdict.status === status).length
    return count === 0 ? [] : [`${count} ${statuses[status].tallied}`]
  })
  const faults =
    found.faults.length === 0
      ? []
      : [`The layers have ${counted(found.faults.length, 'fault')} in this stage. Run: mappa check ${found.stage.name}`]
  // A program that reads around the layers gets them from outside.
  const isBare = witnessed.programs.length > 0 && witnessed.programs.every(({ loaded }) => loaded.length === 0)
  const remedy =
    isBare && witnessed.verdicts.some(({ status }) => status === 'different')
      ? [`  → Run: mappa with ${found.stage.name} -- …`]
      : []
  const blocks = [
    stageLine(found.stage, paint),
    ...rows,
    ...(notes.length === 0 ? [] : [notes.map(lines).join('\n')]),
    [programsText(witnessed, root, terminal), ...remedy].join('\n'),
    [
      ...faults.map(lines),
      `${tally.length === 0 ? 'Nothing was read' : tally.join(', ')}.`,
      paint.dim(lines('Not seen: what other languages and C code read, and values that a build fixed into a bundle.')),
    ].join('\n'),
  ]
  return `\n${blocks.join('\n\n')}\n`
}

/** Rows of name, value, what the layers say where that is different, and place; where they do not fit, places go below, then all. */
function tableOf(
  verdicts: readonly Verdict[],
  status: Status,
  place: (raw: RawPlace | undefined) => string,
  mask: (text: string) => string,
  width: number,
): string[] {
  const cells = verdicts.map((verdict): string[] => {
    const { name, said, read } = verdict
    const layers = said?.text === undefined ? 'no value' : `${short(said.shown ?? '')} (${said.from})`
    if (status === 'unread') return [name, said?.text === undefined ? 'no value' : layers]
    const got = `${gotText(verdict, mask)}${sourceText(read?.from, status, place)}`
    const where = read?.place ? place(verdict.place) : 'place unknown'
    return status === 'different' ? [name, `got ${got}`, `layers: ${layers}`, where] : [name, got, where]
  })
  const widths = [0, 1, 2].map((at) => widest(cells.map((row) => row[at] ?? '')))
  const line = (row: readonly string[]) =>
    `  ${row.map((cell, at) => (at === row.length - 1 ? cell : cell.padEnd(widths[at] ?? 0))).join('  ')}`
  const below = (row: readonly string[]) => row.map((cell) => `      ${cell}`)
  const layouts: readonly ((row: readonly string[]) => string[])[] = [
    (row) => [line(row)],
    (row) => [line(row.slice(0, -1)), ...below(row.slice(-1))],
    ([name = '', ...rest]) => [line([name]), ...below(rest)],
  ]
  const fits = (layout: (row: readonly string[]) => string[]) => cells.every((row) => widest(layout(row)) <= width)
  const layout = layouts.find(fits) ?? (layouts.at(-1) as (typeof layouts)[number])
  return cells.flatMap((row) => layout(row))
}

/** Names of the packages that places are in. */
function packagesOf(places: readonly RawPlace[]): string[] {
  const names = places.flatMap(({ file }) => {
    const [, name] = /^.*[\\/]node_modules[\\/]((?:@[^\\/]+[\\/])?[^\\/]+)/.exec(file) ?? []
    return name === undefined ? (isOfPackage(file) ? ['mappa'] : []) : [name.replaceAll('\\', '/')]
  })
  return [...new Set(names)].sort().map(printable)
}

const gotMax = 40

function short(text: string): string {
  const line = printable(text.replace(/\s+/g, ' '))
  return line.length > gotMax ? `${line.slice(0, gotMax - 1)}…` : line
}

function gotText({ read, said }: Pick<Verdict, 'read' | 'said'>, mask: (text: string) => string): string {
  const got = read?.got
  if (!got || got.is === 'unset') return 'nothing'
  if (got.is === 'empty') return 'empty text'
  if (got.text !== undefined) return short(mask(got.text))
  return said ? '(secret)' : 'a value'
}

/** Where a value is from, where that says more than the layers do. */
function sourceText(
  from: ValueOrigin | undefined,
  status: Status,
  place: (raw: RawPlace | undefined) => string,
): string {
  if (!from || status !== 'different') return from?.kind === 'code' ? ` (set in ${place(from.place)})` : ''
  if (from.kind === 'code') return ` (set in ${place(from.place)})`
  if (from.kind === 'loadEnvFile') return ` (loadEnvFile in ${place(from.place)})`
  if (from.kind === 'layer') return ' (its settings)'
  return from.kind === 'preload' ? ' (the preload)' : ' (its environment)'
}

function placeText({ file, line, column }: RawPlace, root: string): string {
  const inside = relative(root, file)
  const shown = file.startsWith(root + sep) ? inside.split(sep).join('/') : file
  return printable(`${shown}:${line}:${column}`)
}

function programsText(witnessed: Witnessed, root: string, { paint, width }: Shown['terminal']): string {
  const names = witnessed.programs.map(
    ({ script, isThread }) => `${scriptText(script, root)}${isThread ? ' (thread)' : ''}`,
  )
  const known = new Map<string, { readonly text: string; count: number }>()
  for (const [at, { loaded }] of witnessed.programs.entries()) {
    const name = names[at] as string
    const text =
      loaded.length === 0 ? 'nothing that loads layers' : loaded.map((each) => loadedText(each, root)).join('; ')
    const key = `${name}\n${text}`
    const one = known.get(key) ?? { text: `  ${name}: ${text}`, count: 0 }
    one.count++
    known.set(key, one)
  }
  const lines = [...known.values()].map(({ text, count }) =>
    paragraph(count === 1 ? text : `${text} (${count} times)`, width),
  )
  const unwatched = witnessed.unwatched.map((name) => `  ${printable(name)}: not watched`)
  const none = lines.length + unwatched.length === 0 ? ['  No process of Node was seen.'] : []
  return [paint.bold('Programs'), ...lines, ...unwatched, ...none].join('\n')
}

function scriptText(script: string | undefined, root: string): string {
  if (script === undefined) return 'code on the command line'
  return printable(script.startsWith(root + sep) ? relative(root, script) : script)
}

function loadedText(loaded: Loaded, root: string): string {
  if (loaded.kind === 'settings') {
    const [at] = loaded.frames
    return `settings of stage ${loaded.stage}${at ? ` (${placeText(at, root)})` : ''}`
  }
  if ('stage' in loaded) return `${loaded.kind === 'with' ? 'mappa with' : 'the preload'}, stage ${loaded.stage}`
  if (loaded.kind === 'envFile') return `node --env-file=${printable(loaded.file)}`
  const reader = loaded.kind === 'loadEnvFile' ? 'loadEnvFile' : 'another reader'
  return `${reader}, ${counted(loaded.count, 'variable')} (${placeText(loaded.place, root)})`
}

/** The same in the common shape of reports. */
export function witnessJson(witnessed: Witnessed, found: Survey, root: string): object {
  const mask = (text: string) => found.mask(text)
  const { stage, faults } = found
  const place = (raw: RawPlace | undefined) =>
    raw
      ? {
          file: raw.file.startsWith(root + sep) ? relative(root, raw.file).split(sep).join('/') : raw.file,
          line: raw.line,
          column: raw.column,
        }
      : null
  const isSame = witnessed.verdicts.every(({ status }) => status !== 'different')
  return jsonReport(
    { stage, faults },
    {
      variables: witnessed.verdicts.map((verdict) => ({
        name: verdict.name,
        status: verdict.status,
        got: verdict.read ? gotText(verdict, mask) : null,
        by: verdict.read?.by ?? null,
        from: verdict.read?.from?.kind ?? null,
        layers: verdict.said?.text === undefined ? null : (verdict.said.shown ?? null),
        origin: verdict.said?.from ?? null,
        place: place(verdict.place),
        packages: verdict.isPackages,
        reads: verdict.reads.map((each) => ({
          got: gotText({ read: each.read, said: verdict.said }, mask),
          from: each.read.from?.kind ?? null,
          place: place(each.place),
        })),
      })),
      wholes: witnessed.wholes.map(place),
      handedOn: witnessed.handedOn.map(place),
      programs: witnessed.programs.map(({ script, isThread, loaded }: ProgramSeen) => ({
        script: script ?? null,
        thread: isThread,
        loaded: loaded.map((each) => ({
          kind: each.kind,
          ...('stage' in each && { stage: each.stage }),
          ...('file' in each && { file: each.file }),
          ...('count' in each && { count: each.count }),
          ...('place' in each && { place: place(each.place) }),
          ...('frames' in each && { place: place(each.frames[0]) }),
        })),
      })),
      unwatched: witnessed.unwatched,
    },
    isSame,
  )
}
