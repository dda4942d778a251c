import { type Command, Option } from 'commander'
import { stagesOf } from 'mappa'
import type { ProjectOptions } from '../project/project.js'
import { isAsked } from '../terminal/terminal.js'
import { type Ended, UsageError } from '../terminal/usage-error.js'
import type { KnownCommand } from './completion/complete.js'

/** A command as the program gathers it: its arguments and options. What it does is loaded once it is called. */
export interface CommandDefinition {
  readonly name: string
  /** Tells whether a run with these options writes files of the project, or asks a person whether it may; never, if left out. */
  readonly writes?: (options: Readonly<Record<string, unknown>>) => boolean
  define(command: Command, run: Running): void
}

/** The run that calls a command. */
export interface Running {
  /** The words behind a lone `--`, which are another program's. */
  readonly rest: readonly string[] | undefined
  /** The path of this program. */
  readonly binary: string
  /** Words that completion offers. */
  commands(): readonly KnownCommand[]
  finish(outcome: Ended): void
}

/** With the option of what works from the legend alone. */
export function located(command: Command): Command {
  return command.option('--root <directory>', 'the folder with the legend and the layer files (default: found upwards)')
}

/** With the options of what looks at a stage's values. */
export function staged(command: Command, stage = 'the stage (default: MAPPA_STAGE, NODE_ENV or development)'): Command {
  return located(command.option('--stage <name>', stage)).addOption(
    new Option('--set <NAME=value>', 'a value above all layers (not for secrets)').argParser(
      (value: string, before: string[] = []) => [...before, value],
    ),
  )
}

/** What writes with `--apply`, and where a person is there to be asked. */
export function writesIfApplied({ apply, json }: Readonly<Record<string, unknown>>): boolean {
  return apply === true || (json !== true && isAsked())
}

/** With the options of what changes files. */
export function applied(command: Command): Command {
  return located(command)
    .option('--apply', 'write without asking, all files or none')
    .option('--json', 'print the changes as JSON')
}

/** Options in which `--environment` names a file. */
export type Captured<Options extends ProjectOptions, Named = string> = Omit<Options, 'environment' | 'captured'> & {
  readonly environment?: Named
}

/** With the option of what looks at the settings of another machine. */
export function captured(command: Command): Command {
  return command.option(
    '--environment <file>',
    'a process environment captured elsewhere, instead of this one (- for standard input)',
  )
}

/** The stage of a command line, where it stands by itself or behind `--stage`. */
export function namedStage(
  stage: string | undefined,
  options: ProjectOptions,
): Pick<ProjectOptions, 'stage' | 'stageFrom'> {
  if (stage === undefined) return {}
  if (options.stage !== undefined && stage !== options.stage)
    throw new UsageError('Two stages are named. Name one, by itself or with --stage.')
  return { stage, stageFrom: 'the command line' }
}

/** Names of variables, and patterns of such; what is not one of these may be a stage, or a value in the wrong place. */
export function refuseOddNames(names: readonly string[], command: string): void {
  const stages = stagesOf(undefined)
  if (names.every((name) => /^[A-Za-z_*][A-Za-z0-9_*]*$/.test(name) && !stages.includes(name))) return
  throw new UsageError(
    `${command} takes variable names. Name a stage with --stage. Example: mappa ${command} LOG_LEVEL 'ALERT_*'`,
  )
}
