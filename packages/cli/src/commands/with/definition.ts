import { Option } from 'commander'
import type { ProjectOptions } from '../../project/project.js'
import { shareDescriptors } from '../../terminal/terminal.js'
import { UsageError } from '../../terminal/usage-error.js'
import { type CommandDefinition, namedStage, staged } from '../definition.js'

export const withCommand: CommandDefinition = {
  name: 'with',
  define(command, run) {
    staged(command.summary("run a program with a stage's values"))
      .description("Runs a program with a stage's values in its environment. Starts nothing while there are faults.")
      .usage('[stage] [options] -- command …')
      .argument('[stage]', 'the stage (default: MAPPA_STAGE, NODE_ENV or development)')
      .option('--watch', 'restart the program when a value changes')
      .addOption(
        new Option('--grace <seconds>', 'with --watch: seconds the program has to exit (default: 5)').argParser(
          seconds,
        ),
      )
      .addHelpText('after', '\nExample:\n  mappa with staging -- node server.js\n  mappa with --watch -- npm run dev')
      .action(async (stage: string | undefined, options: WithOptions) => {
        const [program, ...args] = run.rest ?? []
        if (program === undefined)
          throw new UsageError('Write the command after --, for example: mappa with staging -- node server.js')
        if (options.grace !== undefined && !options.watch) throw new UsageError('--grace is for with --watch.')
        const named = { ...options, ...namedStage(stage, options) }
        shareDescriptors()
        const start = options.watch
          ? (await import('./watch.js')).watchSettings
          : (await import('./run.js')).withSettings
        run.finish(await start([program, ...args], named))
      })
  },
}

interface WithOptions extends ProjectOptions {
  readonly watch?: boolean
  readonly grace?: number
}

function seconds(text: string): number {
  const value = Number(text)
  if (text.trim() === '' || !(value >= 0 && value <= 3600))
    throw new UsageError('--grace takes seconds from 0 to 3600, for example --grace 10.')
  return value
}
