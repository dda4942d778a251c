import { type DocumentFault, printable, readLayer, type Variable } from 'mappa'
import { lineAndColumn } from '../code/place.js'
import { proseForm } from './declaration.js'
import { obtainLines, sentencesOf } from './sentences.js'

/** Path of the sample, from the root. */
export const samplePath = '.env.example'

/** The input of a sample. */
export interface Sampled {
  readonly variables: readonly Variable[]
  /** Names that have a value without anybody's doing, from layers that git holds. */
  readonly given: ReadonlySet<string>
}

/** A difference between a sample and its legend. */
export interface Difference {
  readonly message: string
  /** Its line in the sample; from 1. */
  readonly line?: number
}

/** Begins the lines that are made here; all others are a person's. */
const mark = '#:'
const head = [
  `${mark} The variables of this project, from the legend. Set those without # in front,`,
  `${mark} in .env.local or on the host. The others are optional or already have a value.`,
  `${mark} mappa sample writes the lines that begin with ${mark} and keeps the others (form ${proseForm}).`,
]

/** A part of a sample: a variable's own line, or a person's text. */
type Part = { readonly own: string } | NameLine

interface NameLine {
  readonly name: string
  /** True if a # stands before it. */
  readonly off: boolean
  readonly value: string
  readonly line: number
  /** The lines made here that stand directly above it. */
  readonly made: readonly string[]
}

/**
 * The sample of a legend: every variable with its sentences above it. Of a sample that is there, a person's comments and
 * values, and the order, are kept; a secret's value is not.
 */
export function sampleText({ variables, given }: Sampled, before = ''): string {
  const lineEnd = before.includes('\r\n') ? '\r\n' : '\n'
  const known = new Map(variables.map((variable) => [variable.name, variable]))
  const parts = inserted(
    renamedParts(before, variables).filter((part) => 'own' in part || known.has(part.name)),
    variables,
  )
  const lines = parts.flatMap((part): string[] => {
    if ('own' in part) return [part.own]
    const variable = known.get(part.name) as Variable
    return [...madeLines(variable), nameLine(variable, given, part)]
  })
  const body = withoutBlankRuns(lines)
  return `${[...head, ...(body.length > 0 ? ['', ...body] : [])].join('\n').replaceAll('\n', lineEnd)}${lineEnd}`
}

/** Names that a sample holds and that go, since they are no longer declared. */
export function droppedFrom({ variables }: Sampled, before: string): string[] {
  const known = new Set(variables.map(({ name }) => name))
  return renamedParts(before, variables).flatMap((part) => ('own' in part || known.has(part.name) ? [] : [part.name]))
}

/** A sample's parts, in which a variable that has another name now stands under that one. */
function renamedParts(text: string, variables: readonly Variable[]): Part[] {
  const parts = partsOf(text, variables)
  const there = new Set(parts.flatMap((part) => ('own' in part ? [] : [part.name])))
  const fresh = new Map(variables.flatMap(({ name, formerly }) => formerly.map((old) => [old, name] as const)))
  return parts.map((part) => {
    const name = 'own' in part ? undefined : fresh.get(part.name)
    return name === undefined || there.has(name) ? part : { ...(part as NameLine), name }
  })
}

/**
 * How a sample that is there differs from what it should be, name by name. The sentences above a name count word by word only in
 * the same form: better prose must not turn a check red.
 */
export function sampleDifferences(sampled: Sampled, before: string): Difference[] {
  const after = sampleText(sampled, before)
  if (after === before) return []
  const { variables } = sampled
  const isSameForm = before.includes(`(form ${proseForm})`)
  const known = new Map(variables.map((variable) => [variable.name, variable]))
  const saysAll = (name: string, made: readonly string[]) => {
    const said = made.join(' ').replace(/\s+/g, ' ')
    return entryTexts(known.get(name) as Variable).every((text) => said.includes(text))
  }
  const namesIn = (text: string) =>
    new Map(partsOf(text, variables).flatMap((part) => ('own' in part ? [] : [[part.name, part] as const])))
  const [old, fresh] = [namesIn(before), namesIn(after)]
  const secrets = new Set(variables.flatMap(({ name, secret }) => (secret ? [name] : [])))
  const found = [...new Set([...old.keys(), ...fresh.keys()])].flatMap((name): Difference[] => {
    const [was, is] = [old.get(name), fresh.get(name)]
    if (!was) return [{ message: `${name} is missing.` }]
    const { line } = was
    if (!is) return [{ message: `${name} is not in the legend.`, line }]
    return [
      ...((isSameForm ? was.made.join() === is.made.join() : saysAll(name, was.made))
        ? []
        : [{ message: `${name} has changed in the legend.`, line }]),
      ...(was.off === is.off
        ? []
        : [{ message: is.off ? `${name} is optional or already has a value.` : `${name} is required.`, line }]),
      ...((was.off !== is.off && !secrets.has(name)) || was.value === is.value
        ? []
        : [
            {
              message:
                is.value === ''
                  ? `${name} has a value that does not belong in a sample.`
                  : `${name} has another default.`,
              line,
            },
          ]),
    ]
  })
  if (found.length > 0 || !isSameForm) return found
  return [{ message: 'Comments or blank lines differ from what mappa sample writes.' }]
}

/** The texts of an entry that its sentences hold in any wording. */
function entryTexts({ description, obtain, examples, formerly, expects, default: fallback }: Variable): string[] {
  const limits = expects.match(/[^\s,]*[\d^$/:_][^\s,]*/g) ?? []
  const texts = [description?.replace(/[.!?\s]+$/, ''), obtain, fallback, ...examples, ...formerly, ...limits]
  return texts.flatMap((text) => (text ? [printable(text.replace(/\s+/g, ' ').trim())] : []))
}

/** A quote in a sample that never closes: it would swallow what is written behind it. */
export function openQuote(text: string): DocumentFault | undefined {
  return readLayer(text).faults.find(({ flaw }) => flaw === 'unclosed-quote')
}

/** Shorter texts are nobody's secret, and come in every second sentence. Characters. */
const hiddenMin = 4

/** Values in a sample that must not be there: those of secrets and of undeclared names. */
export function hiddenIn({ variables }: Sampled, text: string): string[] {
  const open = new Set(variables.filter(({ secret }) => !secret).map(({ name }) => name))
  return partsOf(text, variables).flatMap((part) =>
    'own' in part || open.has(part.name) ? [] : part.value.split('\n').filter((line) => line.length >= hiddenMin),
  )
}

function madeLines(variable: Variable): string[] {
  return [...sentencesOf(variable), ...obtainLines(variable)].map((text) => `${mark} ${text}`)
}

function nameLine(
  { name, secret, required, ...variable }: Variable,
  given: ReadonlySet<string>,
  was: NameLine,
): string {
  const off = !required || given.has(name)
  const kept = secret || was.off !== off ? '' : was.value
  const fallback = variable.default
  const own = fallback === undefined ? kept : writtenDefault(name, fallback)
  return `${off ? '# ' : ''}${name}=${own}`
}

/** A default as a layer has it. Behind a # it must fit on its line. */
function writtenDefault(name: string, value: string): string {
  if (/[\r\n]/.test(value)) return ''
  const layer = readLayer('')
  layer.set(name, value)
  return layer
    .toString()
    .slice(name.length + 1)
    .trimEnd()
}

/**
 * The parts of a sample without the lines that are made here. Each name has one line of its own: where it is assigned, else
 * where that is behind a #. Other lines that give it a value go, but for comments on names that are not secret.
 */
function partsOf(text: string, variables: readonly Variable[]): Part[] {
  const secrets = new Map(variables.map(({ name, secret }) => [name, secret]))
  const lines = text
    .replace(/^\ufeff/, '')
    .replaceAll('\r\n', '\n')
    .split('\n')
  const assigned = assignmentsIn(lines.join('\n'))
  const isMade = (at: number) => !assigned.has(at) && (lines[at] ?? '').startsWith(mark)
  // The best line of each name: an assignment, the one that was made here, the first one.
  const own = new Map<string, { readonly at: number; readonly rank: number }>()
  for (const [at, line] of lines.entries()) {
    const assignment = assigned.get(at)
    const { name } = assignment ?? commentedIn(line, secrets)
    const rank = assignment ? 2 : isMade(at - 1) ? 1 : secrets.has(name) ? 0 : -1
    if (name !== '' && rank > (own.get(name)?.rank ?? -1)) own.set(name, { at, rank })
  }
  const parts: Part[] = []
  let made: string[] = []
  for (let at = 0; at < lines.length; at++) {
    const line = lines[at] as string
    if (isMade(at)) {
      made.push(line)
      continue
    }
    const assignment = assigned.get(at)
    const { name, value } = assignment ?? commentedIn(line, secrets)
    if (own.get(name)?.at === at) parts.push({ name, value, off: !assignment, line: at + 1, made })
    else if (!assignment && !secrets.get(name)) parts.push({ own: line })
    at = assignment?.last ?? at
    made = []
  }
  return parts
}

/** The assignment behind a #. A sentence that begins like one is a comment, unless it gives a secret away. */
function commentedIn(line: string, secrets: ReadonlyMap<string, boolean>): { name: string; value: string } {
  const [, name = '', rest = ''] = /^#\s*(?:export\s+)?([A-Za-z_][A-Za-z0-9_]*)=(.*)$/.exec(line) ?? []
  const value = rest.trim()
  const isValue = secrets.get(name) || /^(?:"[^"]*"|'[^']*'|[^\s"']*)$/.test(value)
  return isValue ? { name, value } : { name: '', value: '' }
}

/** Assignments by the number of their first line, from 0: the name, the text of the value, and the last line. */
function assignmentsIn(text: string): Map<number, { name: string; value: string; last: number }> {
  const lineAt = (offset: number) => lineAndColumn(text, offset).line - 1
  const found = [...readLayer(text).ranges()].flatMap(([name, ranges]) =>
    ranges.map(({ nameStart, valueStart, valueEnd }) => {
      const value = text.slice(valueStart, valueEnd)
      return [lineAt(nameStart), { name, value, last: lineAt(valueEnd) }] as const
    }),
  )
  return new Map(found)
}

/** With a line for each variable that has none, behind the one that comes before it in the legend. */
function inserted(parts: readonly Part[], variables: readonly Variable[]): Part[] {
  const there = new Set(parts.flatMap((part) => ('name' in part ? [part.name] : [])))
  // Those that lack a line, by the one that has one and comes last before them.
  const behind = new Map<string | undefined, Part[]>()
  let last: string | undefined
  for (const { name } of variables) {
    if (there.has(name)) last = name
    else {
      const chain = behind.get(last) ?? []
      chain.push({ own: '' }, { name, value: '', off: false, line: 0, made: [] }, { own: '' })
      behind.set(last, chain)
    }
  }
  const taken = (name: string | undefined) => {
    const chain = behind.get(name) ?? []
    behind.delete(name)
    return chain
  }
  return [...taken(undefined), ...parts.flatMap((part) => ('name' in part ? [part, ...taken(part.name)] : [part]))]
}

/** No blank line first, last, or beside another, wherever a name came or went. */
function withoutBlankRuns(lines: readonly string[]): string[] {
  const kept = lines.filter((line, at) => line.trim() !== '' || (lines[at - 1] ?? '').trim() !== '')
  while (kept.at(-1)?.trim() === '') kept.pop()
  return kept
}
