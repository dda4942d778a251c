import { type Captured, type CommandDefinition, captured, refuseOddNames, staged } from '../definition.js'
import type { TraceOptions } from './run.js'

export const traceCommand: CommandDefinition = {
  name: 'trace',
  define(command, run) {
    captured(staged(command.summary('show where a value comes from')))
      .description('Shows every layer that sets a variable, the winner first. Secrets are masked.')
      .argument('<name...>', "variables; * is a wildcard: 'ALERT_*'")
      .option('--json', 'print the trail as JSON')
      .option('--same-as <->', 'compare the value with one typed unseen, or from standard input')
      .addHelpText('after', "\nExample:\n  mappa trace COLLECTOR_PORT --stage staging\n  mappa trace '*'")
      .action(async (names: string[], { environment, ...options }: Captured<TraceOptions>) => {
        refuseOddNames(names, 'trace')
        const { trace } = await import('./run.js')
        run.finish(await trace(names, { ...options, captured: environment }))
      })
  },
}
