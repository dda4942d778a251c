import { isNode, type Node, walk } from '../parse.js'
import { identifierIn, isMember } from '../reads.js'
import type { Binding, NameUse } from './bindings.js'
import { FunctionValue, isPrimitive, ListValue, RecordValue, type Value } from './value.js'

/** Methods that change the list that they belong to. */
const mutators = /^(?:push|pop|shift|unshift|splice|sort|reverse|fill|copyWithin)$/
/** Functions of the language that neither change what they are given nor give it back. */
const harmlessCalls = /^(?:Object\.keys|Array\.isArray|JSON\.stringify|String|console\.\w+)$/
/** Functions of the language that give back what is in there. */
const unpackingCalls = /^Object\.(?:freeze|values|entries)$/

/** What a name holds; `isExported` if its declaration exports it. */
interface HeldValue {
  readonly binding: Binding
  readonly value: Value
  readonly isExported: boolean
}

/**
 * Tells whether what a name holds stays as it began: no use sets a member, hands the whole on to code that might, or gives it
 * another name. `mayChange` answers for other files, which get what is exported.
 */
export function isSteady(
  { binding, value, isExported }: HeldValue,
  mayChange: (holder: string, names: Iterable<string>) => boolean,
): boolean {
  if (!(value instanceof RecordValue) && !(value instanceof ListValue)) return true
  const uses = binding.uses.map((use) => useOf(use, value))
  if (uses.includes('changes')) return false
  const isShared = isExported || binding.kind === 'import' || uses.includes('exports')
  return !isShared || !mayChange(binding.name, memberNames(value))
}

function useOf({ node, parents }: NameUse, value: Value): 'reads' | 'changes' | 'exports' {
  let [inner, held]: [Node, Value] = [node, value]
  for (const [at, parent] of parents.toReversed().entries()) {
    // In an object that is exported it is exported.
    const isPart = (parent.type === 'ObjectProperty' && parent.value === inner) || parent.type === 'ObjectExpression'
    if (isPart || /^TS|^Parenthesized/.test(parent.type)) {
      inner = parent
      continue
    }
    if (isMember(parent) && parent.object === inner) {
      const called = parents.at(-2 - at)
      if (called && /CallExpression$/.test(called.type) && called.callee === parent) return usedByCall(parent, held)
      held = memberHeld(held, parent)
      inner = parent
      continue
    }
    return usedBy(parent, inner, node, held)
  }
  return 'reads'
}

/** `held.method()`: it may change what it belongs to, or hand on what is in there. */
function usedByCall(member: Node, held: Value): 'reads' | 'changes' {
  const name = identifierIn(member.property) ?? ''
  if (held instanceof ListValue) return mutators.test(name) || !isFlat(held) ? 'changes' : 'reads'
  const own = held instanceof RecordValue && member.computed !== true ? held.members.get(name) : undefined
  return own instanceof FunctionValue && !mentionsThis(own.node) ? 'reads' : isPrimitive(held) ? 'reads' : 'changes'
}

function mentionsThis(node: Node): boolean {
  let isMentioned = false
  walk(node, ({ type }) => {
    isMentioned ||= type === 'ThisExpression'
  })
  return isMentioned
}

/** Tells whether nothing within can be changed by code that gets it. */
function isFlat(held: Value): boolean {
  const inner = held instanceof RecordValue ? [...held.members.values()] : held instanceof ListValue ? held.items : []
  return inner.every((each) => isPrimitive(each) || each instanceof FunctionValue)
}

/** What a member holds; where only the code knows which, one that is not a text or a number, if there is one. */
function memberHeld(held: Value, member: Node): Value {
  if (!(held instanceof RecordValue || held instanceof ListValue)) return held
  const all = held instanceof RecordValue ? [...held.members.values()] : held.items
  const name = member.computed === true ? undefined : identifierIn(member.property)
  if (name !== undefined && held instanceof RecordValue) return held.members.get(name)
  return all.find((each) => !isPrimitive(each))
}

function usedBy(parent: Node, inner: Node, name: Node, held: Value): 'reads' | 'changes' | 'exports' {
  const isSet =
    (parent.type === 'AssignmentExpression' && parent.left === inner) ||
    parent.type === 'UpdateExpression' ||
    (parent.type === 'UnaryExpression' && parent.operator === 'delete') ||
    /^(?:ForIn|ForOf)Statement$/.test(parent.type)
  if (isSet && inner !== name) return 'changes'
  if (isPrimitive(held)) return 'reads'
  if (/^Export|^ObjectPattern$/.test(parent.type)) return 'exports'
  // module.exports = name, exports.name = name
  if (parent.type === 'AssignmentExpression' && parent.right === inner)
    return /^(?:module\.)?exports(?:\.|$)/.test(dotted(parent.left)) ? 'exports' : 'changes'
  const callee = /CallExpression$/.test(parent.type) ? dotted(parent.callee) : ''
  // What takes it apart gives its members other names.
  const isUnpacked =
    parent.type === 'SpreadElement' ||
    unpackingCalls.test(callee) ||
    (parent.type === 'VariableDeclarator' && isNode(parent.id) && parent.id.type === 'ObjectPattern')
  if (isUnpacked) return isFlat(held) ? 'reads' : 'changes'
  const isAsked = /^(?:BinaryExpression|UnaryExpression|IfStatement|TemplateLiteral|ExpressionStatement)$/
  return isAsked.test(parent.type) || harmlessCalls.test(callee) ? 'reads' : 'changes'
}

function dotted(node: unknown): string {
  if (!isNode(node)) return ''
  if (isMember(node)) return `${dotted(node.object)}.${identifierIn(node.property) ?? ''}`
  return identifierIn(node) ?? ''
}

/** Names of members at any depth. */
function memberNames(value: Value): Set<string> {
  const names = new Set<string>()
  const open: Value[] = [value]
  // One value may be in many places.
  const seen = new Set<Value>()
  for (let next = open.pop(); next !== undefined; next = open.pop()) {
    if (seen.has(next)) continue
    seen.add(next)
    if (next instanceof ListValue) for (const item of next.items) if (item !== undefined) open.push(item)
    if (!(next instanceof RecordValue)) continue
    for (const [name, item] of next.members) {
      names.add(name)
      if (item !== undefined) open.push(item)
    }
  }
  return names
}
