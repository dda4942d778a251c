import { isNode, type Node, nodesIn, oncePerNode } from '../read/parse.js'
import { ownStage, stageAsked, stageTest } from './stage-tests.js'

/** Where code has a value for one stage, beside those of others. */
export interface StageBranch {
  /** Undefined where it counts for every stage that has none of its own. */
  readonly stage: string | undefined
  /** The same for the values of one setting. */
  readonly group: string
  /** What code asks for its environment, if it does so there. */
  readonly asks: string | undefined
}

/**
 * The stage that a value is for, by the table or the statement that it is in; `parents` are those that it is in, the root
 * first. Undefined where that is about no stage, or about something that is none.
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
  const group = `${statement.start} ${left}`
  // Cases without a body of their own fall into this one.
  for (let at = cases.indexOf(own); at >= 0; at--) {
    const each = cases[at] as Node
    if (each !== own && nodesIn(each.consequent).length > 0) break
    if (each.test === null) return { stage: undefined, group, asks }
    const { value } = each.test as Node
    const stage = ownStage(String(value))
    if (stage !== undefined) return { stage, group, asks }
  }
  return undefined
}
