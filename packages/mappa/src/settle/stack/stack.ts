import type { IsHidden } from '../../format/values.js'
import type { Layer } from './layer.js'

/** One layer that sets a variable. */
export interface Hit {
  readonly layer: Layer
  /** With expansions as they stand, until they are expanded. */
  readonly text: string
  /** The layer's place among the layers, from the lowest. */
  readonly at: number
  /** True if the text holds a dollar sign, so that it may expand. */
  readonly dollar: boolean
  /** The former name under which the layer has it. */
  readonly as?: string
}

/** Facts from entries about the lookup of their names. */
export interface NameRules {
  /** The former names of each that has some. */
  readonly formers?: ReadonlyMap<string, readonly string[]>
  /** Names for which empty text is a value. */
  readonly keeps?: ReadonlySet<string>
}

/** An environment, and the names that it holds. */
interface Asked {
  readonly layer: Layer
  readonly at: number
  readonly names: ReadonlySet<string>
}

/** Names that a lower layer may lack in one place before names are looked up again. */
const aheadMax = 4

/**
 * Layers laid over each other, lowest first. The topmost text of a name counts. Empty text in a layer file clears the
 * layers below; elsewhere it falls through to them.
 */
export class Stack {
  readonly #tops = new Map<string, Hit>()
  /** The names of those, in the order of their layers from the top. */
  readonly #order: string[] = []
  /** Environments hold much that is nobody's setting, so they are asked name by name. */
  readonly #asked: Asked[] = []

  readonly #rules: NameRules

  constructor(layers: readonly Layer[], rules: NameRules = {}) {
    this.#rules = rules
    const { keeps } = rules
    const tops = this.#tops
    const order = this.#order
    // From the top, so that what is hidden costs a look only. In one layer the last of a repeated name counts.
    for (let at = layers.length - 1; at >= 0; at--) {
      const layer = layers[at] as Layer
      if (layer.source === 'environment') {
        this.#asked.unshift({ layer, at, names: new Set(layer.names()) })
        continue
      }
      const isTop = order.length === 0
      const visit = (name: string, text: string, dollar: boolean) => {
        if (text === '' && layer.source !== 'file' && !keeps?.has(name)) return
        if (!isTop && (tops.get(name)?.at ?? at) !== at) return
        const { size } = tops
        tops.set(name, { layer, text, at, dollar })
        if (tops.size > size) order.push(name)
      }
      layer.each(visit, isTop ? undefined : this.#hidden())
    }
  }

  /**
   * Tells most of the names that layers above set. Layers are written after one another, so their names come in much the
   * same order, and comparing a name with those that came next above takes a fraction of looking it up.
   */
  #hidden(): IsHidden {
    const order = this.#order
    const count = order.length
    let next = 0
    return (text, start, end) => {
      const last = Math.min(next + aheadMax, count)
      for (let at = next; at < last; at++)
        if ((order[at] as string).length === end - start && text.startsWith(order[at] as string, start)) {
          next = at + 1
          return true
        }
      return false
    }
  }

  /** Every name that a layer other than an environment sets. */
  names(): readonly string[] {
    return this.#order
  }

  /** Tells whether an environment sets a name that another layer sets, too. */
  meetsHost(): boolean {
    return this.#asked.some(({ names }) => this.#order.some((name) => names.has(name)))
  }

  /** Tells whether a layer other than an environment sets a name. */
  sets(name: string): boolean {
    return this.#tops.has(name)
  }

  /** The layer whose text would count without an environment. */
  ownHit(name: string): Hit | undefined {
    return this.#tops.get(name)
  }

  /** The layer whose text counts; undefined if none sets the name. Empty text in a layer file clears what lies below. */
  find(name: string): Hit | undefined {
    let top = this.#findAs(name)
    const formers = this.#rules.formers?.get(name)
    if (formers === undefined) return top
    for (const old of formers) {
      const hit = this.#findAs(old)
      if (hit && !(top && top.at >= hit.at)) top = { ...hit, as: old }
    }
    return top
  }

  /** Visits every name that a layer other than an environment sets, with what counts of it, former names apart. */
  each(visit: (name: string, hit: Hit | undefined) => void): void {
    for (const [name, top] of this.#tops) visit(name, this.#underHost(name, top))
  }

  #findAs(name: string): Hit | undefined {
    return this.#underHost(name, this.#tops.get(name))
  }

  #underHost(name: string, set: Hit | undefined): Hit | undefined {
    let top = set
    // By number: this is done for every name, and what walks along a list makes an object a step.
    for (let nth = 0; nth < this.#asked.length; nth++) {
      const { layer, at, names } = this.#asked[nth] as Asked
      // A look into the set costs less than asking the system for what is not there.
      const text = names.has(name) ? layer.get(name) : undefined
      if ((text || (text === '' && this.#rules.keeps?.has(name))) && !(top && top.at > at))
        top = { layer, text, at, dollar: false }
    }
    return top
  }
}
