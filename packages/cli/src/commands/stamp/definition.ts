import { type CommandDefinition, staged } from '../definition.js'
import type { StampOptions } from './run.js'
import type { TemplateForm } from './stamped.js'

/** The forms of templates, as the option says them; what they are is in `stamped.ts`, which is loaded when it is needed. */
const knownForms: Readonly<Record<TemplateForm, true>> = {
  yaml: true,
  compose: true,
  json: true,
  html: true,
  text: true,
}

export const stampCommand: CommandDefinition = {
  name: 'stamp',
  define(command, run) {
    staged(command.summary('puts values into templates and pages'))
      .description(
        "Puts a stage's values into templates where ${NAME} stands: YAML, JSON, HTML and plain text, none of which a value can break. Built pages also get the values that they take when they are handed out. Without an option, it is printed.",
      )
      .argument('<file...>', 'templates, or pages that a build has made')
      .option('--out <path>', 'write the result to another file, or all results into a folder')
      .option('--in-place', "write the files themselves; a page's compressed copies and digests are made anew")
      .option('--against <stage>', "show how the result differs from another stage's")
      .option('--list', 'show only which names the files use, and where')
      .option('--json', 'with --list: as JSON')
      .option(
        '--as <form>',
        `how the files are read, if their names do not say it: ${Object.keys(knownForms).join(', ')}`,
      )
      .addHelpText(
        'after',
        '\nExample:\n  mappa stamp deploy/collector.yaml --stage staging > collector.yaml\n  mappa stamp compose.yaml --stage production --against staging\n  mappa stamp dist/index.html --stage staging --in-place',
      )
      .action(async (files: string[], options: StampOptions) => {
        const { stamp } = await import('./run.js')
        run.finish(await stamp(files, options))
      })
  },
}
