import { type CommandDefinition, located } from '../definition.js'
import type { SampleOptions } from './run.js'

export const sampleCommand: CommandDefinition = {
  name: 'sample',
  writes: ({ verify }) => verify !== true,
  define(command, run) {
    located(command.summary('write .env.example from the legend'))
      .description('Writes .env.example: each variable, what it is for and where to get it. Keeps your own comments.')
      .option('--verify', 'write nothing; report whether the file is stale')
      .addHelpText('after', '\nExample:\n  mappa sample\n  mappa sample --verify')
      .action(async (options: SampleOptions) => {
        const { sample } = await import('./run.js')
        run.finish(await sample(options))
      })
  },
}
