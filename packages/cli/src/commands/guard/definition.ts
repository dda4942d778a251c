import { Option } from 'commander'
import { type CommandDefinition, located } from '../definition.js'
import type { GuardOptions } from './run.js'

export const guardCommand: CommandDefinition = {
  name: 'guard',
  define(command, run) {
    located(command.summary('secrets where they must not be'))
      .description(
        'Looks for secrets where they must not be: in files and commits of version control, in what is packed, in what was built or is to be handed on. It looks for the values of the legend in all spellings, and for what has the shape of a key.',
      )
      .option('--staged', 'only what the next commit would add')
      .addOption(
        new Option('--since <revision>', 'only what commits behind it have added, as a push would send').conflicts(
          'staged',
        ),
      )
      .addOption(new Option('--no-history', 'only files as they are, without what commits had'))
      .addOption(
        new Option('--bundle <path>', 'only what a build made, a folder or a file').conflicts(['staged', 'since']),
      )
      .addOption(
        new Option('--paths <path...>', 'only files, folders and archives that are to be handed on').conflicts([
          'staged',
          'since',
          'bundle',
        ]),
      )
      .option('--value <->', 'look also for values that are typed unseen, or come on standard input, one a line')
      .addOption(
        new Option('--install', 'run guard --staged before each commit').conflicts([
          'staged',
          'since',
          'bundle',
          'paths',
          'json',
          'sarif',
        ]),
      )
      .addOption(new Option('--json', 'print the report as JSON').conflicts('sarif'))
      .option('--sarif', 'print the report as SARIF 2.1.0')
      .addHelpText(
        'after',
        '\nExample:\n  mappa guard\n  mappa guard --since origin/main\n  mappa guard --paths report.docx image.tar\n  mappa guard --install',
      )
      .action(async (options: GuardOptions) => {
        const { guard } = await import('./run.js')
        run.finish(await guard(options))
      })
  },
}
