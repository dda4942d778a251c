import type { Layer } from './layer.js'

/** Why a layer's value is not the one that counts. */
export type Passed = 'hidden' | 'cleared' | 'empty'

/** One layer that sets a variable. */
export interface Hit {
  readonly layer: Layer
  readonly text: string
}

/** Where a variable's text comes from. */
export interface Finding {
  /** The layer whose text counts; undefined when the default does, or nothing. */
  readonly winner: Hit | undefined
  /** The layer whose empty text clears what lies below it, if one does. */
  readonly clearedBy: Hit | undefined
}

/**
 * Looks for a name from the top layer down. Empty text in a layer file clears the layers below; elsewhere it falls
 * through to them.
 */
export function findText(name: string, layers: readonly Layer[]): Finding {
  for (let at = layers.length - 1; at >= 0; at--) {
    const layer = layers[at] as Layer
    const text = layer.get(name)
    if (text === undefined) continue
    if (text !== '') return { winner: { layer, text }, clearedBy: undefined }
    if (layer.source === 'file') return { winner: undefined, clearedBy: { layer, text } }
  }
  return { winner: undefined, clearedBy: undefined }
}

/** Every layer that sets a name, the top one first, with what became of each. */
export function hitsOf(name: string, layers: readonly Layer[]): (Hit & { readonly passed?: Passed })[] {
  const { winner, clearedBy } = findText(name, layers)
  const hits: (Hit & { passed?: Passed })[] = []
  for (let at = layers.length - 1; at >= 0; at--) {
    const layer = layers[at] as Layer
    const text = layer.get(name)
    if (text === undefined) continue
    if (layer === winner?.layer) hits.push({ layer, text })
    else if (layer === clearedBy?.layer) hits.push({ layer, text, passed: 'cleared' })
    else hits.push({ layer, text, passed: text === '' && layer.source !== 'file' ? 'empty' : 'hidden' })
  }
  return hits
}
