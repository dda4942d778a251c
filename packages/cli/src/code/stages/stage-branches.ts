import { isNode, type Node, nodesIn, oncePerNode } from '../parse.js'
import { ends } from './guards.js'
import { ownStage, stageAsked, stageTest } from './stage-tests.js'

/** A place where code has a value for one stage, beside those of others. */
export interface StageBranch {
  /** Undefined where it counts for every stage that has none of its own. */
  readonly stage: string | undefined
  /** Further stages that share the value. */
  readonly also?: readonly string[]
  /** The same for the values of one setting. */
  readonly group: string
  /** The variable by which code tells its environment, if it does. */
  readonly asks: string | undefined
}

/**
 * The stage that a value is for, by the table or the statement that it is in; `parents` are those that it is in, the root
 * first. Undefined where that is about no stage, or about something that is not one.
 */
export function stageBranch(node: Node, parents: readonly Node[], text: string): StageBranch | undefined {
  const steps: string[] = []
  let inner = node
  for (let at = parents.length - 1; at >= 0; at--) {
    const parent = parents[at] as Node
    if (parent.type === 'ObjectProperty') {
      if (parent.value !== inner || parent.computed) return undefined
      const table = parents[at - 1]
      const key = propertyKey(parent)
      if (table && isStageTable(table) && steps.length > 0)
        return { stage: ownStage(key), group: `${table.start} ${steps.join('.')}`, asks: undefined }
      steps.unshift(key)
    } else if (parent.type === 'AssignmentExpression' && parent.right === inner && steps.length === 0) {
      return ofStatement(parent, parents.slice(0, at), text)
    } else if (parent.type !== 'ObjectExpression') return undefined
    inner = parent
  }
  return undefined
}

/** `{ development: { … }, production: { … } }`; `default` counts for all others. */
const isStageTable = oncePerNode((node) => {
  const keys = nodesIn(node.properties).map((each) => (each.type === 'ObjectProperty' ? propertyKey(each) : ''))
  const stages = keys.filter((key) => ownStage(key) !== undefined)
  return stages.length > 1 && keys.every((key) => ownStage(key) !== undefined || key === 'default')
})

function propertyKey({ key }: Node): string {
  return isNode(key) ? String(key.name ?? key.value ?? '') : ''
}

/** An assignment in a branch of `switch` or `if` that asks for the stage. */
function ofStatement(assignment: Node, parents: readonly Node[], text: string): StageBranch | undefined {
  const left = text.slice((assignment.left as Node).start, (assignment.left as Node).end)
  let inner: Node = assignment
  for (let at = parents.length - 1; at >= 0; at--) {
    const parent = parents[at] as Node
    if (parent.type === 'SwitchCase') return ofCase(parent, parents[at - 1] as Node, left)
    if (parent.type === 'IfStatement') {
      const asked = stageTest(parent.test)
      if (!asked || parent.test === inner) return undefined
      const isThen = parent.consequent === inner
      const stage = isThen === !asked.negated ? asked.stage : undefined
      let first = parent
      for (let up = at - 1; parents[up]?.type === 'IfStatement' && parents[up]?.alternate === first; up--)
        first = parents[up] as Node
      return { stage, group: `${first.start} ${left}`, asks: stageAsked(parent.test) }
    }
    if (parent.type !== 'BlockStatement' && parent.type !== 'ExpressionStatement') return undefined
    inner = parent
  }
  return undefined
}

function ofCase(own: Node, statement: Node, left: string): StageBranch | undefined {
  const asks = stageAsked(statement.discriminant)
  if (asks === undefined) return undefined
  const cases = nodesIn(statement.cases)
  const at = cases.indexOf(own)
  const group = `${statement.start} ${left}`
  // The next case may set something else.
  if (at < cases.length - 1 && fallsOn(own)) return undefined
  // Cases without a body of their own fall into this one.
  const tests = [own.test]
  for (let above = at - 1; above >= 0 && fallsOn(cases[above] as Node); above--) {
    const { consequent, test } = cases[above] as Node
    if (nodesIn(consequent).length > 0) return undefined
    tests.push(test)
  }
  if (tests.includes(null)) return { stage: undefined, group, asks }
  const stages = tests.map((test) => ownStage(String((test as Node).value)))
  const [stage, ...also] = stages.filter((each) => each !== undefined)
  return also.length < tests.length - 1 || stage === undefined ? undefined : { stage, also, group, asks }
}

/** Tells whether code goes on from a case into the next one. */
export function fallsOn({ consequent }: Node): boolean {
  const body = nodesIn(consequent)
  const last = body.at(-1)
  const end = last?.type === 'BlockStatement' ? nodesIn(last.body).at(-1) : last
  return !end || !(/^(?:Break|Return|Continue)Statement$/.test(end.type) || ends(end))
}
