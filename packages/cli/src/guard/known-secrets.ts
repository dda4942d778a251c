import type { Layer, Legend } from 'mappa'
import { entriesOf, Needles } from 'mappa/command'

/** A text that a secret has somewhere: by its variable. */
export interface KnownSecrets {
  /** To be searched for in other texts. */
  readonly needles: Needles
  /** Variables that are secret. */
  readonly names: ReadonlySet<string>
  /** Those of them that have a value here. */
  readonly known: ReadonlySet<string>
  /** Those with a value that is too short to be searched for. */
  readonly short: ReadonlySet<string>
}

/** A shorter text is found everywhere. UTF-8 bytes. */
const bytesMin = 8

/** The secrets of a legend in layers, with their former names; without a legend, all that this machine's own layers hold. */
export function secretsOf(definition: Legend | undefined, layers: readonly Layer[]): KnownSecrets {
  const short = new Set<string>()
  const needles = new Needles()
  const names = new Set(
    Object.entries(entriesOf(definition)).flatMap(([name, { secret, formerly = [] }]) =>
      secret ? [name, ...formerly] : [],
    ),
  )
  const known = new Set<string>()
  for (const layer of layers)
    layer.each((name, text) => {
      if (text === '' || !(definition ? names.has(name) : layer.local)) return
      needles.add(text, name)
      known.add(name)
      if (Buffer.byteLength(text) < bytesMin) short.add(name)
    })
  return { needles, names, known, short }
}

/** A secret in a file of any kind. */
export interface SecretAt {
  readonly name: string
  /** Where it starts. Bytes. */
  readonly offset: number
}

/** Where secrets stand in a file, by its bytes: the first place of each. What is not ASCII is looked for as UTF-8. */
export function secretsInBytes(bytes: Uint8Array, { needles }: KnownSecrets): SecretAt[] {
  const found = new Map<string, SecretAt>()
  for (const { start, name } of needles.inBytes(bytes)) if (!found.has(name)) found.set(name, { name, offset: start })
  return [...found.values()]
}

/** A secret in a text. Lines count from 1. */
export interface SecretFound {
  readonly name: string
  readonly line: number
}

/** Which secrets stand in a text, each once a line. */
export function secretsIn(text: string, { needles }: KnownSecrets): SecretFound[] {
  const found = new Map<string, SecretFound>()
  let [line, at] = [1, 0]
  for (const { start, name } of needles.in(text)) {
    for (let next = text.indexOf('\n', at); next >= 0 && next < start; next = text.indexOf('\n', at)) {
      line++
      at = next + 1
    }
    found.set(`${name} ${line}`, { name, line })
  }
  return [...found.values()]
}
