import { applied, type CommandDefinition } from '../definition.js'
import { entryFlags, wordsFrom } from './entry-words.js'
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
