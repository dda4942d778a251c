import type { Expander } from './expand.js'
import type { Layer } from './layer.js'
import type { Stack } from './stack.js'

/** A layer file that somebody has put into the process environment, where it hides what higher files say. */
export interface ReadAlready {
  readonly layer: Layer
  /** Number of names that it sets. */
  readonly count: number
  /** A name that a higher layer file sets otherwise, and that file. */
  readonly name: string
  readonly hidden: Layer
}

/** With fewer names it may be chance. */
export const readAlreadyMin = 3

/**
 * Layer files that another reader, such as a runtime, a container or a shell, has put into the process environment already:
 * the environment holds all that the file sets, as it is written or expanded, and a higher file sets one of it otherwise.
 */
export function readAlready(layers: readonly Layer[], stack: Stack, expander: Expander): ReadAlready[] {
  const host = layers.findLast(({ source }) => source === 'environment')
  // Most hosts set nothing that a file sets, and then no file is looked at.
  if (!host || !stack.meetsHost()) return []
  const files = layers.flatMap((layer, at) => (layer.source === 'file' ? [{ layer, at, texts: lastTexts(layer) }] : []))
  return files.flatMap(({ layer, at, texts }, index): ReadAlready[] => {
    for (const [name, text] of texts) {
      const own = host.get(name)
      if (own === undefined) return []
      if (own === text) continue
      const expanded = expander.expand(name, { layer, text, at, dollar: true })
      if ('problem' in expanded || expanded.text !== own) return []
    }
    for (const higher of files.slice(index + 1))
      for (const [name, text] of texts) {
        const other = higher.texts.get(name)
        if (other !== undefined && other !== text) return [{ layer, count: texts.size, name, hidden: higher.layer }]
      }
    return []
  })
}

function lastTexts(layer: Layer): ReadonlyMap<string, string> {
  const texts = new Map<string, string>()
  layer.each((name, text) => texts.set(name, text))
  return texts
}
