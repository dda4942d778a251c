import { Option } from 'commander'
import { shareDescriptors } from '../../terminal/terminal.js'
import { UsageError } from '../../terminal/usage-error.js'
import { type CommandDefinition, located, namedStage } from '../definition.js'
import type { WitnessOptions } from './run.js'

export const witnessCommand: CommandDefinition = {
  name: 'witness',
  define(command, run) {
    located(
      command
        .summary('show which variables a program reads, and what it gets')
        .option('--stage <name>', 'the stage to compare with (default: MAPPA_STAGE, NODE_ENV or development)'),
    )
      .description(
        'Runs a program as it is and watches its Node processes: which variables they ask for, where, and what they get. Gives it no value.',
      )
      .usage('[stage] [options] -- command …')
      .argument('[stage]', 'the stage to compare with (default: MAPPA_STAGE, NODE_ENV or development)')
      .addOption(
        new Option(
          '--stop-after <duration>',
          'end the program after a while, as a container platform does: 20s',
        ).argParser(duration),
      )
      .option('--out <file>', 'also write the report as JSON')
      .option('--strict', 'exit with 1 if a value is different from what the layers say')
      .option('--json', 'print the report as JSON, to standard error')
      .addHelpText(
        'after',
        '\nExample:\n  mappa witness staging -- node server.js\n  mappa witness --stop-after 20s --strict -- npm start',
      )
      .action(async (stage: string | undefined, options: WitnessOptions) => {
        const [program, ...args] = run.rest ?? []
        if (program === undefined)
          throw new UsageError('Write the command after --, for example: mappa witness staging -- node server.js')
        shareDescriptors()
        const { watchProgram } = await import('./run.js')
        run.finish(await watchProgram([program, ...args], { ...options, ...namedStage(stage, options) }))
      })
  },
}

/** Milliseconds. */
function duration(text: string): number {
  const [, count, unit = ''] = /^(\d+(?:\.\d+)?)(ms|s|m|h)$/.exec(text) ?? []
  const milliseconds = Number(count) * ({ ms: 1, s: 1000, m: 60_000, h: 3_600_000 }[unit] ?? Number.NaN)
  if (!(milliseconds >= 1 && milliseconds <= 86_400_000))
    throw new UsageError('--stop-after takes a duration of at most 24h, for example --stop-after 20s.')
  return milliseconds
}
