import type { SyntaxNode } from '@lezer/common'
import { parser } from '@lezer/python'
import type { Node } from './parse.js'

/**
 * Python as a tree of the same kinds as other code, as far as values are given to names there; or the offset of what does not
 * parse.
 */
export function pythonTree(text: string): Node | number {
  // A form feed separates pages, and is a blank to Python.
  const tree = parser.parse(text.replaceAll('\f', ' '))
  let broken: number | undefined
  tree.iterate({
    enter: (node) => {
      if (node.type.isError) broken ??= node.from
    },
  })
  return broken ?? pythonNode(tree.topNode, text)
}

function pythonNode(node: SyntaxNode, text: string): Node {
  const { from: start, to: end } = node
  const own = (type: string, more: object = {}): Node => ({ type, start, end, ...more })
  const inner = () => childrenOf(node).map((each) => pythonNode(each, text))
  switch (node.name) {
    case 'String': {
      const value = pythonString(text.slice(start, end))
      return value === undefined ? own('PythonText') : own('StringLiteral', { value })
    }
    case 'Number':
      return own('NumericLiteral', { value: Number(text.slice(start, end)) })
    case 'VariableName':
      return own('Identifier', { name: text.slice(start, end) })
    case 'AssignStatement':
      return assignment(node, text)
    case 'MemberExpression':
      return pythonMember(node, text)
    case 'CallExpression': {
      const [callee, list] = childrenOf(node)
      return own('CallExpression', {
        callee: callee && pythonNode(callee, text),
        arguments: list ? argumentsIn(list, text) : [],
      })
    }
    case 'DictionaryExpression':
      return own('ObjectExpression', { properties: propertiesIn(node, text) })
    case 'ArrayExpression':
    case 'TupleExpression':
    case 'SetExpression':
      return own('ArrayExpression', { elements: inner() })
    case 'BinaryExpression': {
      const [left, operator, right] = childrenOf(node)
      const operatorText = operator ? text.slice(operator.from, operator.to) : ''
      const isQuestion = operator?.name === 'CompareOp' || /^(?:in|not|is)\b/.test(operatorText)
      return own('BinaryExpression', {
        operator: isQuestion ? '==' : operatorText,
        left: left && pythonNode(left, text),
        right: right && pythonNode(right, text),
      })
    }
    case 'ReturnStatement':
      return own('ReturnStatement', { argument: inner()[0] })
    // Texts that join, that stand alone, or that something is compared with: nothing may be in their place.
    case 'ContinuedString':
    case 'MatchClause':
      return own('PythonText')
    case 'ExpressionStatement':
      if (node.firstChild?.name === 'String') return own('PythonText')
      return own('PythonStatement', { body: inner() })
    default:
      return own(`Python${node.name}`, { body: inner() })
  }
}

/** `NAME = value`, `self.name = value`, `name: str = value`. */
function assignment(node: SyntaxNode, text: string): Node {
  const parts = childrenOf(node).filter(({ name }) => name !== 'TypeDef')
  const [to, , value, ...more] = parts
  const { from: start, to: end } = node
  if (!to || !value || more.length > 0)
    return { type: 'PythonAssignment', start, end, body: parts.map((each) => pythonNode(each, text)) }
  const [left, right] = [pythonNode(to, text), pythonNode(value, text)]
  return left.type === 'Identifier'
    ? { type: 'VariableDeclarator', start, end, id: left, init: right }
    : { type: 'AssignmentExpression', start, end, operator: '=', left, right }
}

/** `settings.name`, `config['name']` */
function pythonMember(node: SyntaxNode, text: string): Node {
  const [object, ...rest] = childrenOf(node)
  const property = rest.find(({ name }) => name === 'PropertyName')
  const key = rest.find(({ name }) => name === 'String')
  const held: Node | undefined = property
    ? { type: 'Identifier', start: property.from, end: property.to, name: text.slice(property.from, property.to) }
    : key && pythonNode(key, text)
  return {
    type: 'MemberExpression',
    start: node.from,
    end: node.to,
    object: object && pythonNode(object, text),
    property: held,
    computed: !property,
  }
}

/** A call's arguments. Keyword arguments become one object after the others. */
function argumentsIn(list: SyntaxNode, text: string): Node[] {
  const parts = childrenOf(list)
  const plain: Node[] = []
  const properties: Node[] = []
  for (let at = 0; at < parts.length; at++) {
    const [part, assign, value] = [parts[at] as SyntaxNode, parts[at + 1], parts[at + 2]]
    if (part.name === 'VariableName' && assign?.name === 'AssignOp' && value) {
      properties.push(propertyOf(pythonNode(part, text), pythonNode(value, text)))
      at += 2
    } else plain.push(pythonNode(part, text))
  }
  return properties.length === 0
    ? plain
    : [...plain, { type: 'ObjectExpression', start: list.from, end: list.to, properties }]
}

function propertiesIn(node: SyntaxNode, text: string): Node[] {
  const properties: Node[] = []
  let key: SyntaxNode | undefined
  for (const part of childrenOf(node)) {
    if (!key) key = part
    else {
      properties.push(propertyOf(pythonNode(key, text), pythonNode(part, text)))
      key = undefined
    }
  }
  return properties
}

function propertyOf(key: Node, value: Node): Node {
  return { type: 'ObjectProperty', start: key.start, end: value.end, key, value, computed: false }
}

/** The parts of a node that mean something, without characters and comments. */
function childrenOf(node: SyntaxNode): SyntaxNode[] {
  const found: SyntaxNode[] = []
  for (let child = node.firstChild; child; child = child.nextSibling)
    if (/^[A-Z]/.test(child.name) && child.name !== 'Comment') found.push(child)
  return found
}

/** The text of a string that is written without escapes; undefined for bytes, for what is filled in, and for several lines. */
function pythonString(written: string): string | undefined {
  const [, , value] = /^[rRuU]?(['"])(?!\1\1)((?:(?!\1)[^\\\n])*)\1$/.exec(written) ?? []
  return value
}
