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
  writes: ({ inPlace, out }) => inPlace === true || out !== undefined,
  define(command, run) {
    staged(command.summary('fill templates and pages with values'))
      .description(
        "Replaces ${NAME} in templates by a stage's values, and keeps YAML, JSON and HTML valid. Built pages also get their start-fixed values. Prints the result unless an option says where to write.",
      )
      .argument('<file...>', 'templates or built pages')
      .option('--out <path>', 'the file to write, or a folder for several')
      .option('--in-place', 'change the files themselves, with their compressed copies and digests')
      .option('--against <stage>', 'show the differences to another stage')
      .option('--list', 'show only which names the files use, and where')
      .option('--json', 'with --list: print JSON')
      .option('--as <form>', `the format of the files (default: by their names): ${Object.keys(knownForms).join(', ')}`)
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
