import { type Notice, nearest } from './faults.js'
import type { Layer } from './layer.js'
import { lineAt, nameSpot, rangesOf, valueSpot } from './places.js'
import { changesLoading, type Reading, type StageEntries } from './read.js'
import type { Stage } from './stage.js'

/** What does not stop, but deserves a look. Worked out only for a report: a start that goes well never asks. */
export function noticesOf({ entries, layers, stack, stage, problems }: Reading): Notice[] {
  const missing = new Set(problems.filter(({ breach }) => breach === 'missing').map(({ name }) => name))
  const names = new Set(stack.names())
  const files = layers.filter((layer) => layer.source === 'file')
  return [
    ...files.flatMap((layer) =>
      [...layer.names()].flatMap((name) => [...nameNotices(layer, name, entries, missing, names)]),
    ),
    ...[...entries.keys()].flatMap((name) => [...stackNotices(name, entries, layers, stage)]),
  ]
}

function* nameNotices(
  layer: Layer,
  name: string,
  entries: StageEntries,
  missing: ReadonlySet<string>,
  names: ReadonlySet<string>,
): Generator<Notice> {
  const ranges = rangesOf(layer, name)
  if (ranges.length > 1)
    yield {
      kind: 'read-differently',
      name,
      message: `${name} is set ${ranges.length} times in ${layer.name}; the last one counts, and some readers take the first.`,
      ...nameSpot(layer, name, entries.get(name)),
      remedy: `Remove line ${ranges
        .slice(0, -1)
        .map(({ nameStart }) => lineAt(layer, nameStart))
        .join(', ')}.`,
    }
  const unknown = layer.parsed?.(name)?.bare.find((bare) => !entries.has(bare.name) && !names.has(bare.name))
  if (unknown)
    yield {
      kind: 'read-differently',
      name,
      message: `${name} holds a dollar sign with a name behind it; it stays text here, and a shell would expand it.`,
      ...nameSpot(layer, name, entries.get(name)),
      remedy: 'Put single quotes round the value.',
    }
  if (ranges.some(({ loose }) => loose))
    yield {
      kind: 'read-differently',
      name,
      message: `Blanks stand beside the equals sign of ${name}; a shell would not read this line.`,
      ...nameSpot(layer, name, entries.get(name)),
      remedy: `Write: ${name}=… without blanks round the equals sign`,
    }
  if (entries.size > 0 && !entries.has(name) && !followsFlaw(layer, ranges)) {
    const near = nearest(name, entries.keys())
    // The fault of the missing one names this line already.
    if (near !== undefined && missing.has(near)) return
    yield {
      kind: 'undeclared',
      name,
      message: `${name} has no entry in the legend.${near ? ` Did you mean ${near}?` : ''}`,
      ...nameSpot(layer, name, entries.get(name)),
      remedy: near ? `Rename it to ${near}, or add an entry for it.` : 'Add an entry for it, or remove the line.',
    }
  }
  if (changesLoading(name) && !entries.has(name))
    yield {
      kind: 'changes-loading',
      name,
      message: `${name} changes how programs load, so it is not taken from a layer file.`,
      ...nameSpot(layer, name, entries.get(name)),
      remedy: 'Set it where the program is started, or add an entry for it to the legend.',
    }
}

/**
 * Below a line that could not be understood, what looks like a name may be the end of a value, such as the last line of
 * a key in base64, so it is not repeated.
 */
function followsFlaw(layer: Layer, ranges: readonly { readonly nameStart: number }[]): boolean {
  const flawed = new Set(layer.flaws.map(({ start }) => lineAt(layer, start)))
  return ranges.some(({ nameStart }) => flawed.has(lineAt(layer, nameStart) - 1))
}

function* stackNotices(name: string, entries: StageEntries, layers: readonly Layer[], stage: Stage): Generator<Notice> {
  for (const layer of layers)
    if (layer.source === 'environment' && layer.get(name) === '')
      yield {
        kind: 'empty-ignored',
        name,
        message: `${name} is set to nothing in ${layer.name}, which counts as not set.`,
        layer: layer.name,
        remedy: `Unset it: unset ${name}`,
      }
  if (stage.name === 'development') return
  const top = layers.findLast((layer) => layer.source === 'file' && layer.get(name) !== undefined)
  const own = layers.findLast((layer) => layer.staged && !layer.local && layer.get(name) !== undefined)
  if (top?.local && own)
    yield {
      kind: 'hidden-by-local',
      name,
      message: `${name} of ${own.name} is hidden by this machine's ${top.name}.`,
      ...valueSpot(top, name, entries.get(name)),
      remedy: `Remove the line, unless this machine alone should differ in ${stage.name}.`,
    }
}
