import { Option } from 'commander'
import { type CommandDefinition, located } from '../definition.js'
import type { FillOptions } from './run.js'

export const fillCommand: CommandDefinition = {
  name: 'fill',
  define(command, run) {
    located(
      command
        .summary('gives a stage the values that it lacks here')
        .option('--stage <name>', 'the stage; else MAPPA_STAGE, NODE_ENV or development'),
    )
      .description(
        'Asks for the values that a stage lacks on this machine, or for these ones anew, and writes each to the right layer.',
      )
      .argument('[names...]', 'variables to ask for anew; NAME=value sets one that is not secret')
      .option('--generate', 'make what the legend knows how to make, without asking')
      .addOption(
        new Option(
          '--into <layer>',
          'the layer for the values: what all stages share, the stage, or this machine',
        ).choices(['shared', 'stage', 'local']),
      )
      .option('--from <file>', 'take values from layer text or JSON; - is standard input')
      .addOption(
        new Option('--replace', 'a new secret in place of the old one, and what still holds that').conflicts('from'),
      )
      .addOption(new Option('--drop-old', 'of a list of secrets, keep the first').conflicts(['from', 'replace']))
      .option('--json', 'print what was written as JSON')
      .addHelpText('after', '\nExample:\n  mappa fill\n  mappa fill ALERT_TOKEN\n  mappa fill LOG_LEVEL=debug')
      .action(async (names: string[], options: FillOptions) => {
        const { fill } = await import('./run.js')
        run.finish(await fill(names, options))
      })
  },
}
