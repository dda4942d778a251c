import type { Fault, Notice, Place } from 'mappa'
import { Comparison, type Expected, type Gets, inBrackets } from './gets.js'
import { Packages } from './packages.js'
import { type ReadInStart, Runner } from './run-through.js'
import type { Load, Start, StartFiles } from './start.js'
import { startsOf } from './start-list.js'

/** What code gets in one start, by the names that it reads and that the layers of its stage give. */
export interface StartGets {
  readonly start: Start
  readonly gets: ReadonlyMap<string, Gets>
  /** Reads that test the text "false" for truth. */
  readonly truths: readonly ReadInStart[]
  /** Why what it runs is not known to its end. */
  readonly unknown: string | undefined
}

/** The stage that a start has, as far as it says so itself. */
export function stageOfStart({ program }: Start, stages: readonly string[]): string | undefined {
  const named = program.loads.find((load) => load.kind === 'mappa' && load.stage !== undefined) as
    | { stage?: string }
    | undefined
  const { sets } = program
  const words = [named?.stage, sets.get('MAPPA_STAGE'), sets.get('NODE_ENV')]
  return words.find((each) => each !== undefined && stages.includes(each))
}

/** The stages that starts name, but tests: those leave this machine's values out. */
export function stagesOfStarts(files: StartFiles, stages: readonly string[]): ReadonlySet<string> {
  return new Set(
    startsOf(files)
      .flatMap((start) => stageOfStart(start, stages) ?? [])
      .filter((stage) => stage !== 'test'),
  )
}

/** What the starts of a stage give code; `expected` is what its layers give. Starts that say no stage are those of development. */
export function startsAtStage(
  files: StartFiles,
  {
    stage,
    stages,
    expected,
  }: { readonly stage: string; readonly stages: readonly string[]; readonly expected: readonly Expected[] },
): readonly StartGets[] {
  const own = startsOf(files).filter((start) => (stageOfStart(start, stages) ?? 'development') === stage)
  const packages = new Packages(files)
  const runner = new Runner(files)
  const comparison = new Comparison(files, packages)
  const names = new Set(expected.map(({ name }) => name))
  return own.map((start): StartGets => {
    const run = runner.through(start.program, names)
    const gets = new Map<string, Gets>()
    // What cannot be followed may ask for any name; most tools of a project ask for none.
    if (run.unknown !== undefined && start.program.modules.length === 0 && isService(start))
      for (const { name } of expected) gets.set(name, { is: 'unknown', why: clause(run.unknown), read: undefined })
    for (const each of expected) {
      const isWritten = run.written.has(each.name)
      const all = run.reads
        .filter(({ name }) => name === each.name)
        .map((read): Gets => {
          const own = comparison.gets(start, each, read)
          // Code that sets it may do so before this read, or after.
          return isWritten && own.is !== 'same' ? { is: 'unknown', why: 'code may set it', read } : own
        })
      const worst = order.map((is) => all.find((one) => one.is === is)).find((one) => one !== undefined)
      if (worst) gets.set(each.name, worst)
    }
    const switches = expected.filter(({ isSwitch, text }) => isSwitch === true && text === 'false')
    const truths = switches.flatMap((each) =>
      run.reads.filter(
        (read) =>
          read.name === each.name &&
          isTruthTest(read.read) &&
          comparison.gets(start, each, { ...read, fallback: undefined }).is === 'same',
      ),
    )
    const isOpen = start.outer === 'elsewhere' ? 'Where it runs, other values may be set.' : undefined
    return { start, gets, truths, unknown: run.unknown ?? isOpen }
  })
}

/** Tells whether a start runs the application, as far as its name says. */
function isService({ form, program }: Start): boolean {
  const name = program.scripts.at(-1)
  return form === 'job'
    ? false
    : name === undefined || /^(?:start|dev|develop|serve|server|prod|production|preview)(?::|$)/.test(name)
}

function clause(sentence: string): string {
  return sentence.replace(/\.$/, '')
}

/** `if (read)`, `!read`, `read && …`, `read ? … : …`, `read || false`, `Boolean(read)` */
function isTruthTest({ node, parents }: ReadInStart['read']): boolean {
  const parent = parents.at(-1)
  if (!parent || node.type === 'ObjectProperty') return false
  if (/^(?:If|While|For)Statement$|^ConditionalExpression$/.test(parent.type)) return parent.test === node
  if (parent.type === 'UnaryExpression') return parent.operator === '!'
  if (parent.type === 'LogicalExpression') {
    const right = parent.right as { type?: string; value?: unknown }
    return (
      parent.left === node &&
      (parent.operator === '&&' || (parent.operator === '||' && right.type === 'BooleanLiteral'))
    )
  }
  const callee = parent.callee as { type?: string; name?: unknown } | undefined
  return parent.type === 'CallExpression' && callee?.name === 'Boolean'
}

/** Of several reads of a name the worst counts. */
const order = ['lost', 'other', 'unknown', 'set', 'same'] as const

/** Notices of switches that code tests for truth as text: one for each place. */
export function trueInCode(all: readonly StartGets[]): readonly Notice[] {
  const places = new Map(
    all.flatMap(({ truths }) =>
      truths.map((each) => [`${each.place.file}:${each.place.line}:${each.place.column}`, each] as const),
    ),
  )
  return [...places.values()].map(({ name, place, read }) => ({
    kind: 'true-in-code',
    name,
    message: `${name} is "false" in the layers, but this code takes every text for true.`,
    place,
    excerpt: { text: name, start: 0, end: name.length },
    remedy: `Write: process.env.${read.name} === 'true'`,
  }))
}

/** The faults of starts that are known to their ends: one for each start and cause. `layerOf` names the layer that gives a name. */
export function notLoaded(all: readonly StartGets[], layerOf: (name: string) => string): readonly Fault[] {
  return all.flatMap(({ start, gets, unknown }): Fault[] => {
    if (unknown !== undefined) return []
    const byCause = new Map<string, { readonly names: string[]; readonly first: Gets }>()
    for (const [name, each] of gets) {
      const cause = causeOf(each, layerOf(name))
      if (cause === undefined) continue
      const known = byCause.get(cause)
      if (known) known.names.push(name)
      else byCause.set(cause, { names: [name], first: each })
    }
    return [...byCause.values()].map(({ names, first }) => faultOf(start, names, first, layerOf))
  })
}

/** What faults of one start have in common; undefined for what is right, or not known. */
function causeOf(gets: Gets, layer: string): string | undefined {
  if (gets.is === 'other') return `other ${gets.file} ${layer}`
  if (gets.is !== 'lost') return undefined
  if (gets.after) return `late ${gets.read.place.file}`
  return readerIn(gets) ? `lost ${layer}` : 'lost'
}

/** Another reader that a start has, although it does not give the variable. */
function readerIn({ by }: Extract<Gets, { is: 'lost' }>) {
  return by.find((load) => load.kind !== 'mappa' && load.kind !== 'package' && (load.files?.length ?? 0) > 0) as
    | Extract<Load, { kind: 'files' | 'unknown' }>
    | undefined
}

function faultOf(start: Start, names: readonly string[], gets: Gets, layerOf: (name: string) => string): Fault {
  const [name = ''] = names
  const { place, line } = start
  return {
    kind: 'not-loaded',
    ...(names.length === 1 && { name }),
    message: sentenceOf(start, names, gets, layerOf),
    place,
    excerpt: { text: line, start: place.column - 1, end: Math.min(place.endColumn - 1, line.length) },
    remedy: remedyFor(start),
  }
}

/** At most this many names are listed. */
const startNamesMax = 4

function namesText(names: readonly string[]): string {
  const shown = names.slice(0, startNamesMax)
  if (names.length > startNamesMax) return `${shown.join(', ')} and ${names.length - startNamesMax} more`
  return shown.length < 2 ? (shown[0] ?? '') : `${shown.slice(0, -1).join(', ')} and ${shown.at(-1)}`
}

function capital(text: string): string {
  return text.charAt(0).toUpperCase() + text.slice(1)
}

function sentenceOf({ name }: Start, names: readonly string[], gets: Gets, layerOf: (name: string) => string): string {
  const what = namesText(names)
  const [first = ''] = names
  if (gets.is === 'other')
    return `${capital(name)} loads ${gets.file} with ${gets.by}, which gives code another value of ${what} than ${layerOf(first)}.`
  if (gets.is !== 'lost') return ''
  const at = inBrackets(gets.read.place)
  if (gets.after)
    return `Code reads ${what}${at}, but ${name} loads ${filesText(gets.after)} only later${inBrackets(gets.after.kind === 'mappa' ? undefined : gets.after.place)}.`
  const reader = readerIn(gets)
  if (reader)
    return `${capital(name)} loads ${filesText(reader)} with ${reader.by}${inBrackets(reader.place)}, but ${what} ${names.length === 1 ? 'comes' : 'come'} from ${layerOf(first)}.`
  return `Code reads ${what}${at} from process.env, but ${name} does not load the layers.`
}

function filesText(load: Load): string {
  if (load.kind === 'mappa') return 'the layers'
  return load.files && load.files.length > 0 ? load.files.join(' and ') : 'them'
}

/** The changed line of a start: the preload behind Node's word, or `mappa with` in front of another. */
export function changedCommand({ command, program: { at } }: Start): string | undefined {
  if (!at) return undefined
  return at.isNode
    ? `${command.slice(0, at.end)} --import mappa/preload${command.slice(at.end)}`
    : `${command.slice(0, at.start)}mappa with -- ${command.slice(at.start)}`
}

function remedyFor(start: Start): string {
  const changed = changedCommand(start)
  if (changed === undefined) return 'Start it with --import mappa/preload, or with: mappa with -- …'
  if (start.form === 'container') return `Write: command: ${changed}`
  const [, key = '"start"'] = /^the script (".*")$/s.exec(start.name) ?? []
  return `Write: ${key}: ${JSON.stringify(changed)}`
}

/** What a start gives code instead of what the layers of its stage give. */
export interface Deviation {
  /** The start as a person knows it. */
  readonly start: string
  readonly place: Place
  readonly gets: 'nothing' | 'fallback' | 'other' | 'set' | 'unknown'
  /** A fallback's text, or that which the start sets. It may be a secret. */
  readonly text?: string | undefined
  /** Where code reads it. */
  readonly read?: Place | undefined
  /** The reader that gives another value, and its file; or why it is not known. */
  readonly by?: string | undefined
  readonly file?: string | undefined
}

/** The starts in which code gets another value of a variable, or in which that is not known. */
export function deviationsOf(all: readonly StartGets[], name: string): readonly Deviation[] {
  return all.flatMap(({ start, gets, unknown }): Deviation[] => {
    const own = gets.get(name)
    if (!own || own.is === 'same') return []
    const known = { start: start.name, place: start.place }
    const read = 'read' in own ? own.read?.place : undefined
    if (own.is === 'set') return [{ ...known, gets: 'set', text: own.text }]
    if (own.is === 'unknown') return [{ ...known, gets: 'unknown', by: own.why, read }]
    // Where something else may set it, nothing is certain.
    if (unknown !== undefined) return [{ ...known, gets: 'unknown', by: clause(unknown), read }]
    return [{ ...known, read, ...instead(own) }]
  })
}

function instead(own: Gets): Pick<Deviation, 'gets' | 'text' | 'by' | 'file'> {
  if (own.is === 'other') return { gets: 'other', by: own.by, file: own.file }
  const fallback = own.is === 'lost' ? own.read.fallback : undefined
  if (fallback === undefined) return { gets: 'nothing' }
  return { gets: 'fallback', ...(fallback !== 'computed' && { text: fallback.text }) }
}
