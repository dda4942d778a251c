import { applied, type CommandDefinition } from '../definition.js'
import type { AddOptions } from './run.js'

export const addCommand: CommandDefinition = {
  name: 'add',
  define(command, run) {
    const entry = applied(command.summary('a variable more, in the legend and its layer'))
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
          const [{ add }, { wordsFrom }] = await Promise.all([import('./run.js'), import('./entry-words.js')])
          const options = { apply, json, root, stage, value, description, words: wordsFrom({ ...flags }) }
          run.finish(await add(name, withoutUndefined(options) as AddOptions))
        },
      )
  },
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
