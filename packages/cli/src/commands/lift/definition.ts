import { Option } from 'commander'
import { UsageError } from '../../terminal/usage-error.js'
import { type CommandDefinition, staged } from '../definition.js'
import type { LiftOptions } from './run.js'

export const liftCommand: CommandDefinition = {
  name: 'lift',
  writes: ({ apply, pick }) => apply === true || pick === true,
  define(command, run) {
    staged(command.summary('move settings and keys out of code'))
      .description('Finds settings and keys in code, and shows how to move them to layers. Writes only with --apply.')
      .option('--diff', 'show the changes of each file')
      .addOption(new Option('--apply', 'write the changes, all files or none').conflicts('json'))
      .option('--only <names>', 'only these candidates, separated by commas')
      .option('--why <names>', 'explain these candidates: reasons and every place')
      .option('--unproved', 'with --only: move them even if the program may get other values')
      .option('--pick', 'ask about each candidate: move, rename, mark as secret or leave')
      .option('--compose', 'move values of compose files, too')
      .option('--build', "with --apply: run the project's type check or build afterwards")
      .option('--progress', 'print progress each second, also without a terminal')
      .option('--uncommitted', 'with --apply: allow uncommitted changes, or a project without git')
      .option('--json', 'print the candidates as JSON')
      .addHelpText('after', '\nExample:\n  mappa lift --only SESSION_SECRET,DATABASE_URL --apply')
      .action(async (options: LiftOptions) => {
        if (options.uncommitted && !options.apply && !options.pick)
          throw new UsageError('--uncommitted is for lift --apply.')
        if (options.build && !options.apply && !options.pick) throw new UsageError('--build is for lift --apply.')
        if (options.unproved && options.only === undefined) throw new UsageError('--unproved needs --only.')
        const { lift } = await import('./run.js')
        // It ends with a check of what it has written.
        const { check } = await import('../check/run.js')
        run.finish(await lift(options, check))
      })
  },
}
