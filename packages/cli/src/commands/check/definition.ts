import { Option } from 'commander'
import { UsageError } from '../../terminal/usage-error.js'
import { type Captured, type CommandDefinition, captured, namedStage, staged, writesIfApplied } from '../definition.js'
import type { CheckOptions } from './run.js'

export const checkCommand: CommandDefinition = {
  name: 'check',
  writes: (options) => options.accept !== undefined && writesIfApplied(options),
  define(command, run) {
    captured(staged(command.summary('check a stage and report every fault')))
      .description('Checks the values of a stage, and reports every fault and notice with its place and a remedy.')
      .addOption(new Option('--json', 'print the report as JSON').conflicts(['sarif', 'lines']))
      .addOption(new Option('--sarif', 'print the report as SARIF 2.1.0 (for code review tools)').conflicts('lines'))
      .option('--lines', 'print one line for each: file:line:column: text')
      .addOption(
        new Option('--every-stage', "check all stages, without this machine's process environment").conflicts('stage'),
      )
      .addOption(
        new Option('--as-cloned', 'check what a fresh clone has, in every stage (for CI; needs no secret)').conflicts([
          'stage',
          'everyStage',
          'code',
          'environment',
        ]),
      )
      .option('--strict', 'exit with 1 for notices, too')
      .addOption(
        new Option('--bundle <path>', 'also check that a build output has the values of this stage').conflicts([
          'everyStage',
          'asCloned',
        ]),
      )
      .option('--accept <kind>', 'write into the legend that it accepts what is there of a kind now (shown first)')
      .option('--because <reason>', 'with --accept: why')
      .option('--until <date>', 'with --accept: the last day, such as 2027-06-30')
      .option('--apply', 'with --accept: write without asking')
      .option('--code', 'also report undeclared and unused variables in code')
      .argument('[stage]', 'the stage, as with --stage')
      .addHelpText('after', '\nExample:\n  mappa check production\n  mappa check --code')
      .action(async (stage: string | undefined, { environment, ...options }: Captured<CheckOptions>) => {
        if (stage !== undefined && (options.everyStage || options.asCloned))
          throw new UsageError(
            `check takes a stage or ${options.everyStage ? '--every-stage' : '--as-cloned'}, not both.`,
          )
        if (environment !== undefined && options.everyStage)
          throw new UsageError('--environment is for one stage, so it cannot be used with --every-stage.')
        const { check } = await import('./run.js')
        run.finish(await check({ ...options, ...namedStage(stage, options), captured: environment }))
      })
  },
}
