import { type Captured, type CommandDefinition, captured, refuseOddNames, staged } from '../definition.js'
import type { TraceOptions } from './run.js'

export const traceCommand: CommandDefinition = {
  name: 'trace',
  define(command, run) {
    captured(staged(command.summary('where values come from, and what they hide')))
      .description(
        'Shows where values come from: every layer that sets one, the one that counts first. Secrets are masked.',
      )
      .argument('<name...>', "variables; * stands for any part of a name: 'ALERT_*'")
      .option('--json', 'print the trail as JSON')
      .option('--same-as <->', 'say whether it has the value that is typed unseen, or comes on standard input')
      .addHelpText('after', "\nExample:\n  mappa trace COLLECTOR_PORT --stage staging\n  mappa trace '*'")
      .action(async (names: string[], { environment, ...options }: Captured<TraceOptions>) => {
        refuseOddNames(names, 'trace')
        const { trace } = await import('./run.js')
        run.finish(await trace(names, { ...options, captured: environment }))
      })
  },
}
