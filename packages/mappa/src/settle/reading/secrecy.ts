import { assignmentInside } from '../../format/names.js'
import { opensSomething, withoutCredentials } from '../../leak/credentials.js'
import { Needles } from '../../leak/needles.js'
import { masked } from '../../leak/ranges.js'
import { type AnyEntry, hides } from '../../legend/entry.js'
import { mask } from '../../legend/mask.js'
import { type Fault, type Notice, printable } from '../faults/faults.js'
import type { Owners } from '../stack/expand.js'
import type { Layer } from '../stack/layer.js'
import { openText } from '../stack/places.js'
import type { Reading, StageEntries } from './read.js'

/**
 * What of a reading may not be shown, decided here alone: secrets by their entries, under every name that they have; what no
 * entry declares; what is built on either; the text of a declared secret in any spelling, wherever it turns up; and whatever
 * has the shape of a credential.
 */
export class Secrecy {
  readonly #entries: StageEntries
  readonly #owners: Owners
  readonly #needles = new Needles()

  constructor({ definition, entries, layers, settings, others, owners }: Reading) {
    this.#entries = entries
    this.#owners = owners
    if (!definition) {
      addAll(this.#needles, layers)
      return
    }
    // As they are written, and as they come to be.
    const declared = [...entries.keys(), ...owners.keys()]
    for (const layer of layers)
      for (const { name, text } of layer.source === 'environment' ? textsIn(layer, declared) : assignmentsIn(layer)) {
        if (this.entryFor(name)?.secret) this.#needles.add(text, name)
        if (layer.source === 'file' && text.includes('\n'))
          for (const { value, name: inside } of assignmentsInside(text))
            if (this.entryFor(inside)?.secret) this.#needles.add(value, inside)
      }
    for (const { name, text } of [...settings, ...others])
      if (text !== undefined && this.entryFor(name)?.secret) this.#needles.add(text, name)
  }

  /** The entry of a name, which may be a former one; undefined if it is not declared. */
  entryFor(name: string): AnyEntry | undefined {
    return this.#entries.get(name) ?? this.#entries.get(this.#owners.get(name) ?? '')
  }

  /** A value as it may be shown. */
  shown(text: string, entry: AnyEntry | undefined): string {
    if (text === '') return ''
    return hides(entry) ? mask(text, entry) : printable(this.open(text, entry as AnyEntry))
  }

  /** The value of an entry that is not a secret, with what else is in it masked. */
  open(text: string, entry: AnyEntry): string {
    // Line by line: a quote that closes too late has swallowed what follows.
    const lines = text.includes('\n')
      ? text
          .split('\n')
          .map((line) => this.#withoutAssignment(line))
          .join('\n')
      : text
    return openText(this.#needles.mask(lines), entry)
  }

  /** Names of other variables' secrets that a value contains; empty if there are none. */
  secretsIn(text: string): readonly string[] {
    const swallowed = assignmentsInside(text).filter(({ name }) => hides(this.entryFor(name)))
    return [...new Set([...this.namesIn(text), ...swallowed.map(({ name }) => name)])]
  }

  /** The names of the secrets whose texts are in a text. */
  namesIn(text: string): readonly string[] {
    return [...new Set(this.#needles.in(text).map(({ name }) => name))]
  }

  /** Finds where those are in a text or in bytes. */
  placesIn(source: string | Uint8Array): readonly { readonly name: string; readonly start: number }[] {
    const found = typeof source === 'string' ? this.#needles.in(source) : this.#needles.inBytes(source)
    return found.map(({ name, start }) => ({ name, start }))
  }

  /** Any text with the texts of all known secrets masked. */
  mask(text: string): string {
    return this.#needles.mask(text)
  }

  /** A fault or a notice in which no text of a secret stands, however it came there. */
  veiled<R extends Fault | Notice>(report: R): R {
    if (this.#needles.isEmpty) return report
    const { message, remedy, excerpt } = report
    const shown = excerpt && this.mask(excerpt.text)
    return {
      ...report,
      message: this.mask(message),
      ...(remedy !== undefined && { remedy: this.mask(remedy) }),
      ...(excerpt &&
        shown !== undefined &&
        shown !== excerpt.text && {
          excerpt: { text: shown, start: Math.min(excerpt.start, shown.length - 1), end: shown.length },
        }),
    }
  }

  #withoutAssignment(line: string): string {
    const [found] = assignmentsInside(`\n${line}`)
    return found && hides(this.entryFor(found.name)) ? line.replace(/=.*$/s, `=${masked}`) : line
  }
}

/**
 * Where no legend says what is secret, every text of a layer is; of an environment, which holds much that everyone may see,
 * what its name says opens something.
 */
function addAll(needles: Needles, layers: readonly Layer[]): void {
  // PWD is where a shell stands, and no password.
  for (const layer of layers)
    layer.each((name, text) => {
      if (layer.source !== 'environment' || (opensSomething(name) && name !== 'PWD')) needles.add(text, name)
    })
}

interface AssignedText {
  readonly name: string
  readonly text: string
}

/** Everything that a layer assigns; a name that is repeated has several texts, and what the last one hides is as secret. */
function assignmentsIn(layer: Layer): AssignedText[] {
  const all: AssignedText[] = []
  layer.each((name, text) => all.push({ name, text }))
  return all
}

function textsIn(layer: Layer, names: readonly string[]): AssignedText[] {
  return names.flatMap((name) => {
    const text = layer.get(name)
    return text === undefined ? [] : [{ name, text }]
  })
}

/** Masks the texts of layers that no legend tells apart, and what has the shape of a credential. */
export function maskFor(layers: readonly Layer[]): (text: string) => string {
  const needles = new Needles()
  addAll(needles, layers)
  return (text) => withoutCredentials(needles.mask(text))
}

/** Lines of a value that look like assignments. */
export function assignmentsInside(text: string): { readonly name: string; readonly value: string }[] {
  return [...text.matchAll(everyAssignment)].map(([, name = '', value = '']) => ({
    name,
    value: value.trim().replace(/^(['"])(.*)\1$/s, '$2'),
  }))
}

const everyAssignment = new RegExp(assignmentInside, 'g')

const known = new WeakMap<Reading, Secrecy>()

/** The secrecy of a reading; computed only where something is shown. */
export function secrecyOf(reading: Reading): Secrecy {
  let secrecy = known.get(reading)
  if (!secrecy) {
    secrecy = new Secrecy(reading)
    known.set(reading, secrecy)
  }
  return secrecy
}
