import { isLegend } from '../../legend/check.js'
import { legendFromJsonSchema } from '../../legend/json-schema.js'
import type { Legend } from '../../legend/legend.js'
import { createRequire, fs, path } from '../files/builtins.js'
import { digestOf } from '../files/digest.js'
import { readTextFile, textAt } from '../files/files.js'
import { compiledModule } from './compiled-legend.js'
import {
  failedLegend,
  type NoLegend,
  notRead,
  staleLegend,
  unreadLegend,
  untypedNode,
  withoutLegend,
} from './legend-faults.js'
import { standaloneExport } from './standalone.js'

/** A legend, or why its file gave none. */
export type LoadedLegend = { readonly definition: Legend } | NoLegend

/** Loads a legend file without waiting, so that it can be done before any module of the program runs. */
export function loadLegendFile(file: string): LoadedLegend {
  if (typeof file !== 'string') throw new TypeError('loadLegendFile takes the path of a legend file.')
  const name = path.basename(file)
  if (name.endsWith('.json')) return loadJsonLegend(file, name)
  // Reading anything but a file would wait.
  if (!isFile(file)) return notRead(name)
  const isTyped = isTypeScript(name)
  const reads = !isTyped || nodeReads(file)
  const emitted = reads ? undefined : emittedFor(file, name)
  if (emitted) return emitted
  // Also where Node takes types away itself: it would read all that the legend imports, each time.
  const module = isTyped ? compiledModule(file) : file
  if (module === undefined && !reads) return untypedNode(name, emittedName)
  const code = module ?? file
  try {
    const standalone = /\.m?js$/.test(code) ? standaloneExport(textAt(code) ?? '', code) : undefined
    return legendOf(standalone ?? createRequire(file)(code), name)
  } catch (cause) {
    return failedLegend(name, cause)
  }
}

/** Tells whether a legend file is TypeScript, by its name. */
export function isTypeScript(name: string): boolean {
  return /\.[cm]?ts$/.test(name)
}

/** Tells whether Node itself reads this TypeScript. It takes types away and no more, so that `.cts` must not be written as a module. */
function nodeReads(file: string): boolean {
  if (!(process.features as { typescript?: unknown }).typescript) return false
  return !file.endsWith('.cts') || !/^(?:import|export)\b/m.test(textAt(file) ?? '')
}

/** The file of `mappa emit --as legend`, beside its legend. */
const emittedName = 'mappa.legend.json'
/** The word under which it says what it was made from. */
export const sourceWord = 'x-mappa-source'

/** The words of an emitted legend that say which file it was made from, and from which text. */
export function emittedFrom(file: string, text: string): Readonly<Record<string, unknown>> {
  return { [sourceWord]: { file, digest: digestOf(text) } }
}

/** The JSON legend that was made from a file, if there is one; a fault if the file was changed since. */
function emittedFor(file: string, name: string): LoadedLegend | undefined {
  // One in src/ is written to the root, where the command is typed.
  const folder = path.dirname(file)
  const folders = path.basename(folder) === 'src' ? [folder, path.dirname(folder)] : [folder]
  const [emitted] = folders.flatMap((each) => textAt(path.join(each, emittedName)) ?? [])
  if (emitted === undefined) return undefined
  try {
    const document = JSON.parse(emitted)
    const source = document?.[sourceWord]
    if (typeof source?.file !== 'string' || path.basename(source.file) !== name) return undefined
    if (source.digest === digestOf(textAt(file))) return { definition: legendFromJsonSchema(document) }
  } catch (cause) {
    return failedLegend(emittedName, cause)
  }
  return staleLegend(emittedName, name)
}

/** The legend that a module exports: as its default, or in CommonJS as the module itself. */
export function legendOf(module: unknown, name: string): LoadedLegend {
  const definition = (module as { default?: unknown } | undefined)?.default ?? module
  if (isLegend(definition)) return { definition }
  return withoutLegend(name)
}

function loadJsonLegend(file: string, name: string): LoadedLegend {
  const text = readTextFile(file, name)
  if (typeof text !== 'string') return text ? unreadLegend(text) : notRead(name)
  try {
    return { definition: legendFromJsonSchema(JSON.parse(text)) }
  } catch (cause) {
    return failedLegend(name, cause)
  }
}

function isFile(file: string): boolean {
  return fs.statSync(file, { throwIfNoEntry: false })?.isFile() ?? false
}
