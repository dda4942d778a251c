import type { Part } from '../../format/expansion.js'
import type { AnyEntry } from '../../legend/entry.js'
import { textFor } from '../value/convert.js'
import type { Layer } from './layer.js'
import type { Hit } from './stack.js'

/** A name that a value was built from. */
export interface Used {
  readonly name: string
  /** The layer that its text came from; undefined for the legend's default, and for a name that nothing sets. */
  readonly layer: Layer | undefined
  /** The name that it has there: its own, or a former one. */
  readonly as?: string
  /** So many assignments before the last one of that name there. */
  readonly back?: number
  /** Its text, expanded; undefined if nothing sets it. */
  readonly text: string | undefined
}

/** Degrees of secrecy of a text: open, undeclared, or with a secret in it. */
export const holding = { open: 0, undeclared: 1, secret: 2 } as const
export type Holds = (typeof holding)[keyof typeof holding]

/** Former names, each with the name that it belongs to now. */
export type Owners = ReadonlyMap<string, string>

/** A text after expansion. */
export interface Expanded {
  readonly text: string
  readonly holds: Holds
  readonly used: readonly Used[]
}

/** Why a text cannot be expanded. */
export interface ExpansionProblem {
  readonly problem: 'unset' | 'asked-for' | 'cycle' | 'too-long' | 'too-deep'
  /** The name that is unset, or the names of a cycle in order. */
  readonly names: readonly string[]
  /** The word of `${NAME:?word}`. */
  readonly message?: string
}

/** The assignment whose parts are being joined: of a name, in a layer, so many before the last one of that name there. */
interface Assigned {
  readonly name: string
  readonly at: number
  readonly back: number
}

interface Found extends Omit<Used, 'name'> {
  readonly holds: Holds
}

/** Longer values are the work of a mistake, or of someone who wants to fill the memory. In UTF-16 code units. */
const lengthMax = 1024 * 1024
/** Longer chains of expansion are faults: the call stack has a limit. */
const nameDepthMax = 200

/**
 * Expands texts over the finished stack, so that overriding a name in a higher layer changes all that is built on it.
 * A name that mentions itself gets what it hides.
 */
export class Expander {
  readonly #layers: readonly Layer[]
  readonly #entries: ReadonlyMap<string, AnyEntry>
  readonly #owners: Owners
  readonly #done = new Map<string, Expanded | ExpansionProblem>()
  /** Names in expansion, outermost first. */
  readonly #open = new Set<string>()

  constructor(layers: readonly Layer[], entries: ReadonlyMap<string, AnyEntry>, owners: Owners) {
    this.#layers = layers
    this.#owners = owners
    this.#entries = entries
  }

  /** The text of a name as one layer sets it, expanded. */
  expand(
    name: string,
    { layer, text, at, dollar }: Pick<Hit, 'layer' | 'text' | 'at' | 'dollar'>,
    back = 0,
  ): Expanded | ExpansionProblem {
    const parsed = dollar ? layer.parsed?.(name, back) : undefined
    if (!parsed || parsed.parts.every((part) => typeof part === 'string'))
      return { text, holds: this.#holdsOf(name), used: [] }
    const key = `${at}-${back} ${name}`
    let result = this.#done.get(key)
    if (!result) {
      if (this.#open.has(key)) return { problem: 'cycle', names: this.#cycle(key) }
      if (this.#open.size >= nameDepthMax) return this.#tooDeep()
      this.#open.add(key)
      result = this.#join(parsed.parts, { name, at, back })
      this.#open.delete(key)
      // The result of a cycle depends on its entry, so problems are not kept.
      if (!('problem' in result)) this.#done.set(key, result)
    }
    return 'problem' in result ? result : { ...result, holds: larger(result.holds, this.#holdsOf(name)) }
  }

  /** The text of parts that are in no layer, such as those of a template, over the whole stack. */
  expandParts(parts: readonly Part[]): Expanded | ExpansionProblem {
    return this.#join(parts, { name: '', at: this.#layers.length, back: 0 })
  }

  /** The whole chain gets the problem of its first name, so that a long one is not walked again from each of its names. */
  #tooDeep(): ExpansionProblem {
    const [first = ''] = this.#open
    const problem: ExpansionProblem = { problem: 'too-deep', names: [nameIn(first)] }
    for (const key of this.#open) this.#done.set(key, problem)
    return problem
  }

  #join(parts: readonly Part[], owner: Assigned): Expanded | ExpansionProblem {
    let text = ''
    let holds: Holds = holding.open
    const used: Used[] = []
    for (const part of parts) {
      const piece = typeof part === 'string' ? { text: part, holds: holding.open, used: [] } : this.#part(part, owner)
      if ('problem' in piece) return piece
      text += piece.text
      holds = larger(holds, piece.holds)
      for (const each of piece.used) used.push(each)
      if (text.length > lengthMax) return { problem: 'too-long', names: [owner.name] }
    }
    return { text, holds, used }
  }

  #part({ name, operator, word }: Exclude<Part, string>, owner: Assigned): Expanded | ExpansionProblem {
    const found = name === owner.name ? this.#hiddenBy(owner) : this.#lookUp(name, this.#layers.length)
    if ('problem' in found) return found
    const colon = operator.startsWith(':')
    const present = found.text !== undefined && !(colon && found.text === '')
    const { layer, as, back, text } = found
    const own = { used: [{ name, layer, text, ...(as && { as }), ...(back && { back }) }] }
    if (operator === ':+') {
      const rest = present ? this.#join(word, owner) : { text: '', holds: holding.open, used: [] }
      return 'problem' in rest ? rest : { ...rest, used: [...own.used, ...rest.used] }
    }
    if (present) return { text: found.text as string, holds: found.holds, ...own }
    if (operator === '') return { problem: 'unset', names: [name] }
    const rest = this.#join(word, owner)
    if ('problem' in rest) return rest
    if (operator === ':?')
      return { problem: 'asked-for', names: [name], message: rest.holds === holding.open ? rest.text : '' }
    return { ...rest, used: [...own.used, ...rest.used] }
  }

  /** The text that an assignment overrides: an earlier one in its layer, else one in the layers below. */
  #hiddenBy({ name, at, back }: Assigned): Found | ExpansionProblem {
    const layer = this.#layers[at] as Layer
    const text = layer.source === 'file' ? layer.get(name, back + 1) : undefined
    if (text === undefined) return this.#lookUp(name, at)
    const expanded = this.expand(name, { layer, text, at, dollar: true }, back + 1)
    return 'problem' in expanded ? expanded : { ...expanded, layer, back: back + 1 }
  }

  /**
   * What a name comes to below a layer, as it does by itself: empty text in a layer file clears what lies beneath, elsewhere it
   * falls through, and the legend's default lies below all. Where nothing else is left of it, it is set and empty.
   */
  #lookUp(name: string, below: number): Found | ExpansionProblem {
    const entry = this.#entries.get(name)
    let empty: Found | undefined
    for (let at = below - 1; at >= 0; at--) {
      const layer = this.#layers[at] as Layer
      const as = this.#nameIn(layer, name)
      const text = layer.get(as)
      if (text === undefined) continue
      const expanded = this.expand(as, { layer, text, at, dollar: layer.source === 'file' })
      if ('problem' in expanded) return expanded
      if (expanded.text !== '' || entry?.empty === 'keep') return { ...expanded, layer, as }
      empty ??= { ...expanded, layer, as }
      if (layer.source === 'file') break
    }
    if (entry?.default !== undefined)
      return { text: textFor(entry, entry.default), layer: undefined, holds: this.#holdsOf(name) }
    return empty ?? { text: undefined, layer: undefined, holds: this.#holdsOf(name) }
  }

  /** The name under which a layer has a variable: its own, or a former one. */
  #nameIn(layer: Layer, name: string): string {
    const former = this.#entries.get(name)?.formerly
    if (!former || layer.get(name) !== undefined) return name
    return former.find((old) => layer.get(old) !== undefined) ?? name
  }

  #holdsOf(name: string): Holds {
    const entry = this.#entries.get(name) ?? this.#entries.get(this.#owners.get(name) ?? '')
    return entry === undefined ? holding.undeclared : entry.secret ? holding.secret : holding.open
  }

  /** The names from where a cycle was entered, in order, the first again at the end. */
  #cycle(key: string): string[] {
    const open = [...this.#open]
    return [...open.slice(open.indexOf(key)), key].map(nameIn)
  }
}

function larger(a: Holds, b: Holds): Holds {
  return a > b ? a : b
}

function nameIn(key: string): string {
  return key.slice(key.indexOf(' ') + 1)
}
