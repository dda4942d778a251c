import MagicString from 'magic-string'
import { isHostName } from '../code/host-names.js'
import type { SourceFile } from '../code/parse.js'
import { ownStage } from '../code/stages/stage-tests.js'
import { type Script, scriptsOf } from '../starts/manifest.js'
import { type Assignment, commandsIn, type SimpleCommand } from '../starts/shell.js'
import type { Finding } from './finding.js'
import { givenVariable } from './variables.js'

/** Tells whether a file is a package's manifest, whose scripts may set variables. */
export function isPackageFile(path: string): boolean {
  return /(?:^|\/)package\.json$/.test(path)
}

/** Variables in front of the commands of a package's scripts: `PORT=4100 node server.js`. */
export function scriptsIn(file: SourceFile): Finding[] {
  const scripts = scriptsOf(file.text)
  return scripts.flatMap(({ name: script, command, start, end }) =>
    runIn(command).flatMap((part) => {
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

/** The commands that run something: settings without a command behind them are the shell's own. */
function runIn(command: string): SimpleCommand[] {
  return commandsIn(command).filter(({ words }) => words.length > 0)
}

/** Tells whether another script starts the same program for the same stage, without giving it this variable. */
function startsWithout(
  name: string,
  other: Script,
  { script, part, stage }: { script: string; part: SimpleCommand; stage: string | undefined },
): boolean {
  if (other.name === script || part.program === undefined) return false
  return runIn(other.command).some(
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
    const commands = runIn(command).filter(({ assignments }) => assignments.some(({ name }) => names.has(name)))
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
