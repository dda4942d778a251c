import type { Node } from '../parse.js'

/**
 * A value as code would have it. Objects, lists and functions are the evaluator's own: nothing of this process can be reached
 * through them.
 */
export type Value =
  | string
  | number
  | bigint
  | boolean
  | null
  | undefined
  | ListValue
  | RecordValue
  | FunctionValue
  | BuiltinValue
  | EnvironmentValue

/** An array. */
export class ListValue {
  /** @throws NotKnown for one that grows without end */
  constructor(readonly items: readonly Value[]) {
    if (items.length > itemsMax) notKnown('A list becomes too long.')
  }
}

/** Longer lists are not worth it. Items. */
const itemsMax = 10_000

/** An object with members of its own, and nothing of a prototype that the evaluator goes into. */
export class RecordValue {
  constructor(readonly members: ReadonlyMap<string, Value>) {}
}

/** A function of the project: its node, and where it stands, which only the evaluator knows. */
export class FunctionValue {
  constructor(
    readonly node: Node,
    readonly around: object,
  ) {}
}

/** A function of the language that is known here: `Number`, `Object.keys`. */
export class BuiltinValue {
  constructor(readonly name: string) {}
}

/** `process.env` or `import.meta.env`, of which each name is asked for by itself. */
export class EnvironmentValue {
  constructor(readonly from: 'process.env' | 'import.meta.env') {}
}

/** Values of parameters and local names while a function runs, by their bindings. */
export interface Frame {
  readonly values: Map<unknown, Value>
  readonly outer: Frame | undefined
}

/** Why a value is not known; the evaluator alone throws and catches it. */
export class NotKnown extends Error {}

/** @throws NotKnown */
export function notKnown(why: string): never {
  throw new NotKnown(why)
}

export type Primitive = string | number | bigint | boolean | null | undefined

export function isPrimitive(value: Value): value is Primitive {
  return value === null || (typeof value !== 'object' && typeof value !== 'function')
}

/** The primitive of a value; of an object it would run its own code, or give text that nobody means. */
export function primitive(value: Value): Primitive {
  return isPrimitive(value) ? value : notKnown('An object is used as a text or a number.')
}

/** Texts that are longer are not worth it. Characters. */
export const evaluatedMax = 100_000

/** The text of a value, as `String(value)` gives it. */
export function asText(value: Value): string {
  if (value instanceof ListValue)
    return limited(value.items.map((item) => (item === null || item === undefined ? '' : asText(item))).join(','))
  return String(primitive(value))
}

export function limited(text: string): string {
  return text.length > evaluatedMax ? notKnown('A text becomes too long.') : text
}

/** The truth of a value. */
export function truth(value: Value): boolean {
  return isPrimitive(value) ? Boolean(value) : true
}

/** Plain data of `JSON.parse` as values. */
export function valueOfData(data: unknown): Value {
  if (Array.isArray(data)) return new ListValue(data.map(valueOfData))
  if (typeof data === 'object' && data !== null)
    return new RecordValue(new Map(Object.entries(data).map(([name, item]) => [name, valueOfData(item)])))
  return data as Primitive
}
