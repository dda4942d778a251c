import { lastName } from './context.js'
import { isNode, type Node } from './parse.js'
import { wordsOf } from './words.js'

/** What people write for a stage. */
const stageNames: Readonly<Record<string, string>> = {
  production: 'production',
  prod: 'production',
  live: 'production',
  development: 'development',
  develop: 'development',
  dev: 'development',
  staging: 'staging',
  stage: 'staging',
  test: 'test',
  testing: 'test',
}

/** A question that code asks about its environment: whether it is a stage, or is not. */
export interface StageTest {
  readonly stage: string
  readonly negated: boolean
}

/** `process.env.NODE_ENV === 'production'`, `!isDev`, `import.meta.env.PROD`, as a question about a stage. */
export function stageTest(test: unknown): StageTest | undefined {
  if (!isNode(test)) return undefined
  if (test.type === 'UnaryExpression' && test.operator === '!') {
    const inner = stageTest(test.argument)
    return inner && { ...inner, negated: !inner.negated }
  }
  if (test.type === 'BinaryExpression') return comparison(test)
  const [is, word, ...more] = wordsOf(lastName(test) ?? '')
  const named = is === 'is' ? (more.length === 0 ? word : undefined) : word === undefined ? is : undefined
  const stage = named === undefined ? undefined : own(named)
  // A variable called test or live may be about anything; only with "is" it asks.
  return stage !== undefined && (is === 'is' || ['production', 'prod', 'development', 'dev'].includes(named as string))
    ? { stage, negated: false }
    : undefined
}

function comparison({ operator, left, right }: Node): StageTest | undefined {
  if (!['===', '==', '!==', '!='].includes(operator as string)) return undefined
  for (const [what, with_] of [
    [left, right],
    [right, left],
  ]) {
    const value = isNode(with_) && with_.type === 'StringLiteral' ? own(with_.value as string) : undefined
    const last = wordsOf(lastName(what) ?? '').at(-1) ?? ''
    if (value !== undefined && ['env', 'environment', 'stage', 'mode'].includes(last))
      return { stage: value, negated: (operator as string).startsWith('!') }
  }
  return undefined
}

function own(name: string): string | undefined {
  return Object.hasOwn(stageNames, name.toLowerCase()) ? stageNames[name.toLowerCase()] : undefined
}
