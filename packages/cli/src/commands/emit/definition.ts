import { Option } from 'commander'
import { type CommandDefinition, staged } from '../definition.js'
import type { FormName } from './forms.js'
import type { EmitOptions } from './run.js'

/** The forms, as options say them; those that hold values are in `forms.ts`, which is loaded when it is needed. */
const emittedForms: Readonly<Record<FormName | 'module' | 'legend', true>> = {
  shell: true,
  layer: true,
  json: true,
  yaml: true,
  container: true,
  service: true,
  cluster: true,
  module: true,
  legend: true,
}

export const emitCommand: CommandDefinition = {
  name: 'emit',
  define(command, run) {
    staged(command.summary("hands a stage's values on, in the form that something else reads"))
      .description(
        "Hands a stage's values on in a form that something else reads. Two forms differ: module holds the values of pages with their types, for builders that have no plugin; legend is the legend as a JSON Schema document.",
      )
      .option('--as <form>', `${Object.keys(emittedForms).slice(0, -1).join(', ')}, or legend`)
      .option('--out <file>', 'the file to write, instead of standard output')
      .option('--only <names>', "only these variables, separated by commas; * stands for any part of a name: 'ALERT_*'")
      .addOption(
        new Option('--reach <reach>', 'only what is for servers, or for browsers').choices(['server', 'browser']),
      )
      .option('--no-secrets', 'without what others may not see')
      .option('--text', 'json, yaml: numbers, switches and lists as text, as an environment has them')
      .option('--name <name>', "cluster: what the objects are called, else as the root's directory")
      .option('--namespace <name>', 'cluster: where they belong')
      .option('--to <url>', 'a host that gets what it must have: secrets, and what no layer in version control gives')
      .option('--token-from <name>', 'with --to: the variable that holds the token for the host')
      .option('--apply', 'with --to: hand them over without asking')
      .option('--json', 'with --to: print what would be handed over, or with --apply has been, as JSON')
      .addHelpText(
        'after',
        '\nExample:\n  eval "$(mappa emit --as shell --stage staging)"\n  mappa emit --as cluster --stage production --no-secrets > settings.yaml\n  mappa emit --as module --stage staging --out src/settings.ts\n  mappa emit --to https://host.example/production --token-from HOST_TOKEN --stage production',
      )
      .action(async (options: EmitOptions) => {
        const { emit } = await import('./run.js')
        run.finish(await emit(options))
      })
  },
}
