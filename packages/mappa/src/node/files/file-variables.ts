import { type AnyEntry, entryIn, type Likes } from '../../legend/entry.js'
import type { Legend } from '../../legend/legend.js'
import { entriesOf } from '../../legend/legend.js'
import { type Fault, printable } from '../../settle/faults/faults.js'
import { Expander } from '../../settle/stack/expand.js'
import { type Layer, layerFromValues, sourceFacts } from '../../settle/stack/layer.js'
import { nameSpot, valueSpot } from '../../settle/stack/places.js'
import { path } from './builtins.js'
import { readValueFile } from './directory.js'
import { isDirectory } from './files.js'
import { pathFrom, shownPath } from './shown-path.js'

/** Suffix of a variable that names a file: `ALERT_TOKEN_FILE`. */
const suffix = '_FILE'

/**
 * The layers with those added that `NAME_FILE` variables give: each holds one value, and lies directly above the layer
 * that names its file. `paths` collects the files.
 */
export function withFileVariables(
  layers: readonly Layer[],
  definition: Legend<unknown> | undefined,
  stage: string,
  root: string,
  paths: string[],
): readonly Layer[] {
  // Most legends have none, and every start asks.
  const names = definition ? namesWithFile(definition, stage) : []
  if (names.length === 0) return layers
  const added = new Map<Layer, Layer[]>()
  const expander = new Expander(layers, new Map(Object.entries(entriesOf(definition))), new Map())
  for (const name of names) {
    let covered = false
    for (let at = layers.length - 1; at >= 0; at--) {
      const layer = layers[at] as Layer
      const own = layer.get(name)
      const text = layer.get(name + suffix)
      if (text) {
        const hit = { layer, text, at, dollar: layer.source === 'file' }
        const expanded = expander.expand(name + suffix, hit)
        // An invalid expansion is reported where every layer's names are read.
        const file = 'problem' in expanded ? undefined : path.resolve(root, expanded.text)
        if (file !== undefined) {
          paths.push(file)
          const found = own ? twice(name, layer) : fileLayer(name, layer, file, root, definition)
          if (!('kind' in found)) added.set(layer, [...(added.get(layer) ?? []), found])
          else if (!covered) added.set(layer, [...(added.get(layer) ?? []), faultLayer(name, layer, found)])
        }
      }
      covered ||= own !== undefined || text !== undefined
    }
  }
  return layers.flatMap((layer) => [layer, ...(added.get(layer) ?? [])])
}

const namesByStage = new WeakMap<Legend<unknown>, Map<string, readonly string[]>>()

/** Computed once for each legend and stage. */
function namesWithFile(definition: Legend<unknown>, stage: string): readonly string[] {
  const stages = namesByStage.get(definition) ?? new Map<string, readonly string[]>()
  namesByStage.set(definition, stages)
  let names = stages.get(stage)
  if (!names) {
    const entries = entriesOf(definition)
    names = Object.keys(entries).filter((name) => mayNameFile(entries[name], stage, definition.like))
    stages.set(stage, names)
  }
  return names
}

function mayNameFile(entry: AnyEntry | undefined, stage: string, like: Likes | undefined): boolean {
  return entry?.stages ? entryIn(entry, stage, like).file === true : entry?.file === true
}

/** Sources that only this machine fills: what they name may be anywhere, and a pipe. */
function isMachine({ source, local }: Layer): boolean {
  return local === true || sourceFacts(source).ownMachine === true
}

/** Tells whether a path lies in a directory, by its letters: links are followed. */
function liesIn(directory: string, file: string): boolean {
  const relative = path.relative(directory, file)
  return relative !== '..' && !relative.startsWith(`..${path.sep}`) && !path.isAbsolute(relative)
}

function fileLayer(
  name: string,
  layer: Layer,
  file: string,
  root: string,
  definition: Legend<unknown> | undefined,
): Layer | Fault {
  const shown = printable(liesIn(root, file) ? pathFrom(root, file) : shownPath(file))
  const named = definition?.directories
  const mayName = [root, ...(Array.isArray(named) ? named : []).map((each) => path.resolve(root, each))]
  if (!isMachine(layer) && !mayName.some((directory) => liesIn(directory, file)))
    return {
      kind: 'unreadable',
      name,
      message: `${name}${suffix} in ${layer.name} names a file outside the root, ${shown}, but only layers of this machine may do that.`,
      layer: layer.name,
      ...valueSpot(layer, name + suffix, { type: 'string' }),
      remedy: `Name it in the environment or .env.local, or write in the legend: directories: ['${printable(path.dirname(file))}']`,
    }
  const value = readValueFile(file, shown, { pipe: isMachine(layer) })
  if (typeof value === 'string')
    return layerFromValues(layerNameOf(name, layer), { [name]: value }, { source: 'directory', fileOf: () => shown })
  const message = value?.message ?? `${shown} does not exist.`
  return {
    ...(value ?? { kind: 'unreadable' }),
    name,
    message: `${name}${suffix} must name a file with the value of ${name}. ${message}`,
    layer: layer.name,
    ...valueSpot(layer, name + suffix, { type: 'string' }),
    remedy: (isDirectory(file) ? undefined : value?.remedy) ?? `Correct ${name}${suffix}, or set ${name} itself.`,
  }
}

function twice(name: string, layer: Layer): Fault {
  return {
    kind: 'set-twice',
    name,
    message: `${name} and ${name}${suffix} are both set in ${layer.name}, but only one of them can apply.`,
    layer: layer.name,
    ...nameSpot(layer, name + suffix, { type: 'string' }),
    remedy: `Remove ${name} or ${name}${suffix} there.`,
  }
}

function faultLayer(name: string, layer: Layer, fault: Fault): Layer {
  return { ...layerFromValues(layerNameOf(name, layer), {}, { source: 'directory' }), faults: [fault] }
}

function layerNameOf(name: string, layer: Layer): string {
  return `${name}${suffix} in ${layer.name}`
}
