import type { Argument, Command, Option } from 'commander'
import { nearest } from 'mappa/command'

/** The usage error for a command line. Of the typed words only options are repeated: others may be secrets. */
export function wrongUsage(code: string, command: Command, words: readonly string[]): string {
  const options = [...command.options, ...command.createHelp().visibleOptions(command)]
  switch (code) {
    case 'commander.unknownOption': {
      const flags = options.flatMap(({ long, short }) => [long ?? [], short ?? []].flat())
      const flag = words.map(flagOf).find((each) => each !== undefined && !flags.includes(each))
      const known = flag !== undefined && /^--?[a-z][a-z-]{0,24}$/.test(flag)
      const near = flag === undefined ? undefined : nearest(flag, flags)
      return `${known ? `Unknown option ${flag}.` : 'Unknown option.'}${didYouMean(near)}`
    }
    case 'commander.unknownCommand': {
      const [name = ''] = words.filter((word) => !word.startsWith('-'))
      const near = nearest(
        name,
        command.commands.map((each) => each.name()),
      )
      const known = /^[a-z]{1,16}$/.test(name)
      return `${known ? `Unknown command ${name}.` : 'Unknown command.'}${didYouMean(near) || ' Run: mappa --help'}`
    }
    case 'commander.excessArguments':
      if (command.name() === 'with')
        return 'Write the command after --, for example: mappa with staging -- node server.js'
      return 'Too many arguments. Name a stage with --stage.'
    case 'commander.missingArgument': {
      const lacking = command.registeredArguments.find(({ required }, at) => required && command.args[at] === undefined)
      return `Missing argument${lacking ? ` <${lacking.name()}>` : ''}. Run: mappa ${command.name()} --help`
    }
    case 'commander.optionMissingArgument': {
      const last = words.at(-1)
      const option = options.find(({ long, short }) => last !== undefined && (long === last || short === last))
      return `${option?.flags ?? 'An option'} needs a value.`
    }
    case 'commander.missingMandatoryOptionValue': {
      const option = options.find((each) => each.mandatory && valueGiven(command, each) === undefined)
      return `${option?.flags ?? 'An option'} is required.`
    }
    case 'commander.conflictingOption': {
      const [one, other] = conflictIn(command) ?? []
      return one && other
        ? `${one.long} cannot be used with ${other.long}.`
        : 'Two of the options cannot be used together.'
    }
    case 'commander.invalidArgument': {
      const wrong = wrongChoice(command, options, words)
      const what = wrong && 'flags' in wrong ? wrong.flags : 'The argument'
      return `${what} takes ${wrong?.argChoices ? `one of ${wrong.argChoices.join(', ')}` : 'something else'}.`
    }
    default:
      return 'The command line is not valid. Run: mappa --help'
  }
}

function didYouMean(near: string | undefined): string {
  return near === undefined ? '' : ` Did you mean ${near}?`
}

/** The option that a word of a command line is, without its value. */
function flagOf(word: string): string | undefined {
  return /^--?[^\s=]+/.test(word) && word !== '--' ? word.split('=', 1)[0] : undefined
}

function valueGiven(command: Command, option: Option): unknown {
  return command.getOptionValue(option.attributeName())
}

/** Two options that were given and exclude each other. */
function conflictIn(command: Command): readonly [Option, Option] | undefined {
  const isGiven = (option: Option) => command.getOptionValueSource(option.attributeName()) === 'cli'
  const given = command.options.filter(isGiven)
  for (const option of given) {
    // Declared by every option that has some, and missing in the parser's types.
    const { conflictsWith = [] } = option as Option & { readonly conflictsWith?: readonly string[] }
    const other = given.find((each) => each !== option && conflictsWith.includes(each.attributeName()))
    if (other) return [option, other]
  }
  return undefined
}

/** The option or argument whose value is not one of those that it takes. */
function wrongChoice(
  command: Command,
  options: readonly Option[],
  words: readonly string[],
): Option | Argument | undefined {
  const option = options.find(({ long, argChoices }) =>
    words.some((word, at) => {
      if (!argChoices || flagOf(word) !== long) return false
      return !argChoices.includes(word.includes('=') ? word.slice(word.indexOf('=') + 1) : (words[at + 1] ?? ''))
    }),
  )
  return option ?? command.registeredArguments.find(({ argChoices }) => argChoices)
}
