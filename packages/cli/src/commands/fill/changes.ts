import { readLayer } from 'mappa'
import type { FileChange } from '../../terminal/diff.js'

/** A value that is to be written, and into which layer file. */
export interface Filled {
  readonly name: string
  readonly text: string
  readonly file: string
  readonly secret: boolean
  /** Layer files that are to lose it: it was in the wrong ones. */
  readonly outOf?: readonly string[]
}

/** A layer file before and after. */
export interface LayerChange extends FileChange {
  readonly secret: boolean
}

/**
 * Layer files with these values in them; what they hold besides stays as it was, byte for byte. `read` gives the present text.
 * @throws {RangeError} if a file holds what cannot be understood, and would read differently with the value in it.
 */
export function filledLayers(
  filled: readonly Filled[],
  read: (path: string) => string | undefined,
): readonly LayerChange[] {
  const files = [...new Set(filled.flatMap(({ file, outOf = [] }) => [file, ...outOf]))]
  return files.flatMap((path) => {
    const before = read(path) ?? null
    const layer = readLayer(before ?? '')
    for (const { name, text, file, outOf } of filled) {
      if (outOf?.includes(path) && file !== path) layer.remove(name)
      if (file === path) layer.set(name, text)
    }
    const after = layer.toString()
    return after === (before ?? '')
      ? []
      : [{ path, before, after, secret: filled.some((each) => each.secret && each.file === path) }]
  })
}
