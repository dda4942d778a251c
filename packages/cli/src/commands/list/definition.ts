import { type Captured, type CommandDefinition, captured, staged } from '../definition.js'
import type { ListOptions } from './run.js'

export const listCommand: CommandDefinition = {
  name: 'list',
  define(command, run) {
    captured(staged(command.summary('one line a variable: its value, and where it is from')))
      .description('Lists the variables of a stage, each with its value and where that comes from. Secrets are masked.')
      .argument('[stage-or-names...]', "the stage, then variables; * stands for any part of a name: 'ALERT_*'")
      .option('--missing', 'only what must have a value and has none')
      .option('--secrets', 'only secrets')
      .option('--json', 'print the list as JSON')
      .addHelpText(
        'after',
        "\nExample:\n  mappa list staging\n  mappa list --missing\n  mappa list production 'ALERT_*'",
      )
      .action(async (names: string[], { environment, ...options }: Captured<ListOptions>) => {
        const { list } = await import('./run.js')
        run.finish(await list(names, { ...options, captured: environment }))
      })
  },
}
