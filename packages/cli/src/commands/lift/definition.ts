import { Option } from 'commander'
import { UsageError } from '../../terminal/usage-error.js'
import { type CommandDefinition, staged } from '../definition.js'
import type { LiftOptions } from './run.js'

export const liftCommand: CommandDefinition = {
  name: 'lift',
  define(command, run) {
    staged(command.summary('moves settings and keys out of code'))
      .description(
        'Finds settings and keys in code, and shows how they would move to layers. Writes nothing without --apply.',
      )
      .option('--diff', 'show how each file would change')
      .addOption(new Option('--apply', 'make the changes, all files or none').conflicts('json'))
      .option('--only <names>', 'only these candidates, separated by commas')
      .option('--pick', 'ask about each candidate: move, rename, mark as secret, leave')
      .option('--compose', 'compose files take their values from layers, too')
      .option('--build', "with --apply: then run the project's own type check or build")
      .option('--progress', 'a line a second while it looks, where there is no terminal, too')
      .option('--uncommitted', 'with --apply: although there are uncommitted changes, or no version control')
      .option('--json', 'print the candidates as JSON')
      .addHelpText('after', '\nExample:\n  mappa lift --only SESSION_SECRET,DATABASE_URL --apply')
      .action(async (options: LiftOptions) => {
        if (options.uncommitted && !options.apply && !options.pick)
          throw new UsageError('--uncommitted is for lift --apply.')
        if (options.build && !options.apply && !options.pick) throw new UsageError('--build is for lift --apply.')
        const { lift } = await import('./run.js')
        // It ends with a check of what it has written.
        const { check } = await import('../check/run.js')
        run.finish(await lift(options, check))
      })
  },
}
