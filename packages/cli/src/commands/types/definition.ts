import { type CommandDefinition, located } from '../definition.js'
import type { TypesOptions } from './run.js'

export const typesCommand: CommandDefinition = {
  name: 'types',
  writes: ({ verify }) => verify !== true,
  define(command, run) {
    located(command.summary('write TypeScript declarations'))
      .description('Writes mappa.types.d.ts: the types of process.env, import.meta.env and virtual:mappa/settings.')
      .option('--loaded', 'every start loads the layers, so required variables of process.env have a value')
      .option('--no-loaded', 'a start may lack them (the default)')
      .option('--verify', 'write nothing; report whether the file is stale')
      .addHelpText('after', '\nExample:\n  mappa types\n  mappa types --verify')
      .action(async (options: TypesOptions) => {
        const { types } = await import('./run.js')
        run.finish(await types(options))
      })
  },
}
