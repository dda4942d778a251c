import { readFileSync } from 'node:fs'
import { fileURLToPath } from 'node:url'
import { Argument, Command, CommanderError, Option } from 'commander'
import { printable, stagesOf } from 'mappa'
import { errorName, saidBy, stackOf, withoutCredentials } from 'mappa/command'
import type { AddOptions, RenameOptions } from './commands/change/change-variables.js'
import type { FillOptions } from './commands/change/fill.js'
import type { InitOptions } from './commands/change/init.js'
import type { LiftOptions } from './commands/change/lift.js'
import type { EmitOptions } from './commands/hand-on/emit.js'
import type { StampOptions } from './commands/hand-on/stamp.js'
import type { CompareOptions } from './commands/look/compare.js'
import type { GuideOptions } from './commands/look/guide.js'
import type { ListOptions } from './commands/look/list.js'
import type { TraceOptions } from './commands/look/trace.js'
import type { CheckOptions } from './commands/verify/check.js'
import type { GuardOptions } from './commands/verify/guard.js'
import type { SampleOptions } from './commands/verify/sample.js'
import type { TypesOptions } from './commands/verify/types.js'
import type { KnownCommand, Wanted } from './completion/complete.js'
import type { Shell } from './completion/shells.js'
import type { ProjectOptions } from './project/project.js'
import { talk } from './terminal/terminal.js'
import { type Ended, exitCodes, UsageError } from './terminal/usage-error.js'

/** Runs the command line `mappa …` and sets the process's exit code. */
export async function run(args: readonly string[]): Promise<void> {
  // What follows a lone -- is another program's, word for word.
  const split = args.indexOf('--')
  const own = split < 0 ? args : args.slice(0, split)
  const rest = split < 0 ? undefined : args.slice(split + 1)
  const debug = own.includes('--debug')
  try {
    process.exitCode = exitCodes.fine
    // Whoever reads our output may stop early, as head does; that is no error.
    process.stdout.on('error', (error: NodeJS.ErrnoException) => {
      if (error.code !== 'EPIPE') throw error
    })
    const finish = ({ exitCode, cause }: Ended) => {
      process.exitCode = exitCode
      if (debug && cause !== undefined) talk().write(`${cause}\n`)
    }
    if (own.every((each) => each === '--debug') && rest === undefined) {
      const { welcome } = await import('./commands/look/welcome.js')
      finish(await welcome())
    } else await program(rest, finish).parseAsync(own, { from: 'user' })
  } catch (error) {
    process.exitCode = fail(error, debug)
  }
}

function fail(error: unknown, debug: boolean): number {
  if (error instanceof CommanderError) {
    if (error.exitCode !== 0) talk().write(`${wrongUsage(error)}\n`)
    return error.exitCode === 0 ? exitCodes.fine : exitCodes.usage
  }
  // Whoever leaves a question has not agreed to anything.
  if (errorName(error) === 'ExitPromptError') {
    talk().write('\nNothing was written.\n')
    return 130
  }
  if (error instanceof UsageError) {
    talk().write(`${error.message}\n`)
    return exitCodes.usage
  }
  const text = debug
    ? withoutCredentials(stackOf(error))
    : `${errorName(error) ?? 'Error'}: ${withoutCredentials(saidBy(error))}`
  talk().write(
    `Mappa itself failed, which should not happen. ${text.split('\n').map(printable).join('\n')}\n${debug ? '' : 'Run it again with --debug for more.\n'}`,
  )
  return exitCodes.faults
}

/** What is wrong with a command line, without what was typed but for what looks like an option: it may be a secret. */
function wrongUsage({ code, message }: CommanderError): string {
  const meant = /\(Did you mean (.*)\?\)/.exec(message)?.[1]
  const near = meant === undefined ? '' : ` Did you mean ${meant}?`
  const [, option] = /^error: (?:required )?option '([^']*)'/.exec(message) ?? []
  switch (code) {
    case 'commander.unknownOption': {
      const [flag] = /(?<=^error: unknown option ')--?[a-z][a-z-]{0,24}(?=['=])/.exec(message) ?? []
      return `${flag === undefined ? 'One of the options is not known.' : `There is no option ${flag}.`}${near}`
    }
    case 'commander.unknownCommand': {
      const [name] = /(?<=^error: unknown command ')[a-z]{1,16}(?=')/.exec(message) ?? []
      return `${name === undefined ? 'That is not a command.' : `There is no command ${name}.`}${near} mappa --help lists them.`
    }
    case 'commander.excessArguments':
      if (/for 'with'/.test(message))
        return 'Put the command behind --, for example: mappa with staging -- node server.js'
      return 'There are more arguments than the command takes; name a stage with --stage, and see --help.'
    case 'commander.missingArgument':
      return `It lacks an argument${/'([a-z]+)'$/.test(message) ? `: <${/'([a-z]+)'$/.exec(message)?.[1]}>` : ''}. See --help.`
    case 'commander.optionMissingArgument':
      return `${option ?? 'An option'} lacks its value.`
    case 'commander.missingMandatoryOptionValue':
      return `${option ?? 'An option'} must be given.`
    case 'commander.conflictingOption':
      return `${message.replace(/^error: /, '').replace(/'(-[^' =]*)[^']*'/g, '$1')}.`
    case 'commander.invalidArgument': {
      const choices = /Allowed choices are ([a-z, ]*)\.$/.exec(message)?.[1]
      return `${option ?? 'The argument'} takes ${choices === undefined ? 'something else' : `one of ${choices}`}.`
    }
    default:
      return 'The command line cannot be read. See --help.'
  }
}

function program(rest: readonly string[] | undefined, finish: (outcome: Ended) => void): Command {
  const mappa = new Command('mappa')
    .description('Settings from layered .env files: checked, traced and handed on.')
    .version(version(), '-v, --version', 'show the version')
    .helpOption('-h, --help', 'show this help')
    .exitOverride()
    .showSuggestionAfterError()
    // Its sentences repeat what was typed.
    .configureOutput({ outputError: () => {} })
    .configureHelp({ showGlobalOptions: true, sortSubcommands: true })
    .helpCommand('help [command]', 'this help, or that of a command')
    .option('--debug', 'show where an error comes from')
  mappa.hook('preAction', (_, command) => {
    if (rest && !['with', 'completion'].includes(command.name()))
      throw new UsageError('Only mappa with takes a command behind --.')
  })

  const applied = (command: Command) =>
    located(command)
      .option('--apply', 'make the changes without asking, all files or none')
      .option('--json', 'print what would change, or with --apply has changed, as JSON')
  const entry = applied(mappa.command('add').summary('a variable more, in the legend and its layer'))
    .description(
      'Adds a variable: its entry, and its value in the layer where it belongs. At a terminal it asks for what no option says.',
    )
    .argument('<name>', 'its name')
    .option('--value <text>', 'its first value; not for secrets')
    .option('--stage <name>', 'the stage that the value is for')
    .option('--description <text>', 'what it is for')
  for (const [flag, about] of entryFlags) entry.option(flag, about)
  entry
    .addHelpText('after', '\nExample:\n  mappa add\n  mappa add FEED_PAUSE --type duration --default 90s --apply')
    .action(
      async (name: string, { apply, json, root, stage, value, description, ...flags }: Omit<AddOptions, 'words'>) => {
        const { add, wordsFrom } = await import('./commands/change/change-variables.js')
        const options = { apply, json, root, stage, value, description, words: wordsFrom({ ...flags }) }
        finish(await add(name, withoutUndefined(options) as AddOptions))
      },
    )

  applied(mappa.command('rename').summary("a variable's name, everywhere at once"))
    .description(
      'Renames a variable in the legend, the layers and what is built on it, in code, manifests, sample and declarations.',
    )
    .argument('<name>', 'its name now')
    .argument('<fresh>', 'its new name')
    .option('--formerly', 'keep the old name readable')
    .addHelpText('after', '\nExample:\n  mappa rename FEED_ADDRESS FEED_URL')
    .action(async (name: string, fresh: string, options: RenameOptions) => {
      const { rename } = await import('./commands/change/change-variables.js')
      finish(await rename(name, fresh, options))
    })

  applied(mappa.command('remove').summary('variables that nobody needs any longer'))
    .description(
      'Removes variables from the legend, the layers, sample and declarations. Refused while code takes them.',
    )
    .argument('<names...>', 'the variables')
    .addHelpText('after', '\nExample:\n  mappa remove OLD_FEED_URL')
    .action(async (names: string[], options: RenameOptions) => {
      const { remove } = await import('./commands/change/change-variables.js')
      finish(await remove(names, options))
    })

  captured(staged(mappa.command('check').summary('every fault and notice of a stage')))
    .description('Checks a stage: every fault and notice, each with its place and what to do.')
    .addOption(new Option('--json', 'print the report as JSON').conflicts(['sarif', 'lines']))
    .addOption(
      new Option('--sarif', 'print the report as SARIF 2.1.0, for what shows it beside the code').conflicts('lines'),
    )
    .option('--lines', 'print a line for each: file:line:column: text')
    .addOption(
      new Option(
        '--every-stage',
        "check all stages that have something of their own, without this machine's process environment",
      ).conflicts('stage'),
    )
    .addOption(
      new Option(
        '--as-cloned',
        'all that a clone alone can be held to, in every stage, and what has to come from elsewhere',
      ).conflicts(['stage', 'everyStage', 'code', 'environment']),
    )
    .option('--strict', 'end with 1 for notices, too')
    .option('--code', 'also name what the code reads without an entry, and entries that nobody reads')
    .argument('[stage]', 'the stage, as with --stage')
    .addHelpText('after', '\nExample:\n  mappa check production\n  mappa check --code')
    .action(async (stage: string | undefined, { environment, ...options }: Captured<CheckOptions>) => {
      if (stage !== undefined && (options.everyStage || options.asCloned))
        throw new UsageError(
          `check takes a stage or ${options.everyStage ? '--every-stage' : '--as-cloned'}, and not both.`,
        )
      if (environment !== undefined && options.everyStage)
        throw new UsageError('--environment is what one stage has, and --every-stage leaves it out.')
      const { check } = await import('./commands/verify/check.js')
      finish(await check({ ...options, ...namedStage(stage, options), captured: environment }))
    })

  staged(mappa.command('compare').summary('stages side by side, or a stage and its host'), 'with --host: the stage')
    .description(
      'Shows what differs between stages, secrets masked. With --host, names what a host lacks and what only it has. With --since, what has changed since a commit, and what each host must be given before that is deployed.',
    )
    .argument('[stages...]', 'the stages; by default those that have something of their own')
    .option('--all', 'also what is the same in all stages')
    .option('--host <file-or-url>', 'what a host says it has, as JSON or layer text; only names are compared')
    .option('--values', 'with --host: also the values of what is not secret')
    .option('--since <revision>', 'what has changed since a commit: main, v1.2.0, HEAD~3')
    .addOption(new Option('--as <form>', 'with --since: text, or markdown for a review').choices(['text', 'markdown']))
    .option('--token-from <name>', 'the variable that holds the token for the address')
    .option('--json', 'print the comparison as JSON')
    .addHelpText(
      'after',
      '\nExample:\n  mappa compare staging production\n  mappa compare production --host https://host.example/settings --token-from HOST_TOKEN\n  mappa compare --since main --as markdown',
    )
    .action(async (stages: string[], options: CompareOptions) => {
      const { compare } = await import('./commands/look/compare.js')
      finish(await compare(stages, options))
    })

  located(
    mappa
      .command('fill')
      .summary('gives a stage the values that it lacks here')
      .option('--stage <name>', 'the stage; else MAPPA_STAGE, NODE_ENV or development'),
  )
    .description(
      'Asks for the values that a stage lacks on this machine, or for these ones anew, and writes each to the right layer.',
    )
    .argument('[names...]', 'variables to ask for anew; NAME=value sets one that is not secret')
    .option('--generate', 'make what the legend knows how to make, without asking')
    .addOption(
      new Option(
        '--into <layer>',
        'the layer for the values: what all stages share, the stage, or this machine',
      ).choices(['shared', 'stage', 'local']),
    )
    .option('--from <file>', 'take values from layer text or JSON; - is standard input')
    .addOption(
      new Option('--replace', 'a new secret in place of the old one, and what still holds that').conflicts('from'),
    )
    .addOption(new Option('--drop-old', 'of a list of secrets, keep the first').conflicts(['from', 'replace']))
    .option('--json', 'print what was written as JSON')
    .addHelpText('after', '\nExample:\n  mappa fill\n  mappa fill ALERT_TOKEN\n  mappa fill LOG_LEVEL=debug')
    .action(async (names: string[], options: FillOptions) => {
      const { fill } = await import('./commands/change/fill.js')
      finish(await fill(names, options))
    })

  located(mappa.command('guard').summary('secrets where they must not be'))
    .description(
      'Looks for secrets where they must not be: in files and commits of version control, in what is packed, in what was built or is to be handed on. It looks for the values of the legend in all spellings, and for what has the shape of a key.',
    )
    .option('--staged', 'only what the next commit would add')
    .addOption(
      new Option('--since <revision>', 'only what commits behind it have added, as a push would send').conflicts(
        'staged',
      ),
    )
    .addOption(new Option('--no-history', 'only files as they are, without what commits had'))
    .addOption(
      new Option('--bundle <path>', 'only what a build made, a folder or a file').conflicts(['staged', 'since']),
    )
    .addOption(
      new Option('--paths <path...>', 'only files, folders and archives that are to be handed on').conflicts([
        'staged',
        'since',
        'bundle',
      ]),
    )
    .option('--value <->', 'look also for values that are typed unseen, or come on standard input, one a line')
    .addOption(
      new Option('--install', 'run guard --staged before each commit').conflicts([
        ...['staged', 'since', 'bundle', 'paths', 'json', 'sarif'],
      ]),
    )
    .addOption(new Option('--json', 'print the report as JSON').conflicts('sarif'))
    .option('--sarif', 'print the report as SARIF 2.1.0')
    .addHelpText(
      'after',
      '\nExample:\n  mappa guard\n  mappa guard --since origin/main\n  mappa guard --paths report.docx image.tar\n  mappa guard --install',
    )
    .action(async (options: GuardOptions) => {
      const { guard } = await import('./commands/verify/guard.js')
      finish(await guard(options))
    })

  located(mappa.command('guide').summary('the variables as help'))
    .description('Prints what each variable is for, what it takes and where to obtain it. No value is shown.')
    .addOption(
      new Option('--as <form>', 'the form: text, markdown, or html, a page of its own')
        .choices(['text', 'markdown', 'html'])
        .default('text'),
    )
    .argument('[names...]', "these variables alone; * stands for any part of a name: 'ALERT_*'")
    .option('--stage <name>', 'the words of this stage alone')
    .option('--json', 'print the variables as JSON')
    .addHelpText('after', '\nExample:\n  mappa guide ALERT_TOKEN\n  mappa guide --as html > guide.html')
    .action(async (names: string[], options: GuideOptions) => {
      refuseOddNames(names, 'guide')
      if (options.json && options.as !== 'text') throw new UsageError('guide takes --json or --as, and not both.')
      const { guide } = await import('./commands/look/guide.js')
      finish(await guide(names, options))
    })

  located(mappa.command('init').summary('sets a project up'))
    .description(
      'Sets a project up from what is there: legend, layer files, ignore rules, sample, declarations, a script. Asks before it writes.',
    )
    .addOption(new Option('--legend <language>', 'the language of the legend').choices(['ts', 'js', 'json']))
    .option('--stages <names>', 'stages with a layer file of their own, separated by commas')
    .option('--stage <name>', 'a stage that the legend is to know')
    .option('--like <stage>', 'with --stage: the stage whose layers lie beneath its own')
    .option('--apply', 'make the changes without asking, all files or none')
    .option('--json', 'print what would change, or with --apply has changed, as JSON')
    .addHelpText('after', '\nExample:\n  mappa init\n  mappa init --stage preview --like staging --apply')
    .action(async (options: InitOptions) => {
      const { init } = await import('./commands/change/init.js')
      finish(await init(options))
    })

  staged(mappa.command('lift').summary('moves settings and keys out of code'))
    .description(
      'Finds settings and keys in code, and shows how they would move to layers. Writes nothing without --apply.',
    )
    .option('--diff', 'show how each file would change')
    .addOption(new Option('--apply', 'make the changes, all files or none').conflicts('json'))
    .option('--only <names>', 'only these candidates, separated by commas')
    .option('--pick', 'ask about each candidate: move, rename, mark as secret, leave')
    .option('--compose', 'compose files take their values from layers, too')
    .option('--build', "with --apply: then run the project's own type check or build")
    .option('--progress', 'a line a second while it looks, where there is no terminal, too')
    .option('--uncommitted', 'with --apply: although there are uncommitted changes, or no version control')
    .option('--json', 'print the candidates as JSON')
    .addHelpText('after', '\nExample:\n  mappa lift --only SESSION_SECRET,DATABASE_URL --apply')
    .action(async (options: LiftOptions) => {
      if (options.uncommitted && !options.apply && !options.pick)
        throw new UsageError('--uncommitted is for lift --apply.')
      if (options.build && !options.apply && !options.pick) throw new UsageError('--build is for lift --apply.')
      const { lift } = await import('./commands/change/lift.js')
      finish(await lift(options))
    })

  captured(staged(mappa.command('list').summary('one line a variable: its value, and where it is from')))
    .description('Lists the variables of a stage, each with its value and where that comes from. Secrets are masked.')
    .argument('[stage-or-names...]', "the stage, then variables; * stands for any part of a name: 'ALERT_*'")
    .option('--missing', 'only what must have a value and has none')
    .option('--secrets', 'only secrets')
    .option('--json', 'print the list as JSON')
    .addHelpText('after', "\nExample:\n  mappa list staging\n  mappa list --missing\n  mappa list production 'ALERT_*'")
    .action(async (names: string[], { environment, ...options }: Captured<ListOptions>) => {
      const { list } = await import('./commands/look/list.js')
      finish(await list(names, { ...options, captured: environment }))
    })

  mappa
    .command('completion')
    .summary('completion for a shell')
    .description('Prints what makes a shell complete commands, options, stages and names of variables.')
    .addArgument(new Argument('<shell>', 'the shell').choices(['bash', 'zsh', 'fish']))
    .addHelpText('after', '\nExample:\n  eval "$(mappa completion bash)"')
    .action(async (shell: Shell) => {
      const { completion } = await import('./commands/run/completion.js')
      finish(await completion(shell, rest, mappa.commands.map(known), binary()))
    })

  staged(mappa.command('emit').summary("hands a stage's values on, in the form that something else reads"))
    .description(
      "Hands a stage's values on in a form that something else reads. Two forms differ: module holds the values of pages with their types, for builders that have no plugin; legend is the legend as a JSON Schema document.",
    )
    .option('--as <form>', 'shell, layer, json, yaml, container, service, cluster, module, or legend')
    .option('--out <file>', 'the file to write, instead of standard output')
    .option('--only <names>', "only these variables, separated by commas; * stands for any part of a name: 'ALERT_*'")
    .addOption(
      new Option('--reach <reach>', 'only what is for servers, or for browsers').choices(['server', 'browser']),
    )
    .option('--no-secrets', 'without what others may not see')
    .option('--text', 'json, yaml: numbers, switches and lists as text, as an environment has them')
    .option('--name <name>', "cluster: what the objects are called, else as the root's directory")
    .option('--namespace <name>', 'cluster: where they belong')
    .option('--to <url>', 'a host that gets what it must have: secrets, and what no layer in version control gives')
    .option('--token-from <name>', 'with --to: the variable that holds the token for the host')
    .option('--apply', 'with --to: hand them over without asking')
    .option('--json', 'with --to: print what would be handed over, or with --apply has been, as JSON')
    .addHelpText(
      'after',
      '\nExample:\n  eval "$(mappa emit --as shell --stage staging)"\n  mappa emit --as cluster --stage production --no-secrets > settings.yaml\n  mappa emit --as module --stage staging --out src/settings.ts\n  mappa emit --to https://host.example/production --token-from HOST_TOKEN --stage production',
    )
    .action(async (options: EmitOptions) => {
      const { emit } = await import('./commands/hand-on/emit.js')
      finish(await emit(options))
    })

  captured(staged(mappa.command('trace').summary('where values come from, and what they hide')))
    .description(
      'Shows where values come from: every layer that sets one, the one that counts first. Secrets are masked.',
    )
    .argument('<name...>', "variables; * stands for any part of a name: 'ALERT_*'")
    .option('--json', 'print the trail as JSON')
    .option('--same-as <->', 'say whether it has the value that is typed unseen, or comes on standard input')
    .addHelpText('after', "\nExample:\n  mappa trace COLLECTOR_PORT --stage staging\n  mappa trace '*'")
    .action(async (names: string[], { environment, ...options }: Captured<TraceOptions>) => {
      refuseOddNames(names, 'trace')
      const { trace } = await import('./commands/look/trace.js')
      finish(await trace(names, { ...options, captured: environment }))
    })

  located(mappa.command('sample').summary('.env.example, from the legend'))
    .description(
      'Writes .env.example: every variable with what it is for and where to obtain it. Your own comments are kept.',
    )
    .option('--verify', 'write nothing, and say how the file differs from the legend')
    .addHelpText('after', '\nExample:\n  mappa sample\n  mappa sample --verify')
    .action(async (options: SampleOptions) => {
      const { sample } = await import('./commands/verify/sample.js')
      finish(await sample(options))
    })

  staged(mappa.command('stamp').summary('puts values into templates and pages'))
    .description(
      "Puts a stage's values into templates where ${NAME} stands: YAML, JSON, HTML and plain text, none of which a value can break. Built pages also get the values that they take when they are handed out. Without an option, it is printed.",
    )
    .argument('<file...>', 'templates, or pages that a build has made')
    .option('--out <path>', 'write the result to another file, or all results into a folder')
    .option('--in-place', "write the files themselves; a page's compressed copies and digests are made anew")
    .option('--against <stage>', "show how the result differs from another stage's")
    .option('--list', 'show only which names the files use, and where')
    .option('--json', 'with --list: as JSON')
    .option('--as <form>', 'how the files are read, if their names do not say it: yaml, compose, json, html, text')
    .addHelpText(
      'after',
      '\nExample:\n  mappa stamp deploy/collector.yaml --stage staging > collector.yaml\n  mappa stamp compose.yaml --stage production --against staging\n  mappa stamp dist/index.html --stage staging --in-place',
    )
    .action(async (files: string[], options: StampOptions) => {
      const { stamp } = await import('./commands/hand-on/stamp.js')
      finish(await stamp(files, options))
    })

  located(mappa.command('types').summary('declarations for TypeScript, from the legend'))
    .description(
      'Writes mappa.types.d.ts: what process.env, import.meta.env and virtual:mappa/settings hold, by the legend.',
    )
    .option('--verify', 'write nothing, and say whether the file is stale')
    .addHelpText('after', '\nExample:\n  mappa types\n  mappa types --verify')
    .action(async (options: TypesOptions) => {
      const { types } = await import('./commands/verify/types.js')
      finish(await types(options))
    })

  staged(mappa.command('with').summary("runs a program with a stage's values"))
    .description("Runs a program with a stage's values in its environment. While there are faults, nothing is started.")
    .usage('[stage] [options] -- command …')
    .argument('[stage]', 'the stage; else MAPPA_STAGE, NODE_ENV or development')
    .option('--watch', 'start the program again whenever a value changes')
    .addOption(
      new Option('--grace <seconds>', 'with --watch: how long the program gets to end by itself (5)').argParser(
        seconds,
      ),
    )
    .addHelpText('after', '\nExample:\n  mappa with staging -- node server.js\n  mappa with --watch -- npm run dev')
    .action(async (stage: string | undefined, options: WithOptions) => {
      const [command, ...args] = rest ?? []
      if (command === undefined)
        throw new UsageError('Put the command behind --, for example: mappa with staging -- node server.js')
      if (options.grace !== undefined && !options.watch) throw new UsageError('--grace is for with --watch.')
      const told = { ...options, ...namedStage(stage, options) }
      const run = options.watch
        ? (await import('./commands/run/watch.js')).watchSettings
        : (await import('./commands/run/with.js')).withSettings
      finish(await run([command, ...args], told))
    })
  return mappa
}

/** What the values of options and arguments are, for completion; choices say so themselves. */
const values: Readonly<Record<string, Wanted>> = {
  ...{
    '--stage': 'stage',
    '--root': 'folder',
    '--host': 'file',
    '--from': 'file',
    '--out': 'file',
    '--against': 'stage',
    '--environment': 'file',
    '--token-from': 'variable',
    '--set': 'variable',
  },
  ...{
    name: 'variable',
    fresh: 'variable',
    names: 'variable',
    'stage-or-names': 'variable',
    stage: 'stage',
    stages: 'stage',
  },
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

/** Words of an entry as options, named like them. */
const entryFlags: readonly (readonly [flag: string, about: string])[] = [
  ['--type <type>', 'string, integer, number, boolean, port, duration, bytes, array, object or pem'],
  ['--default <value>', 'the value where no layer sets one'],
  ['--optional', 'it may be left out'],
  ['--secret', 'it is secret'],
  ['--reach <reach>', 'server, or browser'],
  ['--fixed <when>', 'build, or start'],
  ['--as <place>', 'where code sees it: collector.port'],
  ['--obtain <where>', 'where a person gets a value'],
  ['--enum <values>', 'the only values, separated by commas'],
  ['--format <format>', 'uri, email, hostname, …'],
  ['--pattern <pattern>', 'a regular expression that it matches'],
  ['--schemes <schemes>', 'schemes of its URL, separated by commas'],
  ['--minimum <number>', 'the least'],
  ['--maximum <number>', 'the most'],
  ['--min-length <number>', 'the least characters'],
  ['--max-length <number>', 'the most characters'],
  ['--items <type>', 'of a list: the type of its items'],
  ['--generate <bytes>', 'a fresh one is so many random bytes'],
  ['--file', 'NAME_FILE may name a file that holds it'],
  ['--formerly <names>', 'names that it had, separated by commas'],
]

function withoutUndefined(options: object): object {
  return Object.fromEntries(Object.entries(options).filter(([, value]) => value !== undefined))
}

/** The stage of a command line, where it stands by itself or behind `--stage`. */
function namedStage(stage: string | undefined, options: ProjectOptions): Pick<ProjectOptions, 'stage' | 'stageFrom'> {
  if (stage === undefined) return {}
  if (options.stage !== undefined && stage !== options.stage)
    throw new UsageError('Two stages are named: name one, either by itself or with --stage.')
  return { stage, stageFrom: 'the command line' }
}

/** Names of variables, and patterns of such; what is none of these may be a stage, or a value in the wrong place. */
function refuseOddNames(names: readonly string[], command: string): void {
  const stages = stagesOf(undefined)
  if (names.every((name) => /^[A-Za-z_*][A-Za-z0-9_*]*$/.test(name) && !stages.includes(name))) return
  throw new UsageError(
    `${command} takes names of variables, for example: mappa ${command} LOG_LEVEL 'ALERT_*'\n    A stage is named with --stage.`,
  )
}

interface WithOptions extends ProjectOptions {
  readonly watch?: boolean
  readonly grace?: number
}

function seconds(text: string): number {
  const value = Number(text)
  if (text.trim() === '' || !(value >= 0 && value <= 3600))
    throw new UsageError('--grace takes seconds from 0 to 3600, for example --grace 10.')
  return value
}

/** The command itself, from wherever it is run. */
function binary(): string {
  return fileURLToPath(new URL('../bin/mappa.js', import.meta.url))
}

function version(): string {
  const text = readFileSync(new URL('../package.json', import.meta.url), 'utf8')
  return (JSON.parse(text) as { version: string }).version
}

/** Options in which `--environment` names a file. */
type Captured<Options extends ProjectOptions> = Omit<Options, 'environment' | 'captured'> & {
  readonly environment?: string
}

/** With the option of what looks at the settings of another machine. */
function captured(command: Command): Command {
  return command.option(
    '--environment <file>',
    "a process environment captured elsewhere, in place of this machine's; - is standard input",
  )
}

/** With the option of what works from the legend alone. */
function located(command: Command): Command {
  return command.option('--root <directory>', 'where the legend and the layer files are; else searched for upwards')
}

/** With the options of what looks at a stage's values. */
function staged(command: Command, stage = 'the stage; else MAPPA_STAGE, NODE_ENV or development'): Command {
  return located(command.option('--stage <name>', stage)).addOption(
    new Option('--set <NAME=value>', 'a value on top of all layers; not for secrets').argParser(
      (value: string, before: string[] = []) => [...before, value],
    ),
  )
}
