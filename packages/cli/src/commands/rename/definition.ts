import { applied, type CommandDefinition } from '../definition.js'
import type { RenameOptions } from './run.js'

export const renameCommand: CommandDefinition = {
  name: 'rename',
  define(command, run) {
    applied(command.summary("a variable's name, everywhere at once"))
      .description(
        'Renames a variable in the legend, the layers and what is built on it, in code, manifests, sample and declarations.',
      )
      .argument('<name>', 'its name now')
      .argument('<fresh>', 'its new name')
      .option('--formerly', 'keep the old name readable')
      .addHelpText('after', '\nExample:\n  mappa rename FEED_ADDRESS FEED_URL')
      .action(async (name: string, fresh: string, options: RenameOptions) => {
        const { rename } = await import('./run.js')
        run.finish(await rename(name, fresh, options))
      })
  },
}
