import { Argument } from 'commander'
import type { CommandDefinition } from '../definition.js'
import type { Shell } from './shells.js'

export const completionCommand: CommandDefinition = {
  name: 'completion',
  define(command, run) {
    command
      .summary('print completion for a shell')
      .description('Prints a script that completes commands, options, stages and variable names.')
      .addArgument(new Argument('<shell>', 'the shell').choices(['bash', 'zsh', 'fish']))
      .addHelpText('after', '\nExample:\n  eval "$(mappa completion bash)"')
      .action(async (shell: Shell) => {
        const { completion } = await import('./run.js')
        run.finish(await completion(shell, run.rest, run.commands(), run.binary))
      })
  },
}
