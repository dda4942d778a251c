import { Option } from 'commander'
import { UsageError } from '../../terminal/usage-error.js'
import { type CommandDefinition, located, refuseOddNames } from '../definition.js'
import type { GuideOptions } from './run.js'

export const guideCommand: CommandDefinition = {
  name: 'guide',
  define(command, run) {
    located(command.summary('the variables as help'))
      .description('Prints what each variable is for, what it takes and where to obtain it. No value is shown.')
      .addOption(
        new Option('--as <form>', 'the form: text, markdown, or html, a page of its own')
          .choices(['text', 'markdown', 'html'])
          .default('text'),
      )
      .argument('[names...]', "these variables alone; * stands for any part of a name: 'ALERT_*'")
      .option('--stage <name>', 'the words of this stage alone')
      .option('--json', 'print the variables as JSON')
      .addHelpText('after', '\nExample:\n  mappa guide ALERT_TOKEN\n  mappa guide --as html > guide.html')
      .action(async (names: string[], options: GuideOptions) => {
        refuseOddNames(names, 'guide')
        if (options.json && options.as !== 'text') throw new UsageError('guide takes --json or --as, and not both.')
        const { guide } = await import('./run.js')
        run.finish(await guide(names, options))
      })
  },
}
