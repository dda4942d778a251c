import cliui from 'cliui'
import type { Paint } from 'mappa'
import { aboutOf, aloneTitle, factsOf, type Guide, marksOf, summaryOf } from './guide.js'

/** The guide for a terminal: each variable with what it is for and its facts, in as many columns as there are. */
export function guideText(guide: Guide, width: number, paint: Paint): string {
  const ui = cliui({ width, wrap: true })
  const line = (text: string, indent: number) => ui.div({ text, width, padding: [0, 0, 0, indent] as const })
  line(`${paint.bold(guide.title)}${guide.stage === undefined ? '' : `, stage ${guide.stage}`}`, 0)
  line(`${summaryOf(guide)}.`, 0)
  for (const { name, variables } of guide.groups) {
    ui.div({ text: '' })
    line(paint.bold(name ?? aloneTitle), 0)
    for (const variable of variables) {
      ui.div({ text: '' })
      line(`${paint.bold(variable.name)}  ${paint.dim(marksOf(variable).join(', '))}`, 2)
      const about = aboutOf(variable)
      if (about !== '') line(about, 4)
      for (const { label, text } of factsOf(variable))
        ui.div(
          { text: paint.dim(label), width: labelWidth, padding: [0, 1, 0, 4] },
          { text, width: width - labelWidth },
        )
    }
  }
  return ui
    .toString()
    .split('\n')
    .map((each) => each.trimEnd())
    .join('\n')
}

/** Columns for labels with their indentation. */
const labelWidth = 19
