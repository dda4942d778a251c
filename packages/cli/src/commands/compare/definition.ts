import { Option } from 'commander'
import { type Captured, type CommandDefinition, staged } from '../definition.js'
import type { CompareOptions } from './run.js'

export const compareCommand: CommandDefinition = {
  name: 'compare',
  define(command, run) {
    staged(command.summary('compare stages, hosts or commits'), 'with --host: the stage')
      .description(
        'Compares stages, with secrets masked. With --host, compares a stage with its host. With --since, shows changes since a commit, and what to set on each host before you deploy.',
      )
      .argument('[stages...]', 'the stages (default: all with values of their own)')
      .option('--all', 'also show variables that are the same in all stages')
      .option('--host <file-or-url>', "the host's variables, as JSON or layer text; compares only names")
      .option('--environment <files...>', 'compare process environments captured on several machines')
      .option('--values', 'with --host: also compare values that are not secret')
      .option('--since <revision>', 'show changes since a commit: main, v1.2.0, HEAD~3')
      .addOption(
        new Option('--as <form>', 'with --since: text, or markdown for a review').choices(['text', 'markdown']),
      )
      .option('--token-from <name>', 'the variable with the token for the address')
      .option('--json', 'print the comparison as JSON')
      .addHelpText(
        'after',
        '\nExample:\n  mappa compare staging production\n  mappa compare production --host https://host.example/settings --token-from HOST_TOKEN\n  mappa compare --stage production --environment one.txt two.txt\n  mappa compare --since main --as markdown',
      )
      .action(async (stages: string[], { environment, ...options }: Captured<CompareOptions, string[]>) => {
        const { compare } = await import('./run.js')
        run.finish(await compare(stages, { ...options, captured: environment }))
      })
  },
}
