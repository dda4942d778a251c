import { entryIn } from '../../legend/entry.js'
import { must, mustBeLegend, whatIs } from '../../legend/given.js'
import type { Legend } from '../../legend/legend.js'
import { entriesOf } from '../../legend/legend.js'
import { nearest } from '../../legend/text/nearest.js'
import { flagOf } from '../../report/help.js'
import type { Fault } from '../../settle/faults/faults.js'
import { type Layer, layerFromValues } from '../../settle/stack/layer.js'

/** Settings from a command line. */
export interface Flags {
  /** The values that its flags give; what is wrong with them is among its faults. */
  readonly layer: Layer
  /** The other arguments, in order: the program's own. */
  readonly rest: readonly string[]
  /** True if `--help` or `-h` asks for help. */
  readonly help: boolean
}

const layerName = 'the command line'

/**
 * Reads a command line: `--collector-port 5000` and `--collector-port=5000` for `COLLECTOR_PORT`, `--swarm-alerts` and
 * `--no-swarm-alerts` for a switch, what follows `--` left alone. Secrets, and flags that no entry has, are refused
 * without repeating them, since anyone on the machine can read a command line, and a flag may be a slip of a secret.
 */
export function layerFromFlags(definition: Legend<unknown>, args: readonly string[], stage = 'development'): Flags {
  mustBeLegend(definition, 'layerFromFlags')
  must(
    Array.isArray(args),
    `layerFromFlags takes a list of arguments, but got ${whatIs(args)}. Write: process.argv.slice(2)`,
  )
  const { parseArgs } = process.getBuiltinModule('node:util')
  const entries = new Map(
    Object.entries(entriesOf(definition)).map(([name, entry]) => {
      return [flagOf(name), { name, entry: entryIn(entry, stage, definition.like) }]
    }),
  )
  const options = Object.fromEntries(
    [...entries].map(([flag, { entry }]) => [
      flag,
      { type: entry.type === 'boolean' ? ('boolean' as const) : ('string' as const) },
    ]),
  )
  const { tokens, positionals } = parseArgs({
    args: [...args],
    options: { ...options, help: options.help ?? { type: 'boolean', short: 'h' } },
    strict: false,
    allowPositionals: true,
    tokens: true,
  })
  const values: Record<string, string> = Object.create(null)
  const faults: Fault[] = []
  let help = false
  for (const token of tokens) {
    if (token.kind !== 'option') continue
    const negative = token.name.startsWith('no-') && !entries.has(token.name)
    const flag = negative ? token.name.slice(3) : token.name
    const known = entries.get(flag)
    const isSwitch = known?.entry.type === 'boolean'
    if (!known && token.name === 'help' && token.value === undefined) help = true
    else if (!known || (negative && !isSwitch)) faults.push(unknownFlag(flag, token.index + 1, [...entries.keys()]))
    else if (known.entry.secret) faults.push(secretFlag(known.name))
    else if (isSwitch) values[known.name] = negative ? 'false' : (token.value ?? 'true')
    else if (token.value === undefined || (!token.inlineValue && token.value.startsWith('--')))
      faults.push(noValue(flag, known.name))
    else values[known.name] = token.value
  }
  return {
    layer: { ...layerFromValues(layerName, values, { source: 'command-line' }), faults },
    rest: positionals,
    help,
  }
}

function unknownFlag(flag: string, position: number, known: readonly string[]): Fault {
  const near = nearest(flag, known)
  return {
    kind: 'refused',
    message: `Argument ${position} of the command line is an unknown flag.`,
    layer: layerName,
    remedy: near ? `Write: --${near}` : 'Run with --help for a list of flags.',
  }
}

function secretFlag(name: string): Fault {
  return {
    kind: 'refused',
    name,
    message: `${name} is secret, but other processes can read the command line.`,
    layer: layerName,
    remedy: `Write ${name}=… in .env.local, or set it in the process environment.`,
  }
}

function noValue(flag: string, name: string): Fault {
  return {
    kind: 'refused',
    name,
    message: `The flag --${flag} needs a value.`,
    layer: layerName,
    remedy: `Write: --${flag}=…`,
  }
}
