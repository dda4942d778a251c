import { thrown } from './operators.js'
import {
  asText,
  BuiltinValue,
  evaluatedMax,
  FunctionValue,
  isPrimitive,
  ListValue,
  limited,
  notKnown,
  primitive,
  RecordValue,
  truth,
  type Value,
  valueOfData,
} from './value.js'

/** Calls a function that is a value. */
export type Call = (called: Value, args: readonly Value[]) => Value

/** A value as the language makes a number of it by itself, which it does not of a large one. */
function number(value: Value): number {
  const plain = primitive(value)
  return typeof plain === 'bigint' ? notKnown('It throws.') : Number(plain)
}

/** Methods of texts whose results depend on texts and numbers alone. */
const ofText: ReadonlySet<string> = new Set(
  'at charAt charCodeAt codePointAt concat endsWith includes indexOf lastIndexOf padEnd padStart repeat replace replaceAll slice split startsWith substring toLowerCase toString toUpperCase trim trimEnd trimStart valueOf'.split(
    ' ',
  ),
)
const ofNumber: ReadonlySet<string> = new Set(['toFixed', 'toPrecision', 'toString', 'valueOf'])
const ofBoolean: ReadonlySet<string> = new Set(['toString', 'valueOf'])

/** The result of a method of a text, a number, a boolean or a list. */
export function method(owner: Value, name: string, args: readonly Value[], call: Call): Value {
  if (owner instanceof ListValue) return ofList(owner, name, args, call)
  if (typeof owner === 'string' && ofText.has(name)) return textMethod(owner, name, args)
  const methods = typeof owner === 'number' ? ofNumber : typeof owner === 'boolean' ? ofBoolean : undefined
  if (!methods?.has(name)) return notKnown(`The method ${name} is not followed.`)
  return ofPrototype(owner as number, name, args)
}

function textMethod(text: string, name: string, args: readonly Value[]): Value {
  const [first, second] = args
  if (name === 'repeat' && text.length * number(first) > evaluatedMax) return notKnown('A text becomes too long.')
  if (/^pad/.test(name) && number(first) > evaluatedMax) return notKnown('A text becomes too long.')
  // Each place may take as much as the text is long.
  if (/^replace/.test(name)) {
    if (!isPrimitive(first) || !isPrimitive(second)) return notKnown(`The method ${name} is not followed.`)
    const [searched, given] = [String(first), String(second)]
    const places = name === 'replace' ? 1 : text.length / Math.max(searched.length, 1) + 1
    if (places * (given.length * (given.includes('$') ? text.length + 1 : 1)) > evaluatedMax * 10)
      return notKnown('A text becomes too long.')
  }
  return ofPrototype(text, name, args)
}

function ofPrototype(owner: string | number, name: string, args: readonly Value[]): Value {
  const plain = args.map(primitive)
  const run = (owner as unknown as Record<string, (...args: unknown[]) => unknown>)[name] as (
    ...args: unknown[]
  ) => unknown
  const result = thrown(() => run.apply(owner, plain))
  return typeof result === 'string' ? limited(result) : valueOfData(result)
}

/** Sameness as lists use it: `includes` finds what is not a number, `indexOf` does not. */
function indexIn(items: readonly Value[], wanted: Value, from: number): number {
  if (!isPrimitive(wanted)) return notKnown('Two objects are compared.')
  return items.indexOf(wanted, from)
}

function ofList({ items }: ListValue, name: string, args: readonly Value[], call: Call): Value {
  const [first, second] = args
  const each = (go: (item: Value) => unknown) =>
    items.map((item, at) => go(call(first, [item, at, new ListValue(items)])))
  switch (name) {
    case 'at':
      return items.at(first === undefined ? 0 : number(first))
    case 'concat':
      return new ListValue([...items, ...args.flatMap((arg) => (arg instanceof ListValue ? arg.items : [arg]))])
    case 'every':
      return items.every((item, at) => truth(call(first, [item, at])))
    case 'filter':
      return new ListValue(items.filter((item, at) => truth(call(first, [item, at]))))
    case 'find':
      return items.find((item, at) => truth(call(first, [item, at])))
    case 'flat':
      return args.length > 0
        ? notKnown('The method flat is not followed.')
        : new ListValue(items.flatMap((item) => (item instanceof ListValue ? item.items : [item])))
    case 'includes':
      if (!isPrimitive(first)) return notKnown('Two objects are compared.')
      return items.includes(first, second === undefined ? 0 : number(second))
    case 'indexOf':
      return indexIn(items, first, second === undefined ? 0 : number(second))
    case 'join': {
      const between = first === undefined ? ',' : asText(first)
      return limited(items.map((item) => (item === null || item === undefined ? '' : asText(item))).join(between))
    }
    case 'map': {
      const found: Value[] = []
      each((item) => found.push(item as Value))
      return new ListValue(found)
    }
    case 'slice':
      return new ListValue(
        items.slice(first === undefined ? 0 : number(first), second === undefined ? undefined : number(second)),
      )
    case 'some':
      return items.some((item, at) => truth(call(first, [item, at])))
    case 'toString':
      return asText(new ListValue(items))
  }
  return notKnown(`The method ${name} is not followed.`)
}

/** Functions of the language by the names that code has for them. */
const builtins: Readonly<Record<string, (args: readonly Value[]) => Value>> = {
  Number: (args) => (args.length === 0 ? 0 : thrown(() => Number(primitive(args[0])))),
  String: (args) => (args.length === 0 ? '' : asText(args[0])),
  Boolean: ([value]) => truth(value),
  BigInt: ([value]) => thrown(() => BigInt(primitive(value) as string)),
  parseInt: ([value, radix]) => Number.parseInt(asText(value), number(radix)),
  parseFloat: ([value]) => Number.parseFloat(asText(value)),
  isNaN: ([value]) => Number.isNaN(thrown(() => number(value))),
  isFinite: ([value]) => Number.isFinite(thrown(() => number(value))),
  encodeURIComponent: ([value]) => escaped(asText(value)),
  'Number.parseInt': ([value, radix]) => Number.parseInt(asText(value), number(radix)),
  'Number.parseFloat': ([value]) => Number.parseFloat(asText(value)),
  'Number.isNaN': ([value]) => Number.isNaN(value),
  'Number.isFinite': ([value]) => Number.isFinite(value),
  'Number.isInteger': ([value]) => Number.isInteger(value),
  'Number.isSafeInteger': ([value]) => Number.isSafeInteger(value),
  'Math.max': (args) => args.map(number).reduce((most, each) => Math.max(most, each), Number.NEGATIVE_INFINITY),
  'Math.min': (args) => args.map(number).reduce((least, each) => Math.min(least, each), Number.POSITIVE_INFINITY),
  'Math.floor': ([value]) => thrown(() => Math.floor(number(value))),
  'Math.ceil': ([value]) => thrown(() => Math.ceil(number(value))),
  'Math.round': ([value]) => thrown(() => Math.round(number(value))),
  'Math.trunc': ([value]) => thrown(() => Math.trunc(number(value))),
  'Math.abs': ([value]) => thrown(() => Math.abs(number(value))),
  'Array.isArray': ([value]) => value instanceof ListValue,
  'Object.freeze': ([value]) => value,
  'Object.keys': ([value]) => new ListValue([...ownMembers(value).keys()]),
  'Object.values': ([value]) => new ListValue([...ownMembers(value).values()]),
  'Object.entries': ([value]) => new ListValue([...ownMembers(value)].map((pair) => new ListValue(pair))),
  'JSON.parse': (args) => (args.length > 1 ? notKnown('A reviver is not followed.') : parsed(asText(args[0]))),
}

function parsed(text: string): Value {
  return thrown(() => valueOfData(JSON.parse(text)))
}

function escaped(text: string): string {
  try {
    return limited(encodeURIComponent(text))
  } catch {
    return notKnown('It throws.')
  }
}

/** Members of an object, those with numbers as names first. */
function ownMembers(value: Value): ReadonlyMap<string, Value> {
  if (!(value instanceof RecordValue)) return notKnown('Members of what is not a plain object are asked for.')
  return [...value.members.keys()].some((name) => /^\d+$/.test(name))
    ? notKnown('Names that are numbers have an order of their own.')
    : value.members
}

/** The function of the language that a name stands for; undefined for any other name. */
export function builtin(name: string): BuiltinValue | undefined {
  return Object.hasOwn(builtins, name) ? new BuiltinValue(name) : undefined
}

/** The result of a function of the language. */
export function callBuiltin({ name }: BuiltinValue, args: readonly Value[]): Value {
  const run = builtins[name]
  if (args.some((arg) => arg instanceof FunctionValue) || !run) return notKnown(`${name} is not followed here.`)
  return run(args)
}
