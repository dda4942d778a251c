import type { LayerFlaw } from '../../format/flaws.js'
import type { Style } from '../../format/item-kinds.js'
import { LineIndex } from '../../format/line-index.js'
import type { AssignmentRange } from '../../format/values.js'
import { withoutCredentials } from '../../leak/credentials.js'
import { masked } from '../../leak/ranges.js'
import type { AnyEntry } from '../../legend/entry.js'
import { hides } from '../../legend/entry.js'
import { type Excerpt, type Place, printable } from '../faults/faults.js'
import type { Layer } from './layer.js'

/** A place and its line; a file that holds one value alone has nothing to show of it. */
export interface Spot {
  readonly layer: string
  readonly place: Place
  readonly excerpt?: Excerpt
}

const lineIndexes = new WeakMap<Layer, LineIndex>()

/** Lines are counted only when a place in the layer is asked for: a start without faults never does. */
function lineIndexOf(layer: Layer): LineIndex {
  let lines = lineIndexes.get(layer)
  if (!lines) {
    lines = new LineIndex(layer.text ?? '')
    lineIndexes.set(layer, lines)
  }
  return lines
}

/**
 * Where a layer file sets a name, the last time or so many times before: its value, with the line masked unless a declared entry
 * says it may be shown.
 */
export function valueSpot(layer: Layer, name: string, entry: AnyEntry | undefined, back = 0): Spot | undefined {
  return spotOf(layer, name, entry, 'value', back)
}

/** Finds where a layer file writes a name, the name itself marked. */
export function nameSpot(layer: Layer, name: string, entry?: AnyEntry): Spot | undefined {
  return spotOf(layer, name, entry, 'name')
}

function spotOf(
  layer: Layer,
  name: string,
  entry: AnyEntry | undefined,
  what: 'name' | 'value',
  back = 0,
): Spot | undefined {
  if (layer.fileOf && layer.get(name) !== undefined)
    return { layer: layer.name, place: { file: layer.fileOf(name), line: 1, column: 1, endColumn: 2 } }
  if (layer.text === undefined) return undefined
  const [range] = layer.ranges?.(name, back + 1) ?? []
  if (!range) return undefined
  const { nameStart, valueStart, valueEnd } = range
  const written = lineFrom(layer.text, valueStart, valueEnd)
  const shown = hides(entry) ? written && masked : printable(capped(openText(written, entry)))
  const before = printable(layer.text.slice(nameStart, valueStart))
  const text = before + shown
  const [start, length, marked] =
    what === 'name' ? [nameStart, name.length, 0] : [valueStart, written.length, before.length]
  const at = lineIndexOf(layer).at(start)
  return {
    layer: layer.name,
    place: { file: layer.name, ...at, endColumn: at.column + Math.max(length, 1) },
    excerpt: { text, start: marked, end: what === 'name' ? name.length : Math.max(text.length, marked + 1) },
  }
}

/**
 * A place that could not be understood. Only what is in front of the equals sign is shown, and of the value its
 * first line if its entry says that it is not a secret.
 */
export function flawSpot(layer: Layer, found: LayerFlaw, entry: AnyEntry | undefined): Spot {
  const { start, end, name, nameStart, valueStart } = found
  const lines = lineIndexOf(layer)
  const at = lines.at(start)
  const spot = { layer: layer.name, place: { file: layer.name, ...at, endColumn: at.column + (end - start) } }
  // A flaw further down in a value of several lines is no longer on the line of its name.
  if (name === undefined || lines.at(valueStart).line !== at.line) return spot
  const text = layer.text as string
  const before = printable(text.slice(nameStart, valueStart))
  if (hides(entry)) {
    return { ...spot, excerpt: { text: before + masked, start: before.length, end: before.length + masked.length } }
  }
  const line = before + printable(capped(openText(lineFrom(text, valueStart, text.length), entry)))
  const marked = Math.min(before.length + printable(text.slice(valueStart, start)).length, line.length - 1)
  return {
    ...spot,
    excerpt: { text: line, start: marked, end: Math.min(marked + Math.max(end - start, 1), line.length) },
  }
}

/** So much of a line is looked at, which is more than a credential is long, and so much of it shown. Characters. */
const [lookedAtMax, excerptMax] = [16_384, 400]

function lineFrom(text: string, start: number, end: number): string {
  return text.slice(start, Math.min(end, start + lookedAtMax)).split(/\r?\n/, 1)[0] as string
}

/** The start of a text whose credentials are masked already: nobody reads a line of megabytes. */
function capped(text: string): string {
  return text.length > excerptMax ? `${text.slice(0, excerptMax)}…` : text
}

/** Every place where a layer file sets a name, first to last. */
export function rangesOf(layer: Layer, name: string): readonly AssignmentRange[] {
  return layer.ranges?.(name) ?? []
}

/** The last assignment of a name, as it is written. */
export function writtenOf(layer: Layer, name: string): { readonly written: string; readonly style: Style } | undefined {
  const [range] = layer.ranges?.(name, 1) ?? []
  return range && { written: (layer.text as string).slice(range.valueStart, range.valueEnd), style: range.style }
}

/** The line of an offset, from 1. */
export function lineAt(layer: Layer, offset: number): number {
  return lineIndexOf(layer).at(offset).line
}

/** The text of a value that may be shown, but for credentials in it; what everyone can see in a browser needs no key masked. */
export function openText(text: string, entry: AnyEntry | undefined): string {
  return withoutCredentials(text, entry?.reach !== 'browser')
}
