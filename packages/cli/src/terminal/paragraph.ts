import { stripVTControlCharacters } from 'node:util'
import stringWidth from 'fast-string-width'
import { wrapAnsi } from 'fast-wrap-ansi'

/** A text broken between words; a word that is too long, such as an address to take, stays whole. */
export function paragraph(text: string, width: number): string {
  return linesOf(text, width, false).join('\n')
}

/** A text in a column: so many columns wide, with a space of its own in front of and behind it. */
export interface Column {
  readonly text: string
  readonly width: number
  readonly before?: number
  readonly behind?: number
}

/** Columns beside each other, each text broken inside of its own; ends with no line end. */
export function row(columns: readonly Column[]): string {
  const cells = columns.map(({ text, width, before = 0, behind = 0 }) => linesOf(text, width - before - behind, true))
  const height = cells.reduce((most, { length }) => Math.max(most, length), 0)
  return Array.from({ length: height }, (_, line) =>
    columns
      .map(({ width, before = 0 }, at) => {
        const text = cells[at]?.[line] ?? ''
        return ' '.repeat(before) + text + ' '.repeat(Math.max(0, width - before - widthOf(text)))
      })
      .join('')
      .trimEnd(),
  ).join('\n')
}

/** Most texts are plain, and each character is as wide as any: to find that out takes a fraction of measuring them. */
function isPlain(text: string): boolean {
  return /^[\x20-\x7e\n]*$/.test(text)
}

function widthOf(text: string): number {
  const shown = stripVTControlCharacters(text)
  return isPlain(shown) ? shown.length : stringWidth(shown)
}

function linesOf(text: string, width: number, hard: boolean): string[] {
  const lines = text.split('\n')
  if (lines.every((line) => widthOf(line) <= width)) return lines
  if (!isPlain(text)) return wrapAnsi(text, width, { hard }).split('\n')
  return lines.flatMap((line) => plainLines(line, width, hard))
}

function plainLines(text: string, width: number, hard: boolean): string[] {
  const lines: string[] = []
  let line = ''
  for (const word of text.split(' ')) {
    if (line !== '' && line.length + 1 + word.length > width) {
      lines.push(line)
      line = word
    } else line = line === '' ? word : `${line} ${word}`
    while (hard && line.length > width) {
      lines.push(line.slice(0, width))
      line = line.slice(width)
    }
  }
  return [...lines, line]
}
