import { parseExpression } from '@babel/parser'
import MagicString from 'magic-string'
import { isHostName } from '../../code/host-names.js'
import { type Node, nodesIn, type SourceFile } from '../../code/parse.js'
import { ownStage } from '../../code/stages/stage-tests.js'
import type { Finding } from '../../guess/finding.js'
import { givenVariable } from '../../guess/variables.js'

/** Tells whether a file is a package's manifest, whose scripts may set variables. */
export function isPackageFile(path: string): boolean {
  return /(?:^|\/)package\.json$/.test(path)
}

/** Variables in front of the commands of a package's scripts: `PORT=4100 node server.js`. */
export function scriptsIn(file: SourceFile): Finding[] {
  const scripts = scriptsOf(file.text)
  return scripts.flatMap(({ name: script, command, start, end }) =>
    commandsIn(command).flatMap((part) => {
      const stage = stageOf(script, part)
      const reason = `The script ${JSON.stringify(script)} sets it.`
      return part.assignments.filter(isMovable).map(({ name, value, written }) => {
        const other = scripts.find((each) => startsWithout(name, each, { script, part, stage }))
        const stuck = /[$`]|\\/.test(written)
          ? 'A script sets it to a value that only a shell can compute.'
          : other && `The script ${JSON.stringify(other.name)} runs the same command without it, but would get it, too.`
        return givenVariable(file, { name, value, stage, start, end, reason, stuck, form: 'script' })
      })
    }),
  )
}

/** Tells whether another script starts the same program for the same stage, without giving it this variable. */
function startsWithout(
  name: string,
  other: Script,
  { script, part, stage }: { script: string; part: SimpleCommand; stage: string | undefined },
): boolean {
  if (other.name === script || part.program === undefined) return false
  return commandsIn(other.command, true).some(
    (each) =>
      each.program === part.program &&
      !each.assignments.some((given) => given.name === name) &&
      (stage === undefined || (stageOf(other.name, each) ?? 'development') === stage),
  )
}

/**
 * The manifest with these variables taken out of its scripts. A program that takes all of them from settings is started as
 * it was, if its stage is known; any other is started with the values of its stage.
 */
export function withoutVariables(text: string, names: ReadonlySet<string>, taken: ReadonlySet<string>): string {
  const edited = new MagicString(text)
  for (const { name: script, command, start, end } of scriptsOf(text)) {
    const commands = commandsIn(command).filter(({ assignments }) => assignments.some(({ name }) => names.has(name)))
    if (commands.length === 0) continue
    const after = new MagicString(command)
    for (const part of commands) {
      const isMoved = (each: Assignment) => names.has(each.name) && isMovable(each)
      const stay = part.assignments.filter((each) => !isMoved(each))
      const stage = stageOf(script, part)
      const isTold = stage === undefined || stay.some(({ name }) => /^(?:NODE_ENV|MAPPA_STAGE)$/.test(name))
      const isTaken = isTold && part.assignments.filter(isMoved).every(({ name }) => taken.has(name))
      const lead = [...(stay.length > 0 ? part.setter : []), ...stay.map(({ text }) => text)]
      const run = isTaken ? [] : ['mappa', 'with', ...(stage === undefined ? [] : [stage]), '--']
      after.overwrite(part.start, part.commandStart, [...lead, ...run, ''].join(' '))
    }
    edited.overwrite(start, end, JSON.stringify(after.toString()))
  }
  return edited.toString()
}

interface Script {
  readonly name: string
  readonly command: string
  /** Its text in the manifest, with the quotes. */
  readonly start: number
  readonly end: number
}

/** The command of a package's script; undefined if there is none of that name. */
export function scriptOf(manifest: string, name: string): string | undefined {
  return scriptsOf(manifest).find((each) => each.name === name)?.command
}

/** The script by which a package is compiled or built: what only checks types comes first. */
export function buildScript(manifest: string): string | undefined {
  const usual = ['typecheck', 'type-check', 'check-types', 'check:types', 'types', 'tsc', 'build']
  return usual.find((name) => scriptOf(manifest, name) !== undefined)
}

/** The packages that a package is developed with, by their names without a scope. */
export function developedWith({ text }: SourceFile): ReadonlySet<string> {
  const names = manifestMembers(text, 'devDependencies').map(({ key }) => String((key as Node).value))
  return new Set(names.map((name) => name.replace(/^@[^/]+\//, '')))
}

/** The members of one of a manifest's objects; none if it is not there, or the manifest cannot be read. */
function manifestMembers(text: string, name: string): readonly Node[] {
  try {
    const manifest = parseExpression(text) as unknown as Node
    const found = nodesIn(manifest.properties).find(({ key }) => (key as Node).value === name)
    return nodesIn((found?.value as Node | undefined)?.properties)
  } catch {
    // The package manager reports it.
    return []
  }
}

function scriptsOf(text: string): Script[] {
  return manifestMembers(text, 'scripts').flatMap(({ key, value }) => {
    const command = value as Node
    if (command.type !== 'StringLiteral') return []
    return [
      { name: String((key as Node).value), command: command.value as string, start: command.start, end: command.end },
    ]
  })
}

interface Assignment {
  readonly name: string
  readonly value: string
  /** The value with its quotes, and the whole. */
  readonly written: string
  readonly text: string
}

/** One simple command of a script, with what is set in front of it. Offsets are into the script. */
interface SimpleCommand {
  readonly start: number
  readonly commandStart: number
  /** A program that does nothing but set them, such as `env`. */
  readonly setter: readonly string[]
  readonly assignments: readonly Assignment[]
  /** The source file that it starts, if it names one. */
  readonly program: string | undefined
}

/** A word of a shell command: pieces in quotes and out of them (POSIX.1-2017, Shell Command Language, 2.2). */
const word = /(?:[^\s'"&|;()<>\\]|\\.|'[^']*'|"(?:[^"\\]|\\.)*")+/y
const blank = /[ \t]*/y

/** A longer script is made by a program, and its patterns would need as deep a stack. Characters. */
const commandMax = 100_000

/** The commands that set something, or with `all` every one. */
function commandsIn(command: string, all = false): SimpleCommand[] {
  const found: SimpleCommand[] = []
  if (command.length > commandMax) return found
  let at = 0
  const read = (pattern: RegExp) => {
    pattern.lastIndex = at
    const text = pattern.exec(command)?.[0] ?? ''
    at += text.length
    return text
  }
  while (at < command.length) {
    read(blank)
    const start = at
    const assignments: Assignment[] = []
    let setter: string[] = []
    let commandStart = at
    for (let text = read(word); text !== ''; text = read(word)) {
      const [, name, written = ''] = /^([A-Za-z_][A-Za-z0-9_]*)=(.*)$/s.exec(text) ?? []
      if (name !== undefined) assignments.push({ name, written, value: unquoted(written), text })
      else if (assignments.length === 0 && /^(?:[a-z]+-)?env(?:-[a-z]+)?$/.test(text)) setter = [text]
      else break
      read(blank)
      commandStart = at
    }
    // Settings that stay in the shell, without a command behind them, are the shell's own.
    const isCommand = /[^\s&|;()<>]/.test(command[commandStart] ?? '')
    read(/(?:[^'"&|;]|'[^']*'|"(?:[^"\\]|\\.)*")*/y)
    const program = /(?:^|\s)(\S+\.[cm]?[jt]sx?)(?=\s|$)/.exec(command.slice(commandStart, at))?.[1] ?? undefined
    if ((assignments.length > 0 || all) && isCommand)
      found.push({ start, commandStart, setter, assignments, program: program?.replace(/^\.\//, '') })
    // A sign between commands; or a quote that never closes.
    at++
  }
  return found
}

function unquoted(written: string): string {
  return written.replace(
    /'([^']*)'|"((?:[^"\\]|\\.)*)"|\\(.)/g,
    (_, single?: string, double?: string, escaped?: string) =>
      single ?? double?.replace(/\\(["\\$`])/g, '$1') ?? escaped ?? '',
  )
}

function isMovable({ name }: Assignment): boolean {
  return !isHostName(name)
}

/** The stage of a command: what it sets for that, or what its script's name says. */
function stageOf(script: string, { assignments }: SimpleCommand): string | undefined {
  const assigned =
    assignments.find(({ name }) => name === 'MAPPA_STAGE') ?? assignments.find(({ name }) => name === 'NODE_ENV')
  if (assigned) return ownStage(assigned.value) ?? assigned.value
  const stages = script.split(/[^A-Za-z]+/).flatMap((each) => (each === 'stage' ? [] : (ownStage(each) ?? [])))
  return stages[0]
}
