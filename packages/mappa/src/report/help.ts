import { describeEntry } from '../legend/constraints.js'
import { type AnyEntry, entryIn } from '../legend/entry.js'
import { mustBeLegend } from '../legend/given.js'
import type { Legend } from '../legend/legend.js'
import { entriesOf } from '../legend/legend.js'
import { printable } from '../settle/faults/faults.js'
import { textFor } from '../settle/value/convert.js'
import { wrap } from './report-text.js'

/** Options of {@link flagHelp}. */
export interface HelpOptions {
  /** The command that starts the program, for the first line: `node server.js`. */
  readonly program?: string
  /** The stage whose defaults and limits are shown; `development` by default. */
  readonly stage?: string
  /** Columns to fit into; 80 by default. */
  readonly width?: number
}

/** The flag of a variable: `--listen-port` for `LISTEN_PORT`, here without its dashes. */
export function flagOf(name: string): string {
  return name.toLowerCase().replaceAll('_', '-')
}

/** A program's flags as help, from its legend: each with what it is for, what it takes, and its default. */
export function flagHelp(definition: Legend<unknown>, options: HelpOptions = {}): string {
  mustBeLegend(definition, 'flagHelp')
  const { program = 'node …', stage = 'development', width = 80 } = options
  const entries = Object.entries(entriesOf(definition))
    .map(([name, entry]) => [name, entryIn(entry, stage, definition.like)] as const)
    .sort(([a], [b]) => (a < b ? -1 : 1))
  const open = entries.filter(([, entry]) => !entry.secret)
  const secrets = entries.filter(([, entry]) => entry.secret).map(([name]) => name)
  const blocks = open.flatMap(([name, entry]) => [
    `  --${flagOf(name)}${entry.type === 'boolean' ? `, --no-${flagOf(name)}` : ` ${entry.type.toUpperCase()}`}`,
    ...wrap(sentenceOf(name, entry), width - inner.length).map((line) => inner + line),
  ])
  const hidden = `Secrets are not flags, because other processes can read a command line: ${secrets.join(', ')}.`
  return `${[
    `Usage: ${program} [flags]`,
    '',
    'A flag overrides the process environment and the layer files.',
    '',
    ...blocks,
    '  -h, --help',
    `${inner}Show this help.`,
    ...(secrets.length > 0 ? ['', ...wrap(hidden, width)] : []),
  ].join('\n')}\n`
}

const inner = '        '

function sentenceOf(name: string, entry: AnyEntry): string {
  const about = entry.description ? `${printable(entry.description).replace(/\.$/, '')}. ` : ''
  const fallback =
    entry.default !== undefined
      ? `, default ${printable(textFor(entry, entry.default))}`
      : entry.optional
        ? ', optional'
        : ''
  return `${about}${name}: ${describeEntry(entry)}${fallback}.`
}
