import { applied, type CommandDefinition, writesIfApplied } from '../definition.js'
import { entryFlags, wordsFrom } from './entry-words.js'
import type { AddOptions } from './run.js'

export const addCommand: CommandDefinition = {
  name: 'add',
  writes: writesIfApplied,
  define(command, run) {
    const entry = applied(command.summary('declare a variable and give it a value'))
      .description(
        'Adds an entry to the legend, and a value to the right layer. On a terminal it asks for anything missing.',
      )
      .argument('[name]', 'the name (asked for if missing)')
      .option('--value <text>', 'its first value (not for secrets)')
      .option('--stage <name>', 'the stage of the value')
      .option('--description <text>', 'what it is for')
    for (const [flag, about] of entryFlags) entry.option(flag, about)
    entry
      .addHelpText('after', '\nExample:\n  mappa add\n  mappa add FEED_PAUSE --type duration --default 90s --apply')
      .action(
        async (
          name: string | undefined,
          { apply, json, root, stage, value, description, ...flags }: Omit<AddOptions, 'words'>,
        ) => {
          const { add } = await import('./run.js')
          const options = { apply, json, root, stage, value, description, words: wordsFrom({ ...flags }) }
          run.finish(await add(name, withoutUndefined(options) as AddOptions))
        },
      )
  },
}

function withoutUndefined(options: object): object {
  return Object.fromEntries(Object.entries(options).filter(([, value]) => value !== undefined))
}
