import { lastName } from '../context.js'
import { isNode, type Node, nodesIn, type Visit } from '../parse.js'

/** Checks in a file's code for missing values, by last names: `key` of `config.key`. */
export interface Guards {
  /** Names that code asks for before it uses them, or has something in their place. */
  readonly tested: ReadonlySet<string>
  /** Names without which code does not go on. */
  readonly stopped: ReadonlySet<string>
}

/** Collects what a file asks about its names, as its trees are visited. */
export function guardsIn(): { readonly visit: Visit; readonly guards: Guards } {
  const tested = new Set<string>()
  const stopped = new Set<string>()
  const visit: Visit = (node) => {
    switch (node.type) {
      case 'IfStatement':
        collect(node.test, ends(node.consequent) ? stopped : tested)
        return
      case 'ConditionalExpression':
      case 'WhileStatement':
        return collect(node.test, tested)
      case 'LogicalExpression':
        return collect(node.left, tested)
      case 'UnaryExpression':
        if (node.operator === '!' || node.operator === 'typeof') collect(node.argument, tested)
        return
      case 'OptionalMemberExpression':
      case 'OptionalCallExpression':
        return collect(node.object ?? node.callee, tested)
      case 'CallExpression':
        if (/^(?:assert|invariant|ok)$/.test(lastName(node.callee) ?? '')) collect(nodesIn(node.arguments)[0], stopped)
        else if (lastName(node.callee) === 'Boolean') collect(nodesIn(node.arguments)[0], tested)
    }
  }
  return { visit, guards: { tested, stopped } }
}

/** The names that a question is about: `!a || b.c === undefined` asks for a and c. */
function collect(test: unknown, into: Set<string>): void {
  if (!isNode(test)) return
  if (test.type === 'UnaryExpression') {
    collect(test.argument, into)
  } else if (test.type === 'LogicalExpression' || test.type === 'BinaryExpression') {
    const isOf = test.type === 'LogicalExpression' || /^[!=]==?$/.test(test.operator as string)
    if (isOf) for (const side of [test.left, test.right]) collect(side, into)
  } else {
    const name = lastName(test)
    if (name !== undefined && name !== 'undefined') into.add(name)
  }
}

/** Tells whether a branch ends the program or throws. */
export function ends(branch: unknown): boolean {
  if (!isNode(branch)) return false
  const last = branch.type === 'BlockStatement' ? nodesIn(branch.body).at(-1) : branch
  const call = last?.type === 'ExpressionStatement' ? (last.expression as Node) : undefined
  return last?.type === 'ThrowStatement' || (call?.type === 'CallExpression' && lastName(call.callee) === 'exit')
}

/** Tells whether code gets to a node only under a condition; `parents` are those that it is in, the root first. */
export function isUnderCondition(node: Node, parents: readonly Node[]): boolean {
  let inner = node
  for (const parent of parents.toReversed()) {
    if ((parent.type === 'IfStatement' || parent.type === 'ConditionalExpression') && parent.test !== inner) return true
    if (parent.type === 'LogicalExpression' && parent.right === inner) return true
    if (parent.type === 'SwitchCase') return true
    inner = parent
  }
  return false
}
