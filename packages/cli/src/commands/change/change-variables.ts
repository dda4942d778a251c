import { entriesOf, isName, type Legend, type Survey, surveyLayers, type Variable, variablesOf } from 'mappa'
import { gatherAt, nearest } from 'mappa/command'
import { adding, type Plan, removing, renaming, takersOf } from '../../change/plan.js'
import type { Word, Words } from '../../declared/legend-edits.js'
import { wrongAnswer } from '../../fill/answer.js'
import { fileFor } from '../../fill/belongs.js'
import { hiddenValues } from '../../fill/hidden-values.js'
import { changingOf } from '../../project/changing.js'
import { contradictions, openSound, type ProjectOptions, type SoundProject } from '../../project/project.js'
import { isAsked, talk } from '../../terminal/terminal.js'
import { exitCodes, UsageError } from '../../terminal/usage-error.js'
import { type CarryOptions, carryOut } from './carry-out.js'

/** Options that all three commands have. */
interface ChangeOptions extends ProjectOptions, CarryOptions {}

type Changed = Promise<{ exitCode: number; cause?: string | undefined }>

/** Options of `mappa rename`. */
export interface RenameOptions extends ChangeOptions {
  /** Whether the old name stays readable. */
  readonly formerly?: boolean
}

/** `mappa rename OLD NEW`: a variable's name in legend, layers, code and manifests at once. */
export async function rename(name: string, fresh: string, options: RenameOptions): Changed {
  return changed(options, (project) => {
    const entries = entriesOf(project.definition)
    refuseUnknown(name, entries)
    if (!isName(fresh))
      throw new UsageError('A name has letters, digits and underscores, and does not start with a digit.')
    if (Object.hasOwn(entries, fresh)) throw new UsageError(`The legend has an entry ${fresh} already.`)
    const plan = renaming(changingOf(project), name, fresh, options.formerly === true)
    return { plan, command: `mappa rename ${name} ${fresh}${options.formerly ? ' --formerly' : ''}` }
  })
}

/** `mappa remove NAME…`: takes variables out of legend, layers and what is made of them; refused while code takes them. */
export async function remove(names: readonly string[], options: ChangeOptions): Changed {
  return changed(options, (project) => {
    for (const name of names) refuseUnknown(name, entriesOf(project.definition))
    const changing = changingOf(project)
    const takers = names.flatMap((name) => takersOf(changing, name).map((place) => `    ${name} in ${place}`))
    if (takers.length > 0)
      return { refusal: `Code still takes what is to be removed:\n${takers.join('\n')}\nNothing was written.` }
    return { plan: removing(changing, names), command: `mappa remove ${names.join(' ')}` }
  })
}

/** Options of `mappa add`: the words of an entry, and its first value. */
export interface AddOptions extends ChangeOptions {
  readonly words: Words
  readonly description?: string | undefined
  /** Its first value; not for secrets. */
  readonly value?: string | undefined
}

/** `mappa add NAME`: an entry, and its first value in the layer where it belongs. */
export async function add(name: string, options: AddOptions): Changed {
  if (!isName(name))
    throw new UsageError('A name has letters, digits and underscores, and does not start with a digit.')
  if (options.value !== undefined && options.words.secret)
    throw new UsageError(
      `A secret cannot stand on the command line, where other processes can read it. Leave --value out; then: mappa fill ${name}`,
    )
  const asks = isAsked() && !options.apply && !options.json && options.words.type === undefined
  const { words, description, value } = asks
    ? await (await import('../../ask/entry.js')).askEntry(name, options)
    : options
  return changed(options, (project, found) => {
    const { definition } = project
    if (Object.hasOwn(entriesOf(definition), name))
      throw new UsageError(`The legend has an entry ${name} already. mappa guide ${name} shows it.`)
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

/** What a command makes of a project: a plan, or why not. */
type Made =
  | { readonly plan: Plan; readonly command: string; readonly hidden?: readonly string[] }
  | { readonly refusal: string }

async function changed(options: ChangeOptions, make: (project: SoundProject, found: Survey) => Made): Changed {
  const project = await openSound(options, 'Nothing was written.')
  if ('refused' in project) return { exitCode: exitCodes.faults, cause: project.cause }
  const { root, definition, legendFile } = project
  const told = options.stage === undefined ? {} : { stage: { name: options.stage, from: '--stage' } }
  const found = surveyLayers(definition, { ...gatherAt(root, definition, told), legendName: legendFile })
  try {
    const made = make(project, found)
    if ('refusal' in made) {
      talk().write(`${made.refusal}\n`)
      return { exitCode: exitCodes.faults }
    }
    // What names a variable that is gone, such as the address of a source, has to go first.
    const [broken] = contradictions(made.plan.definition, legendFile)
    if (broken) {
      talk().write(`${broken.message}${broken.remedy ? ` ${broken.remedy}` : ''} Nothing was written.\n`)
      return { exitCode: exitCodes.faults }
    }
    return await carryOut(
      {
        ...made.plan,
        root,
        found,
        command: made.command,
        hidden: [...(made.hidden ?? []), ...hiddenBoth(made.plan, definition)],
      },
      options,
    )
  } catch (error) {
    if (!(error instanceof RangeError)) throw error
    talk().write(`${error.message} Nothing was written.\n`)
    return { exitCode: exitCodes.faults }
  }
}

/** What neither the legend as it was nor as it comes to be lets be shown. */
function hiddenBoth({ changes, definition: after }: Plan, before: Legend): readonly string[] {
  const entries = { ...entriesOf(before), ...entriesOf(after) }
  return hiddenValues(changes, { ...before, entries } as Legend)
}

function refuseUnknown(name: string, entries: object): void {
  if (Object.hasOwn(entries, name)) return
  const shown = isName(name) ? name : 'What was named'
  const near = nearest(name, Object.keys(entries))
  throw new UsageError(`${shown} has no entry in the legend.${near ? ` Did you mean ${near}?` : ''}`)
}

/** The order in which an entry's words are written, whatever the order of the flags. */
const wordOrder =
  'type format items enum schemes secret reach fixed default optional as formerly file minimum maximum minLength maxLength pattern generate obtain'.split(
    ' ',
  )

/** Words of an entry from flags: numbers and switches as such, lists separated by commas. */
export function wordsFrom(flags: Readonly<Record<string, unknown>>): Words {
  const words: Record<string, Word> = {}
  const numeric = flags.type !== undefined && ['integer', 'number', 'port'].includes(String(flags.type))
  for (const word of wordOrder) {
    const given = flags[word]
    if (given === undefined) continue
    if (typeof given === 'boolean') words[word] = given
    else if (word === 'enum')
      words[word] = String(given)
        .split(',')
        .map((each) => valueOfType(each.trim(), flags.type))
    else if (word === 'schemes' || word === 'formerly')
      words[word] = String(given)
        .split(',')
        .map((each) => each.trim())
    else if (word === 'items') words[word] = { type: String(given) }
    else if (word === 'generate') words[word] = { bytes: Number(given), text: 'base64url' }
    else if (/^(?:min|max)(?:Length|Items)$/.test(word) || (numeric && /^m(?:in|ax)imum$|^multipleOf$/.test(word)))
      words[word] = numberFrom(word, String(given))
    else if (word === 'default') words[word] = valueOfType(String(given), flags.type)
    else words[word] = String(given)
  }
  return words
}

function numberFrom(word: string, text: string): number {
  const value = Number(text)
  if (text.trim() === '' || !Number.isFinite(value))
    throw new UsageError(`--${word.replace(/[A-Z]/g, (each) => `-${each.toLowerCase()}`)} takes a number.`)
  return value
}

/** A text of the command line as a legend writes a value of that type. */
function valueOfType(text: string, type: unknown): Word {
  if (type === 'boolean') return /^(?:true|yes|on|1)$/i.test(text)
  if (['integer', 'number', 'port'].includes(String(type)) && Number.isFinite(Number(text)) && text.trim() !== '')
    return Number(text)
  if (type === 'array') return text.split(',').map((each) => each.trim())
  return text
}
