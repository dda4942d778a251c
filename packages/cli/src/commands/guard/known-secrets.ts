import { entriesOf, type Layer, type Legend } from 'mappa'
import { Needles } from 'mappa/command'

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
  /** Those of which no value is known here, under none of their names. */
  readonly unknown: readonly string[]
}

/** A shorter text is found everywhere. UTF-8 bytes. */
const bytesMin = 8

/** The secrets of a legend in layers, with their former names; without a legend, all that this machine's own layers hold. */
export function secretsOf(
  definition: Legend | undefined,
  layers: readonly Layer[],
  given: readonly GivenValue[] = [],
): KnownSecrets {
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
  for (const { name, text } of given) {
    needles.add(text, name)
    known.add(name)
    if (Buffer.byteLength(text) < bytesMin) short.add(name)
  }
  const current = Object.entries(entriesOf(definition)).filter(([, { secret }]) => secret)
  const unknown = current.flatMap(([name, { formerly = [] }]) =>
    [name, ...formerly].some((each) => known.has(each)) ? [] : [name],
  )
  return { needles, names, known, short, unknown }
}

/** A value that is searched for and that no layer here has: another machine's, or one that was replaced. */
export interface GivenValue {
  readonly name: string
  readonly text: string
}

/** The name of values that have none. */
const unnamedValue = 'the given value'

/** Values as they are typed or come on standard input: one a line, by itself or behind the name of its variable. */
export function givenValues(text: string, definition: Legend | undefined): readonly GivenValue[] {
  const names = new Set(
    Object.entries(entriesOf(definition)).flatMap(([name, { formerly = [] }]) => [name, ...formerly]),
  )
  return text.split(/\r?\n/).flatMap((line) => {
    const [, name = '', value] = /^([A-Za-z_]\w*)=(.*)$/.exec(line) ?? []
    if (value !== undefined && names.has(name)) return value === '' ? [] : [{ name, text: value }]
    return line === '' ? [] : [{ name: unnamedValue, text: line }]
  })
}

/** A secret in a file of any kind. */
export interface SecretAt {
  readonly name: string
  /** Start of the value. Bytes. */
  readonly offset: number
}

/** Finds where secrets are in a file, by its bytes: the first place of each. What is not ASCII is searched for as UTF-8. */
export function secretsInBytes(bytes: Uint8Array, { needles }: KnownSecrets): SecretAt[] {
  const found = new Map<string, SecretAt>()
  for (const { start, name } of needles.inBytes(bytes)) if (!found.has(name)) found.set(name, { name, offset: start })
  return [...found.values()]
}
