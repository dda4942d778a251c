import {
  BuiltinValue,
  FunctionValue,
  isPrimitive,
  limited,
  notKnown,
  type Primitive,
  primitive,
  truth,
  type Value,
} from './value.js'

/** The result of an operator of two sides; `&&`, `||` and `??` are not among them, since they may leave one side out. */
export function binaryResult(operator: string, left: Value, right: Value): Value {
  if (operator === '===' || operator === '!==') return same(left, right) === (operator === '===')
  if (operator === '==' || operator === '!=') return looselySame(left, right) === (operator === '==')
  const apply = Object.hasOwn(operators, operator) ? operators[operator] : undefined
  if (!apply) return notKnown(`The operator ${operator} is not followed.`)
  const [one, other] = [primitive(left), primitive(right)]
  if (operator === '**' && (Math.abs(Number(one)) > 1e15 || Math.abs(Number(other)) > 1000))
    return notKnown('A power becomes too large.')
  if (operator === '<<' && typeof other === 'bigint' && (other > 1000n || other < -1000n))
    return notKnown('A number becomes too large.')
  const result = thrown(() => apply(one as never, other as never))
  if (typeof result === 'bigint' && bits(result) > bitsMax) return notKnown('A number becomes too large.')
  return typeof result === 'string' ? limited(result) : result
}

const bitsMax = 10_000

function bits(value: bigint): number {
  return value.toString(16).length * 4
}

/** What an operator would throw is no value. */
export function thrown<T>(go: () => T): T {
  try {
    return go()
  } catch (error) {
    if (error instanceof TypeError || error instanceof RangeError || error instanceof SyntaxError)
      return notKnown('It throws.')
    throw error
  }
}

const operators: Readonly<Record<string, (left: never, right: never) => Primitive>> = {
  '+': (left: string, right: string) => left + right,
  '-': (left: number, right: number) => left - right,
  '*': (left: number, right: number) => left * right,
  '/': (left: number, right: number) => left / right,
  '%': (left: number, right: number) => left % right,
  '**': (left: number, right: number) => left ** right,
  '<': (left: number, right: number) => left < right,
  '>': (left: number, right: number) => left > right,
  '<=': (left: number, right: number) => left <= right,
  '>=': (left: number, right: number) => left >= right,
  '&': (left: number, right: number) => left & right,
  '|': (left: number, right: number) => left | right,
  '^': (left: number, right: number) => left ^ right,
  '<<': (left: number, right: number) => left << right,
  '>>': (left: number, right: number) => left >> right,
  '>>>': (left: number, right: number) => left >>> right,
}

function same(left: Value, right: Value): boolean {
  if (isPrimitive(left) || isPrimitive(right)) return left === right
  return notKnown('Two objects are compared.')
}

function looselySame(left: Value, right: Value): boolean {
  if (left === null || left === undefined || right === null || right === undefined)
    return (left ?? undefined) === (right ?? undefined)
  return thrown(() => {
    const [one, other] = [primitive(left), primitive(right)]
    // biome-ignore lint/suspicious/noDoubleEquals: it is what the code asks
    return one == other
  })
}

/** The result of an operator of one side. */
export function unaryResult(operator: string, value: Value): Value {
  if (operator === '!') return !truth(value)
  if (operator === 'void') return undefined
  if (operator === 'typeof')
    return value instanceof FunctionValue || value instanceof BuiltinValue
      ? 'function'
      : isPrimitive(value)
        ? typeof value
        : 'object'
  const one = primitive(value)
  if (operator === '+') return thrown(() => +(one as number))
  if (operator === '-') return thrown(() => -(one as number))
  if (operator === '~') return thrown(() => ~(one as number))
  return notKnown(`The operator ${operator} is not followed.`)
}
