import { entriesOf, isName, type Legend, type Variable, variablesOf } from 'mappa'
import type { Words } from '../../declared/legend-edits.js'
import { wrongAnswer } from '../../edits/answer.js'
import { fileFor } from '../../edits/belongs.js'
import { adding } from '../../edits/plan.js'
import { type ChangeOptions, changed } from '../../project/changed.js'
import { changingOf } from '../../project/changing.js'
import { contradictions } from '../../project/project.js'
import { isAsked } from '../../terminal/terminal.js'
import { type Ended, UsageError } from '../../terminal/usage-error.js'

/** Options of `mappa add`: the words of an entry, and its first value. */
export interface AddOptions extends ChangeOptions {
  readonly words: Words
  readonly description?: string | undefined
  /** Its first value; not for secrets. */
  readonly value?: string | undefined
}

/** `mappa add NAME`: an entry, and its first value in the layer where it belongs. */
export async function add(given: string | undefined, options: AddOptions): Promise<Ended> {
  const canAsk = isAsked() && !options.apply && !options.json
  if (given === undefined && !canAsk)
    throw new UsageError('Name the variable, for example: mappa add LOG_LEVEL --type string')
  const name = given ?? (await (await import('./questions.js')).askName())
  if (!isName(name))
    throw new UsageError('A variable name has only letters, digits and underscores, and does not start with a digit.')
  if (options.value !== undefined && options.words.secret)
    throw new UsageError(
      `${name} is secret, but other processes can read the command line. Omit --value. Then run: mappa fill ${name}`,
    )
  const asks = canAsk && options.words.type === undefined
  const { words, description, value } = asks ? await (await import('./questions.js')).askEntry(name, options) : options
  return changed(options, (project, found) => {
    const { definition } = project
    if (Object.hasOwn(entriesOf(definition), name))
      throw new UsageError(`${name} is already in the legend. Run: mappa guide ${name}`)
    const own: Words = { type: 'string', ...words }
    const entry = { name, words: own, ...(description && { description }) }
    const whole = { ...definition, entries: { ...entriesOf(definition), [name]: entry.words } } as Legend
    const [wrong] = contradictions(whole).filter((fault) => fault.name === name)
    if (wrong) throw new UsageError(`${wrong.message}${wrong.remedy ? ` ${wrong.remedy}` : ''}\nNothing was written.`)
    const stage = found.stage.name
    const bad = value === undefined ? undefined : wrongAnswer(whole, stage, name, value)
    if (bad !== undefined) throw new UsageError(`${bad}\nNothing was written.`)
    const variable = variablesOf(whole, stage).find((each) => each.name === name) as Variable
    const differing = new Set(own.stages === undefined ? [] : [name])
    const file = fileFor(variable, { found, into: undefined, stageNamed: options.stage !== undefined, differing })
    const plan = adding(changingOf(project), entry, value === undefined ? undefined : { file, text: value })
    const hidden = own.secret && value !== undefined ? [value] : []
    return { plan, hidden, command: `mappa add ${name} …` }
  })
}
