import { readFileSync } from 'node:fs'
import { fileURLToPath } from 'node:url'
import { Command, CommanderError } from 'commander'
import { printable } from 'mappa'
import { stackOf, withoutCredentials } from 'mappa/command'
import { addCommand } from './commands/add/definition.js'
import { checkCommand } from './commands/check/definition.js'
import { compareCommand } from './commands/compare/definition.js'
import type { KnownCommand, Wanted } from './commands/completion/complete.js'
import { completionCommand } from './commands/completion/definition.js'
import type { CommandDefinition, Running } from './commands/definition.js'
import { emitCommand } from './commands/emit/definition.js'
import { fillCommand } from './commands/fill/definition.js'
import { guardCommand } from './commands/guard/definition.js'
import { guideCommand } from './commands/guide/definition.js'
import { initCommand } from './commands/init/definition.js'
import { liftCommand } from './commands/lift/definition.js'
import { listCommand } from './commands/list/definition.js'
import { removeCommand } from './commands/remove/definition.js'
import { renameCommand } from './commands/rename/definition.js'
import { sampleCommand } from './commands/sample/definition.js'
import { stampCommand } from './commands/stamp/definition.js'
import { traceCommand } from './commands/trace/definition.js'
import { typesCommand } from './commands/types/definition.js'
import { undoCommand } from './commands/undo/definition.js'
import { withCommand } from './commands/with/definition.js'
import { witnessCommand } from './commands/witness/definition.js'
import { wrongUsage } from './commands/wrong-usage.js'
import { Left } from './terminal/ask.js'
import { beginReport, endReport } from './terminal/json-report.js'
import { output, talk } from './terminal/terminal.js'
import { type Ended, exitCodes, UsageError } from './terminal/usage-error.js'
import { Interrupted } from './writing/interrupt.js'
import { beginWriting } from './writing/record.js'

/** Every command, by the task it is for, in the order of the help. */
const tasks: readonly (readonly [task: string, commands: readonly CommandDefinition[]])[] = [
  ['Start', [initCommand, liftCommand, fillCommand]],
  ['Look', [listCommand, traceCommand, compareCommand, guideCommand]],
  ['Check', [checkCommand, guardCommand, witnessCommand]],
  ['Change', [addCommand, renameCommand, removeCommand, undoCommand]],
  ['Run and hand on', [withCommand, emitCommand, stampCommand, sampleCommand, typesCommand]],
  ['More', [completionCommand]],
]

export const commands: readonly CommandDefinition[] = tasks.flatMap(([, each]) => each)

/** Runs the command line `mappa …` and sets the process's exit code. */
export async function run(args: readonly string[]): Promise<void> {
  // Words after a lone -- belong to another program.
  const split = args.indexOf('--')
  const own = split < 0 ? args : args.slice(0, split)
  const rest = split < 0 ? undefined : args.slice(split + 1)
  const debug = own.includes('--debug')
  beginReport(own.includes('--json'))
  try {
    process.exitCode = exitCodes.fine
    const finish = ({ exitCode, cause }: Ended) => {
      process.exitCode = exitCode
      if (debug && cause !== undefined) talk().write(`${cause}\n`)
    }
    if (own.every((each) => each === '--debug') && rest === undefined) {
      const { welcome } = await import('./commands/welcome/run.js')
      finish(await welcome())
    } else {
      const mappa = program(own, rest, finish)
      // The parser shows the whole help for a command that it does not know.
      const [first, about] = own.filter((word) => !word.startsWith('-'))
      if (first === 'help' && about !== undefined && !commands.some(({ name }) => name === about))
        throw new UsageError(wrongUsage('commander.unknownCommand', mappa, [about]))
      await mappa.parseAsync(own, { from: 'user' })
    }
  } catch (error) {
    process.exitCode = fail(error, debug)
  }
  endReport(Number(process.exitCode ?? 0))
}

function fail(error: unknown, debug: boolean): number {
  // Help and version end so, too.
  if (error instanceof CommanderError) return error.exitCode === 0 ? exitCodes.fine : exitCodes.usage
  // Leaving a question agrees to nothing.
  if (error instanceof Left) {
    talk().write('\nNothing was written.\n')
    return 130
  }
  if (error instanceof Interrupted) {
    talk().write(`${error.message}\n`)
    return error.exitCode
  }
  if (error instanceof UsageError) {
    talk().write(`${error.message}\n`)
    return exitCodes.usage
  }
  const stack = withoutCredentials(stackOf(error))
  // Its first lines are the kind of error and what it says.
  const text = debug ? stack : stack.replace(/\n {4}at [\s\S]*$/, '')
  talk().write(
    `Mappa failed, which is a bug. ${text.split('\n').map(printable).join('\n')}\n${debug ? '' : 'Run it again with --debug for details.\n'}`,
  )
  return exitCodes.faults
}

function program(
  words: readonly string[],
  rest: readonly string[] | undefined,
  finish: (outcome: Ended) => void,
): Command {
  const mappa = new Command('mappa')
    .description('Typed settings from layered .env files.')
    .version(version(), '-v, --version', 'show the version')
    .helpOption('-h, --help', 'show this help')
    // Its sentences repeat what was typed.
    .configureOutput({ outputError: () => {}, writeOut: (text) => output().write(text) })
    .configureHelp({ showGlobalOptions: true })
    .addHelpText('after', helpEnd)
    .option('--debug', 'show where an error comes from')
  refuseWrongUsage(mappa, words)
  mappa.hook('preAction', async (_, command) => {
    beginWriting(`mappa ${command.name()}`)
    const options = command.opts()
    // What another process has left half written is taken back before this one reads it.
    if (commands.find(({ name }) => name === command.name())?.writes?.(options)) {
      const { endLeftOpen } = await import('./project/made-file.js')
      await endLeftOpen(options.root)
    }
    if (rest && !['with', 'witness', 'completion'].includes(command.name()))
      throw new UsageError('Only mappa with and mappa witness run a command after --.')
  })
  const running: Running = { rest, finish, binary, commands: () => mappa.commands.map(known) }
  for (const [task, definitions] of tasks) {
    mappa.commandsGroup(`${task}:`)
    for (const { name, define } of definitions) {
      const command = mappa.command(name)
      define(command, running)
      refuseWrongUsage(command, words)
    }
  }
  return mappa.helpCommand('help [command]', 'show help for a command')
}

const helpEnd = `
Examples:
  mappa init                          set a project up
  mappa check production              check a stage
  mappa with staging -- node app.js   run a program with a stage's values

Exit codes: 0 fine, 1 faults found, 2 wrong usage; with and witness pass on their program's.
Settings: NO_COLOR and FORCE_COLOR switch colours.`

/** Has a command say in our words what the parser finds wrong. */
function refuseWrongUsage(command: Command, words: readonly string[]): void {
  command.exitOverride((error) => {
    if (error.exitCode === 0) throw error
    throw new UsageError(wrongUsage(error.code, command, words))
  })
}

/** Kinds of values of options and arguments, for completion. Choices are known. */
const values: Readonly<Record<string, Wanted>> = {
  '--stage': 'stage',
  '--root': 'folder',
  '--host': 'file',
  '--from': 'file',
  '--out': 'file',
  '--against': 'stage',
  '--environment': 'file',
  '--token-from': 'variable',
  '--set': 'variable',
  name: 'variable',

  names: 'variable',
  'stage-or-names': 'variable',
  stage: 'stage',
  stages: 'stage',
}

function known(command: Command): KnownCommand {
  const [argument] = command.registeredArguments
  return {
    name: command.name(),
    about: command.summary(),
    options: [...command.options, ...command.createHelp().visibleOptions(command)]
      .filter(({ long }, at, all) => long && all.findIndex((each) => each.long === long) === at)
      .map(({ long, description, required, argChoices }) => ({
        flag: long as string,
        about: description,
        takesValue: required,
        value: argChoices ?? values[long as string],
      })),
    argument: argument && (argument.argChoices ?? values[argument.name()]),
    manyArguments: argument?.variadic ?? false,
  }
}

/** The command itself, from wherever it is run. */
const binary = fileURLToPath(new URL('../bin/mappa.js', import.meta.url))

function version(): string {
  const text = readFileSync(new URL('../package.json', import.meta.url), 'utf8')
  return (JSON.parse(text) as { version: string }).version
}
