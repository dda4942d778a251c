import { Argument } from 'commander'
import type { CommandDefinition } from '../definition.js'
import type { Shell } from './shells.js'

export const completionCommand: CommandDefinition = {
  name: 'completion',
  define(command, run) {
    command
      .summary('completion for a shell')
      .description('Prints what makes a shell complete commands, options, stages and names of variables.')
      .addArgument(new Argument('<shell>', 'the shell').choices(['bash', 'zsh', 'fish']))
      .addHelpText('after', '\nExample:\n  eval "$(mappa completion bash)"')
      .action(async (shell: Shell) => {
        const { completion } = await import('./run.js')
        run.finish(await completion(shell, run.rest, run.commands(), run.binary))
      })
  },
}
