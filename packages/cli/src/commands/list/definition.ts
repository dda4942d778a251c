import { type Captured, type CommandDefinition, captured, staged } from '../definition.js'
import type { ListOptions } from './run.js'

export const listCommand: CommandDefinition = {
  name: 'list',
  define(command, run) {
    captured(staged(command.summary('list variables, their values and sources')))
      .description('Lists the variables of a stage, each with its value and where it comes from. Secrets are masked.')
      .argument('[stage-or-names...]', "the stage, then variables; * is a wildcard: 'ALERT_*'")
      .option('--missing', 'only required variables without a value')
      .option('--secrets', 'only secrets')
      .option('--bundle <path>', 'also say of which stages the values in a build output are')
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
