import type { Legend, Survey, Variable } from 'mappa'
import { counted } from '../../declared/counted.js'
import { obtainLines } from '../../declared/sentences.js'
import { hiddenValues } from '../../edits/hidden-values.js'
import { diffText } from '../../terminal/diff.js'
import { paragraph } from '../../terminal/paragraph.js'
import type { Terminal } from '../../terminal/terminal.js'
import type { Filled, LayerChange } from './changes.js'

/** The result of a run of `fill`. */
interface Done {
  readonly filled: readonly Filled[]
  readonly changes: readonly LayerChange[]
  /** Variables that are still missing. */
  readonly left: readonly Variable[]
  readonly found: Survey
  readonly place: (variable: Variable) => string
  /** True if variables were named, so that others may still be lacking. */
  readonly named: boolean
  readonly definition: Legend
}

/** How to give values without a terminal. */
const howToGive = 'On a terminal, mappa fill asks for each. From a file: mappa fill --from FILE'

/** The summary of written and missing values. `asked` says whether a person could answer. */
export function filledText(
  { filled, changes, left, found, place, named, definition }: Done,
  terminal: Terminal,
  asked: boolean,
): string {
  const stage = found.stage.name
  const lines: string[] = []
  // A file that was there is shown as it changes, without the secrets around that; of a new one its name says enough.
  const edited = changes.flatMap(({ path, before, after }) =>
    before === null ? [] : [{ path, before: found.mask(before), after: found.mask(after) }],
  )
  const hidden = [...filled.flatMap(({ secret, text }) => (secret ? [text] : [])), ...hiddenValues(edited, definition)]
  if (edited.length > 0) lines.push(diffText(edited, hidden, terminal).trimEnd(), '')
  const say = (text: string) => lines.push(paragraph(text, terminal.width))
  if (filled.length > 0) {
    const files = [...new Set(filled.map(({ file }) => file))]
    const namesIn = (file: string) => filled.flatMap((each) => (each.file === file ? [each.name] : [])).join(', ')
    say(`Wrote ${counted(filled.length, 'value')}: ${files.map((file) => `${file} (${namesIn(file)})`).join(', ')}.`)
    const above = filled.filter(({ name }) => found.trail(name).winner?.source === 'environment')
    if (above.length > 0) say(`The process environment overrides ${above.map(({ name }) => name).join(', ')} here.`)
  }
  if (left.length === 0) {
    if (filled.length === 0 && !named) say(`Stage ${stage} has no missing values on this machine.`)
    else if (filled.length === 0) say(`Nothing was written.${asked ? '' : ` ${howToGive}`}`)
    return `${lines.join('\n')}\n`
  }
  // On a deployed stage, a file of this machine helps nobody.
  const isHere = stage === 'development' || stage === 'test'
  say(`Missing in stage ${stage}:`)
  for (const variable of left) {
    lines.push(
      `    ${variable.name} → ${place(variable)}${isHere || !variable.secret ? '' : ` (deployed: set it on the ${stage} host)`}`,
    )
    for (const each of obtainLines(variable).map((line) => `        ${line}`)) lines.push(each)
  }
  if (!asked) say(howToGive)
  return `${lines.join('\n')}\n`
}
