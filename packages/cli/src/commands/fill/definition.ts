import { Option } from 'commander'
import { type CommandDefinition, located } from '../definition.js'
import type { FillOptions } from './run.js'

export const fillCommand: CommandDefinition = {
  name: 'fill',
  writes: () => true,
  define(command, run) {
    located(
      command
        .summary('ask for missing values and write them')
        .option('--stage <name>', 'the stage (default: MAPPA_STAGE, NODE_ENV or development)'),
    )
      .description('Asks for the missing values of a stage, or for the named ones, and writes each to the right layer.')
      .argument('[names...]', 'variables to ask for; NAME=value sets one that is not secret')
      .option('--generate', 'generate values where the legend says how, without asking')
      .addOption(
        new Option('--into <layer>', 'the layer to write: shared, the stage, or this machine').choices([
          'shared',
          'stage',
          'local',
        ]),
      )
      .option('--from <file>', 'read values from layer text or JSON (- for standard input)')
      .addOption(new Option('--replace', 'replace a secret, and report where the old one remains').conflicts('from'))
      .addOption(new Option('--drop-old', 'for a list of secrets: keep only the first').conflicts(['from', 'replace']))
      .option('--json', 'print the report as JSON')
      .addHelpText('after', '\nExample:\n  mappa fill\n  mappa fill ALERT_TOKEN\n  mappa fill LOG_LEVEL=debug')
      .action(async (names: string[], options: FillOptions) => {
        const { fill } = await import('./run.js')
        run.finish(await fill(names, options))
      })
  },
}
