import { Option } from 'commander'
import { type CommandDefinition, staged } from '../definition.js'
import type { CompareOptions } from './run.js'

export const compareCommand: CommandDefinition = {
  name: 'compare',
  define(command, run) {
    staged(command.summary('stages side by side, or a stage and its host'), 'with --host: the stage')
      .description(
        'Shows what differs between stages, secrets masked. With --host, names what a host lacks and what only it has. With --since, what has changed since a commit, and what each host must be given before that is deployed.',
      )
      .argument('[stages...]', 'the stages; by default those that have something of their own')
      .option('--all', 'also what is the same in all stages')
      .option('--host <file-or-url>', 'what a host says it has, as JSON or layer text; only names are compared')
      .option('--values', 'with --host: also the values of what is not secret')
      .option('--since <revision>', 'what has changed since a commit: main, v1.2.0, HEAD~3')
      .addOption(
        new Option('--as <form>', 'with --since: text, or markdown for a review').choices(['text', 'markdown']),
      )
      .option('--token-from <name>', 'the variable that holds the token for the address')
      .option('--json', 'print the comparison as JSON')
      .addHelpText(
        'after',
        '\nExample:\n  mappa compare staging production\n  mappa compare production --host https://host.example/settings --token-from HOST_TOKEN\n  mappa compare --since main --as markdown',
      )
      .action(async (stages: string[], options: CompareOptions) => {
        const { compare } = await import('./run.js')
        run.finish(await compare(stages, options))
      })
  },
}
