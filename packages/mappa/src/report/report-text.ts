import { isStageName } from '../format/names.js'
import { must, whatIs } from '../legend/given.js'
import { type Fault, type Notice, printable } from '../settle/faults/faults.js'
import type { AcceptedOccurrence } from '../settle/reading/read.js'
import type { Stage } from '../settle/stack/stage.js'

/** Styles for parts of a report; each function wraps a text for its medium. */
export interface Paint {
  readonly bold: (text: string) => string
  readonly dim: (text: string) => string
  /** A fault, and what of a line it marks. */
  readonly fault: (text: string) => string
  /** A notice, and what of a line it marks. */
  readonly notice: (text: string) => string
}

/** Options of {@link reportText}. */
export interface TextOptions {
  /** Columns to fit into; 100 by default. */
  readonly width?: number
  /** Colours; none unless given. */
  readonly paint?: Paint
  /** Said at the end when there are faults: `Nothing was started.` */
  readonly consequence?: string
}

/** The part of a survey that is reported. */
export interface Reported {
  readonly stage: Stage
  readonly faults: readonly Fault[]
  readonly notices: readonly Notice[]
  /** Accepted faults and notices: the tally counts them. */
  readonly accepted?: readonly AcceptedOccurrence[]
  /** The root, named where values are missing: they may be in another. */
  readonly root?: string | undefined
}

const same = (text: string) => text
/** No colours at all. */
const plainPaint: Paint = { bold: same, dim: same, fault: same, notice: same }

const indent = '    '
/** Narrower terminals get lines this wide all the same: below it, breaking makes text harder to read. */
const widthMin = 40

/** @throws {TypeError} with a sentence, unless it is what a survey gives. */
export function mustBeReported(given: unknown, call: string): void {
  const isRight = typeof given === 'object' && given !== null && 'faults' in given && 'stage' in given
  must(
    isRight,
    `${call} takes a survey, but got ${whatIs(given)}. Write: ${call}(survey(definition, { from: import.meta.url }))`,
  )
}

/** Faults, then notices, each with its place and what to do, and a tally. Holds no secret. */
export function reportText(reported: Reported, options: TextOptions = {}): string {
  mustBeReported(reported, 'reportText')
  const { stage, faults, notices, accepted, root } = reported
  const isLacking = root !== undefined && faults.some(({ kind }) => kind === 'missing')
  const { paint = plainPaint, consequence } = options
  const width = Math.max(options.width ?? 100, widthMin)
  const blocks = [
    stageLine(stage, paint),
    ...faults.map((fault) => block(withLabel('Fault', fault), paint.fault, width)),
    ...notices.map((notice) => block(withLabel('Notice', notice), paint.notice, width)),
    ...(isLacking ? [wrap(`Looked for layer files in ${printable(root)}.`, width).join('\n')] : []),
    tally(faults.length, notices.length, accepted?.length) +
      (faults.length > 0 && consequence ? ` ${consequence}` : ''),
  ]
  return `${blocks.join('\n\n')}\n`
}

/** `Stage staging (from MAPPA_STAGE)` */
export function stageLine({ name, from }: Stage, paint: Paint = plainPaint): string {
  // An invalid stage name may be anything, such as a value in the wrong place.
  const shown = isStageName(name) ? name : '(not a stage name)'
  return `Stage ${paint.bold(shown)} ${paint.dim(from === undefined ? '(the default)' : `(from ${from})`)}`
}

/** `1 fault, 2 notices.`, or `1 fault, 2 notices; 3 accepted by the legend.` */
export function tally(faults: number, notices: number, accepted = 0): string {
  const rest = accepted > 0 ? `; ${accepted} accepted by the legend` : ''
  return capitalized(`${counted(faults, 'fault')}, ${counted(notices, 'notice')}${rest}.`)
}

/** `1 fault`, `2 faults`, `no faults` */
export function counted(count: number, noun: string): string {
  return `${count === 0 ? 'no' : count} ${noun}${count === 1 ? '' : 's'}`
}

/** As the start of a sentence. */
export function capitalized(text: string): string {
  return text.charAt(0).toUpperCase() + text.slice(1)
}

function block(report: Fault | Notice, mark: Paint['fault'], width: number): string {
  // Names of files and stages come from outside too, and a terminal must obey none of them.
  const lines = wrap(printable(report.message), width).map((line) => mark(line))
  const { place, excerpt, layer } = report
  const remedy = report.remedy && printable(report.remedy)
  if (place) lines.push(`${indent}${printable(place.file)}:${place.line}:${place.column}`)
  else if (layer && !report.message.toLowerCase().includes(layer.toLowerCase())) lines.push(indent + printable(layer))
  if (place && excerpt) {
    const room = width - indent.length
    const { text, start, end } = cut(excerpt, room)
    lines.push(indent + text, indent + ' '.repeat(start) + mark('^'.repeat(end - start)))
  }
  if (remedy) for (const each of remedyLines(remedy, width)) lines.push(each)
  return lines.join('\n')
}

function withLabel<Report extends Fault | Notice>(label: string, report: Report): Report {
  return { ...report, message: `${label}: ${report.message}` }
}

/** A remedy behind an arrow. A line or command that is pasted is never broken: `  → Run: mappa fill ALERT_TOKEN`. */
export function remedyLines(remedy: string, width: number): string[] {
  const parts = remedy.split(/ (?=(?:Run|Write|Set): )/)
  return parts.flatMap((part) => {
    const lines = /^(?:Run|Write|Set): /.test(part) ? [part] : wrap(part, width - indent.length)
    return lines.map((line, at) => (at === 0 ? `  → ${line}` : indent + line))
  })
}

/** The part of a long line that shows the start of what is marked. */
function cut(excerpt: { text: string; start: number; end: number }, room: number) {
  let { text, start, end } = excerpt
  if (start > room - 10) {
    const dropped = start - Math.floor(room / 3)
    text = `…${text.slice(dropped + 1)}`
    start -= dropped
    end -= dropped
  }
  if (text.length > room) text = `${text.slice(0, room - 1)}…`
  return { text, start, end: Math.max(start + 1, Math.min(end, room)) }
}

/** Breaks between words; a word that is too long, such as a path to paste, stays whole. */
export function wrap(text: string, width: number): string[] {
  const lines: string[] = []
  let line = ''
  for (const word of text.split(' ')) {
    if (line && line.length + 1 + word.length > width) {
      lines.push(line)
      line = word
    } else line = line ? `${line} ${word}` : word
  }
  return [...lines, line]
}
