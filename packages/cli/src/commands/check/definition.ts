import { Option } from 'commander'
import { UsageError } from '../../terminal/usage-error.js'
import { type Captured, type CommandDefinition, captured, namedStage, staged } from '../definition.js'
import type { CheckOptions } from './run.js'

export const checkCommand: CommandDefinition = {
  name: 'check',
  define(command, run) {
    captured(staged(command.summary('every fault and notice of a stage')))
      .description('Checks a stage: every fault and notice, each with its place and what to do.')
      .addOption(new Option('--json', 'print the report as JSON').conflicts(['sarif', 'lines']))
      .addOption(
        new Option('--sarif', 'print the report as SARIF 2.1.0, for what shows it beside the code').conflicts('lines'),
      )
      .option('--lines', 'print a line for each: file:line:column: text')
      .addOption(
        new Option(
          '--every-stage',
          "check all stages that have something of their own, without this machine's process environment",
        ).conflicts('stage'),
      )
      .addOption(
        new Option(
          '--as-cloned',
          'all that a clone alone can be held to, in every stage, and what has to come from elsewhere',
        ).conflicts(['stage', 'everyStage', 'code', 'environment']),
      )
      .option('--strict', 'end with 1 for notices, too')
      .option('--code', 'also name what the code reads without an entry, and entries that nobody reads')
      .argument('[stage]', 'the stage, as with --stage')
      .addHelpText('after', '\nExample:\n  mappa check production\n  mappa check --code')
      .action(async (stage: string | undefined, { environment, ...options }: Captured<CheckOptions>) => {
        if (stage !== undefined && (options.everyStage || options.asCloned))
          throw new UsageError(
            `check takes a stage or ${options.everyStage ? '--every-stage' : '--as-cloned'}, and not both.`,
          )
        if (environment !== undefined && options.everyStage)
          throw new UsageError('--environment is what one stage has, and --every-stage leaves it out.')
        const { check } = await import('./run.js')
        run.finish(await check({ ...options, ...namedStage(stage, options), captured: environment }))
      })
  },
}
