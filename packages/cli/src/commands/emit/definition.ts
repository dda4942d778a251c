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
  writes: ({ out }) => out !== undefined,
  define(command, run) {
    staged(command.summary("write a stage's values in another form"))
      .description(
        "Writes a stage's values in another form, or sends them to a host. Two forms are special: module is a typed module with the values of pages; legend is the legend as a JSON Schema document.",
      )
      .option('--as <form>', `${Object.keys(emittedForms).slice(0, -1).join(', ')}, or legend`)
      .option('--out <file>', 'the file to write (default: standard output)')
      .option('--only <names>', "only these variables, separated by commas; * is a wildcard: 'ALERT_*'")
      .addOption(
        new Option('--reach <reach>', 'only variables for servers, or for browsers').choices(['server', 'browser']),
      )
      .option('--no-secrets', 'leave secrets out')
      .option('--text', 'json, yaml: write numbers, switches and lists as text')
      .option('--name <name>', "cluster: the objects' name (default: the root folder's name)")
      .option('--namespace <name>', 'cluster: the namespace of the objects')
      .option('--to <url>', 'send to a host what it must have: secrets, and values that no committed layer sets')
      .option('--token-from <name>', 'with --to: the variable with the token for the host')
      .option('--apply', 'with --to: send without asking')
      .option('--json', 'with --to: print the values sent as JSON, masked')
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
