import { type CommandDefinition, located } from '../definition.js'
import type { TypesOptions } from './run.js'

export const typesCommand: CommandDefinition = {
  name: 'types',
  define(command, run) {
    located(command.summary('declarations for TypeScript, from the legend'))
      .description(
        'Writes mappa.types.d.ts: what process.env, import.meta.env and virtual:mappa/settings hold, by the legend.',
      )
      .option('--verify', 'write nothing, and say whether the file is stale')
      .addHelpText('after', '\nExample:\n  mappa types\n  mappa types --verify')
      .action(async (options: TypesOptions) => {
        const { types } = await import('./run.js')
        run.finish(await types(options))
      })
  },
}
