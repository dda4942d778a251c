import { applied, type CommandDefinition, writesIfApplied } from '../definition.js'
import type { RenameOptions } from './run.js'

export const renameCommand: CommandDefinition = {
  name: 'rename',
  writes: writesIfApplied,
  define(command, run) {
    applied(command.summary('rename a variable everywhere'))
      .description('Renames a variable in the legend, layers, code, manifests, sample and declarations.')
      .argument('<name>', 'the current name')
      .argument('<new-name>', 'the new name')
      .option('--formerly', 'still accept the old name')
      .addHelpText('after', '\nExample:\n  mappa rename FEED_ADDRESS FEED_URL')
      .action(async (name: string, fresh: string, options: RenameOptions) => {
        const { rename } = await import('./run.js')
        run.finish(await rename(name, fresh, options))
      })
  },
}
