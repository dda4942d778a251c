import { Option } from 'commander'
import { type CommandDefinition, located, writesIfApplied } from '../definition.js'
import type { InitOptions } from './run.js'

export const initCommand: CommandDefinition = {
  name: 'init',
  writes: writesIfApplied,
  define(command, run) {
    located(command.summary('set a project up'))
      .description(
        'Writes a legend from your layer files and code, with layer files, ignore rules, a sample, declarations and a script. Asks before it writes.',
      )
      .addOption(new Option('--legend <language>', 'the language of the legend').choices(['ts', 'js', 'json']))
      .option('--stages <names>', 'stages to write layer files for, separated by commas')
      .option('--stage <name>', 'a stage to add')
      .option('--like <stage>', 'with --stage: the stage whose layers lie below its own')
      .option('--split', 'share an ignored .env: move its secrets to .env.local, and remove the ignore rule')
      .option('--apply', 'write without asking, all files or none')
      .option('--json', 'print the changes as JSON')
      .addHelpText('after', '\nExample:\n  mappa init\n  mappa init --stage preview --like staging --apply')
      .action(async (options: InitOptions) => {
        const { init } = await import('./run.js')
        run.finish(await init(options))
      })
  },
}
