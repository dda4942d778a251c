import type { ChangeOptions } from '../../project/changed.js'
import { applied, type CommandDefinition, writesIfApplied } from '../definition.js'

export const removeCommand: CommandDefinition = {
  name: 'remove',
  writes: writesIfApplied,
  define(command, run) {
    applied(command.summary('delete a variable everywhere'))
      .description(
        'Deletes variables from the legend, the layers, the sample and the declarations. Refuses while code uses them.',
      )
      .argument('<names...>', 'the variables')
      .addHelpText('after', '\nExample:\n  mappa remove OLD_FEED_URL')
      .action(async (names: string[], options: ChangeOptions) => {
        const { remove } = await import('./run.js')
        run.finish(await remove(names, options))
      })
  },
}
