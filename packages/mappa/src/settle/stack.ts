import type { Layer } from './layer.js'

/** One layer that sets a variable. */
export interface Hit {
  readonly layer: Layer
  /** With expansions as they stand, until they are expanded. */
  readonly text: string
  /** The layer's place among the layers, from the lowest. */
  readonly at: number
  /** Whether the text holds a dollar sign, so that it may expand. */
  readonly dollar: boolean
}

/** Where a variable's text comes from. */
export interface Finding {
  /** The layer whose text counts; undefined when the default does, or nothing. */
  readonly winner: Hit | undefined
  /** The layer whose empty text clears what lies below it, if one does. */
  readonly clearedBy: Hit | undefined
}

const nothing: Finding = { winner: undefined, clearedBy: undefined }

/**
 * Layers laid over each other, lowest first. The topmost text of a name counts. Empty text in a layer file clears the
 * layers below; elsewhere it falls through to them.
 */
export class Stack {
  readonly #tops = new Map<string, Hit>()
  /** Environments hold much that is nobody's setting, so they are asked name by name. */
  readonly #asked: { readonly layer: Layer; readonly at: number }[] = []

  constructor(layers: readonly Layer[]) {
    for (let at = 0; at < layers.length; at++) {
      const layer = layers[at] as Layer
      if (layer.source === 'environment') this.#asked.push({ layer, at })
      else
        layer.each((name, text, dollar) => {
          if (text !== '' || layer.source === 'file') this.#tops.set(name, { layer, text, at, dollar })
        })
    }
  }

  /** Every name that a layer other than an environment sets. */
  names(): Iterable<string> {
    return this.#tops.keys()
  }

  /** Whether a layer other than an environment sets a name. */
  sets(name: string): boolean {
    return this.#tops.has(name)
  }

  find(name: string): Finding {
    let top = this.#tops.get(name)
    for (const { layer, at } of this.#asked) {
      const text = layer.get(name)
      if (text && !(top && top.at > at)) top = { layer, text, at, dollar: false }
    }
    if (!top) return nothing
    return top.text === '' ? { winner: undefined, clearedBy: top } : { winner: top, clearedBy: undefined }
  }
}
