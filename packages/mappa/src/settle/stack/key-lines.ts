import type { Layer } from './layer.js'

/** Tells whether an entry declares a name. */
type Declared = Pick<ReadonlySet<string>, 'has'>

/** Names are shorter; what is longer and has no underscore is data. Characters. */
const properNameMax = 40

/**
 * Whether an assignment is the last line of a key in base64 that stands by itself, `Zm9vYmFy…=`: its name, so called, is a
 * part of a secret. Only for undeclared names.
 */
export function isKeyLine(name: string, text: string | undefined, entries: Declared): boolean {
  return name.length > properNameMax && (text === '' || text === '=') && !name.includes('_') && !entries.has(name)
}

/** Every name of a layer once, without what is not a name but a line of a key. */
export function namesOf(layer: Layer, entries: Declared): string[] {
  return [...layer.names()].filter((name) => name.length <= properNameMax || !isKeyLine(name, layer.get(name), entries))
}
