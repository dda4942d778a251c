import { type CommandDefinition, located } from '../definition.js'
import type { SampleOptions } from './run.js'

export const sampleCommand: CommandDefinition = {
  name: 'sample',
  define(command, run) {
    located(command.summary('.env.example, from the legend'))
      .description(
        'Writes .env.example: every variable with what it is for and where to obtain it. Your own comments are kept.',
      )
      .option('--verify', 'write nothing, and say how the file differs from the legend')
      .addHelpText('after', '\nExample:\n  mappa sample\n  mappa sample --verify')
      .action(async (options: SampleOptions) => {
        const { sample } = await import('./run.js')
        run.finish(await sample(options))
      })
  },
}
