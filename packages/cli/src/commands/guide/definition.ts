import { Option } from 'commander'
import { UsageError } from '../../terminal/usage-error.js'
import { type CommandDefinition, located, refuseOddNames } from '../definition.js'
import type { GuideOptions } from './run.js'

export const guideCommand: CommandDefinition = {
  name: 'guide',
  define(command, run) {
    located(command.summary('show what each variable is for'))
      .description('Shows what each variable is for, what it must be and where to get it. It shows no values.')
      .addOption(
        new Option('--as <form>', 'the form: text, markdown, or html (a single page)')
          .choices(['text', 'markdown', 'html'])
          .default('text'),
      )
      .argument('[names...]', "only these variables; * is a wildcard: 'ALERT_*'")
      .option('--stage <name>', 'only this stage')
      .option('--json', 'print the variables as JSON')
      .addHelpText('after', '\nExample:\n  mappa guide ALERT_TOKEN\n  mappa guide --as html > guide.html')
      .action(async (names: string[], options: GuideOptions) => {
        refuseOddNames(names, 'guide')
        if (options.json && options.as !== 'text') throw new UsageError('guide takes --json or --as, not both.')
        const { guide } = await import('./run.js')
        run.finish(await guide(names, options))
      })
  },
}
