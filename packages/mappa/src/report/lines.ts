import { type Fault, type Notice, printable } from '../settle/faults/faults.js'
import type { Reported } from './report-text.js'

/**
 * A report with a line for each fault and notice, `file:line:column: text`, as compilers print them, so that editors find
 * the place. Without a place, the layer or the stage is named.
 */
export function reportLines({ stage, faults, notices }: Reported): string {
  const line = (what: string, { message, remedy, place, layer }: Fault | Notice) => {
    const where = place ? `${place.file}:${place.line}:${place.column}` : (layer ?? `stage ${stage.name}`)
    return `${printable(`${where}: ${what}${message}${remedy === undefined ? '' : ` ${remedy}`}`)}\n`
  }
  return [...faults.map((fault) => line('Fault: ', fault)), ...notices.map((notice) => line('Notice: ', notice))].join(
    '',
  )
}
