import { type Place, printable } from 'mappa'
import type { Deviation } from '../../starts/told.js'
import { paragraph } from '../../terminal/paragraph.js'

/** A start in which code gets another value, with texts that may be shown. */
export interface ShownDeviation extends Omit<Deviation, 'text'> {
  readonly shown?: string
}

/** The lines about starts that give code another value, below a trail. */
export function startsText(deviations: readonly ShownDeviation[], width: number): string {
  if (deviations.length === 0) return ''
  const lines = deviations.map((each) =>
    paragraph(`    ${each.start} (${placeLine(each.place)}): ${said(each)}.`, width),
  )
  return `\n\nIn these starts it is different or not known:\n${lines.join('\n')}`
}

function placeLine({ file, line }: Place): string {
  return `${printable(file)}:${line}`
}

function said({ gets, shown, read, by, file }: ShownDeviation): string {
  const at = read ? ` in ${placeLine(read)}` : ''
  if (gets === 'nothing') return `code gets nothing${at}`
  if (gets === 'fallback')
    return shown === undefined ? `code uses its fallback${at}` : `code uses ${shown}, the fallback${at}`
  if (gets === 'other') return `code gets the value that ${by} takes from ${printable(file ?? '')}`
  if (gets === 'set') return shown === undefined ? 'it is set there' : `it is set to ${shown} there`
  return `not known: ${printable(by ?? '').replace(/^Where it runs, other/, 'where it runs, other')}`
}
