import type { Paint } from 'mappa'
import { row } from '../../terminal/paragraph.js'
import { widest } from '../../terminal/widest.js'
import type { Cell, Row } from './stages.js'

/** Columns narrower than this break values into shreds. */
const columnMin = 20
const gap = 2

/** Rows as a table, or one below the other where the terminal is too narrow for that. */
export function rowsText(rows: readonly Row[], stages: readonly string[], width: number, paint: Paint): string {
  const longest = widest(rows.map(({ name }) => name)) + gap
  const room = Math.floor((width - longest) / stages.length)
  return room >= columnMin ? tableText(rows, stages, longest, room, paint) : stackedText(rows, paint)
}

function tableText(rows: readonly Row[], stages: readonly string[], first: number, room: number, paint: Paint): string {
  const line = (name: string, cells: readonly string[]) =>
    row([{ text: name, width: first }, ...cells.map((text) => ({ text, width: room, behind: gap }))])
  return [
    line('', stages.map(paint.bold)),
    ...rows.map(({ name, cells }) =>
      line(
        name,
        cells.map((cell) => cellText(cell, paint, room - gap)),
      ),
    ),
  ].join('\n')
}

function stackedText(rows: readonly Row[], paint: Paint): string {
  return rows
    .map(({ name, cells }) => {
      const width = widest(cells.map(({ stage }) => stage))
      const lines = cells.map((cell) => `    ${cell.stage.padEnd(width)}  ${cellText(cell, paint)}`)
      return [paint.bold(name), ...lines].join('\n')
    })
    .join('\n\n')
}

function cellText({ state, shown, fault, sameSecretAs }: Cell, paint: Paint, room = Number.POSITIVE_INFINITY): string {
  if (state === 'missing') return paint.fault('missing')
  if (state === 'not-asked') return paint.dim('not asked')
  if (state === 'unset') return fault ? paint.fault(fault) : paint.dim('not set')
  const text = shown === '' ? '(empty)' : broken(cut(shown as string), room)
  const marks = [
    ...(state === 'default' ? ['default'] : []),
    ...(fault ? [fault] : []),
    ...(sameSecretAs.length > 0 ? [`as in ${sameSecretAs.join(', ')}`] : []),
  ]
  const whole = marks.length > 0 ? `${text}, ${marks.join(', ')}` : text
  return fault
    ? paint.fault(whole)
    : sameSecretAs.length > 0
      ? paint.notice(whole)
      : state === 'default'
        ? paint.dim(whole)
        : whole
}

/** Longer values would push everything else off the screen; `--json` and `trace` have them whole. Characters. */
const shownMax = 240

function cut(text: string): string {
  return text.length > shownMax ? `${text.slice(0, shownMax)}…` : text
}

/** Addresses and lists have no blanks to break at, so they break behind what divides them: items before all else. */
function broken(text: string, room: number): string {
  if (text.includes(' ')) return text
  const lines: string[] = []
  let rest = text
  while (rest.length > room) {
    const start = rest.slice(0, room)
    const ends = dividers.map((divider) => start.search(divider) + 1)
    const end = ends.find((each, at) => each > (at === 0 ? 0 : room / 2)) ?? room
    lines.push(rest.slice(0, end))
    rest = rest.slice(end)
  }
  return [...lines, rest].join('\n')
}

/** The last character of each kind that divides a value. */
const dividers = [/[,;|](?!.*[,;|])/, /[/?&](?!.*[/?&])/, /[.:=_-](?!.*[.:=_-])/]
