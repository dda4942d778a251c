import { lastName } from '../context.js'
import { isNode, type Node } from '../parse.js'
import { wordsOf } from '../words.js'

/** Stage names as people write them. */
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

/** `process.env.NODE_ENV === 'production'`, `!isDev`, as a question about a stage. */
export function stageTest(test: unknown): StageTest | undefined {
  if (!isNode(test)) return undefined
  if (test.type === 'UnaryExpression' && test.operator === '!') {
    const inner = stageTest(test.argument)
    return inner && { ...inner, negated: !inner.negated }
  }
  if (test.type === 'BinaryExpression') return comparison(test)
  // True in every build and in nothing that is served, whatever the stage.
  if (isBundlersWord(test)) return undefined
  const name = lastName(test) ?? ''
  // Most questions of code are about something else.
  if (!/prod|dev|stag|test|live/i.test(name)) return undefined
  const [is, word, ...more] = wordsOf(name)
  const named = is === 'is' ? (more.length === 0 ? word : undefined) : word === undefined ? is : undefined
  const stage = named === undefined ? undefined : ownStage(named)
  // A variable called test or live may be about anything; only with "is" it asks.
  return stage !== undefined && (is === 'is' || ['production', 'prod', 'development', 'dev'].includes(named as string))
    ? { stage, negated: false }
    : undefined
}

/** `import.meta.env.PROD` */
function isBundlersWord(node: Node): boolean {
  const { object } = node
  return isNode(object) && isNode(object.object) && object.object.type === 'MetaProperty' && lastName(object) === 'env'
}

function comparison({ operator, left, right }: Node): StageTest | undefined {
  if (!['===', '==', '!==', '!='].includes(operator as string)) return undefined
  for (const [what, with_] of [
    [left, right],
    [right, left],
  ]) {
    const value = isNode(with_) && with_.type === 'StringLiteral' ? ownStage(with_.value as string) : undefined
    if (value !== undefined && stageAsked(what) !== undefined)
      return { stage: value, negated: (operator as string).startsWith('!') }
  }
  return undefined
}

/** The stage that a word of code means: `prod` is production. */
export function ownStage(name: string | undefined): string | undefined {
  const word = name?.toLowerCase() ?? ''
  return Object.hasOwn(stageNames, word) ? stageNames[word] : undefined
}

/** The last name of an environment test: `NODE_ENV` of `process.env.NODE_ENV === 'production'`. */
export function stageAsked(node: unknown): string | undefined {
  if (!isNode(node)) return undefined
  if (node.type === 'UnaryExpression') return stageAsked(node.argument)
  if (node.type === 'BinaryExpression') return stageAsked(node.left) ?? stageAsked(node.right)
  if (node.type === 'LogicalExpression') return stageAsked(node.left)
  const name = lastName(node)
  const last = wordsOf(name ?? '').at(-1) ?? ''
  return asking.has(last) || last.endsWith('env') ? name : undefined
}

/** Last words of names that hold a stage. */
const asking: ReadonlySet<string> = new Set(['env', 'environment', 'stage', 'mode'])
