import type { Paint } from 'mappa'
import { row } from '../../terminal/paragraph.js'
import { aboutOf, aloneTitle, factsOf, type Guide, marksOf, summaryOf } from './guide.js'

/** The guide for a terminal: each variable with what it is for and its facts, in as many columns as there are. */
export function guideText(guide: Guide, width: number, paint: Paint): string {
  const line = (text: string, before: number) => row([{ text, width, before }])
  const lines = [
    line(`${paint.bold(guide.title)}${guide.stage === undefined ? '' : `, stage ${guide.stage}`}`, 0),
    line(`${summaryOf(guide)}.`, 0),
  ]
  for (const { name, variables } of guide.groups) {
    lines.push('', line(paint.bold(name ?? aloneTitle), 0))
    for (const variable of variables) {
      lines.push('', line(`${paint.bold(variable.name)}  ${paint.dim(marksOf(variable).join(', '))}`, 2))
      const about = aboutOf(variable)
      if (about !== '') lines.push(line(about, 4))
      for (const { label, text } of factsOf(variable))
        lines.push(
          row([
            { text: paint.dim(label), width: labelWidth, before: 4, behind: 1 },
            { text, width: width - labelWidth },
          ]),
        )
    }
  }
  return lines.join('\n')
}

/** Columns for labels with their indentation. */
const labelWidth = 19
