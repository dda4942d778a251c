import { contextOf, lastName } from '../code/context.js'
import { isNode, type Node, type Visit } from '../code/parse.js'
import type { IfUsed } from './finding.js'
import { opens } from './guess.js'
import { openers, requests } from './taker.js'

/** Collects what a file does with its names, as its trees are visited: asks for what one holds, or opens something with it. */
export function usesIn(): { readonly visit: Visit; readonly hold: (wanted: IfUsed) => boolean } {
  const asked = new Set<string>()
  const secret = new Set<string>()
  const visit: Visit = (node, parents) => {
    if (node.type !== 'Identifier' && node.type !== 'MemberExpression') return
    const parent = parents.at(-1)
    if (!parent || !taking.has(parent.type)) return
    const name = lastName(node)
    if (name === undefined) return
    const isAsked =
      (parent.type === 'BinaryExpression' && parent.left === node && parent.operator === '+') ||
      (parent.type === 'TemplateLiteral' && startsWith(parent, node))
    if (isAsked) asked.add(name)
    if (parent.type === 'BinaryExpression' || parent.type === 'TemplateLiteral') return
    if (!mayMatter(node, parent, parents.at(-2))) return
    const context = contextOf(node, parents)
    if (context.call !== undefined && requests.has(context.call) && context.argument === 0) asked.add(name)
    if (
      /^(?:url|uri|baseURL|baseUrl|endpoint)$/.test(context.name ?? '') &&
      context.outer.some((word) => requests.has(word))
    )
      asked.add(name)
    if (opens(context)) secret.add(name)
  }
  const hold = ({ name, as }: IfUsed) => (as === 'address' ? asked : secret).has(name)
  return { visit, hold }
}

/** Tells whether something that is searched for could take a name there: most names are handed to what does neither. */
function mayMatter(node: Node, parent: Node, outer: Node | undefined): boolean {
  switch (parent.type) {
    case 'ObjectProperty':
      return parent.value === node && takingNames.test(lastName(parent.key) ?? '')
    case 'ArrayExpression':
      return (
        outer !== undefined &&
        takingNames.test(lastName(outer.type === 'ObjectProperty' ? outer.key : outer.left) ?? '')
      )
    case 'AssignmentExpression':
      return parent.right === node && lastName(parent.left) === 'keys'
    default: {
      const called = lastName(parent.callee) ?? ''
      return requests.has(called) || Object.hasOwn(openers, called)
    }
  }
}

/** Names of what is asked for, and of what something is signed with. */
const takingNames = /^(?:url|uri|baseURL|baseUrl|endpoint|secrets?|keys)$/

/** Calls that pass a name on. */
const taking: ReadonlySet<string> = new Set([
  'CallExpression',
  'NewExpression',
  'OptionalCallExpression',
  'ArrayExpression',
  'ObjectProperty',
  'BinaryExpression',
  'TemplateLiteral',
  'AssignmentExpression',
])

function startsWith({ quasis, expressions }: Node, node: Node): boolean {
  const [head] = quasis as Node[]
  const first = (expressions as Node[])[0]
  return isNode(head) && first === node && (head.value as { raw: string }).raw === ''
}
