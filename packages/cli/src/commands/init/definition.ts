import { Option } from 'commander'
import { type CommandDefinition, located } from '../definition.js'
import type { InitOptions } from './run.js'

export const initCommand: CommandDefinition = {
  name: 'init',
  define(command, run) {
    located(command.summary('sets a project up'))
      .description(
        'Sets a project up from what is there: legend, layer files, ignore rules, sample, declarations, a script. Asks before it writes.',
      )
      .addOption(new Option('--legend <language>', 'the language of the legend').choices(['ts', 'js', 'json']))
      .option('--stages <names>', 'stages with a layer file of their own, separated by commas')
      .option('--stage <name>', 'a stage that the legend is to know')
      .option('--like <stage>', 'with --stage: the stage whose layers lie beneath its own')
      .option('--apply', 'make the changes without asking, all files or none')
      .option('--json', 'print what would change, or with --apply has changed, as JSON')
      .addHelpText('after', '\nExample:\n  mappa init\n  mappa init --stage preview --like staging --apply')
      .action(async (options: InitOptions) => {
        const { init } = await import('./run.js')
        run.finish(await init(options))
      })
  },
}
