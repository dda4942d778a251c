import { Option } from 'commander'
import { type CommandDefinition, located } from '../definition.js'
import type { GuardOptions } from './run.js'

const onlySearching = ['staged', 'since', 'bundle', 'paths', 'json', 'sarif']

export const guardCommand: CommandDefinition = {
  name: 'guard',
  writes: ({ install, uninstall }) => install === true || uninstall === true,
  define(command, run) {
    located(command.summary('find secrets in files, commits and builds'))
      .description(
        'Searches tracked files, git history, packages, builds and files to share. Finds the values of secrets in every encoding, and text that looks like a key.',
      )
      .option('--staged', 'only staged changes')
      .addOption(
        new Option('--since <revision>', 'only commits after this one, as a push sends them').conflicts('staged'),
      )
      .addOption(new Option('--no-history', 'only current files, not earlier commits'))
      .addOption(
        new Option('--bundle <path>', 'only a build output: a folder or a file').conflicts(['staged', 'since']),
      )
      .addOption(
        new Option('--paths <path...>', 'only files, folders and archives to share').conflicts([
          'staged',
          'since',
          'bundle',
        ]),
      )
      .option('--value <->', 'also search for values typed unseen, or from standard input, one per line')
      .addOption(
        new Option('--install', 'run guard --staged before each commit').conflicts([...onlySearching, 'uninstall']),
      )
      .addOption(new Option('--uninstall', 'take out what --install put in').conflicts(onlySearching))
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
