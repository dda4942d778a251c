import { isNode, type Node } from './parse.js'
import { wordsOf } from './words.js'

/** The use of a literal, as far as its surroundings tell. */
export interface Context {
  /** The words of the name that the value is given to; empty if it has none. */
  readonly words: readonly string[]
  /** The words of what it is a part of: `mailer` for `const mailer = { port: 2525 }`, `cors` for `cors({ origin: … })`. */
  readonly outer: readonly string[]
  /** That name as it is written. */
  readonly name: string | undefined
  /** The function that takes it as an argument, by its last name, and as which one. */
  readonly call: string | undefined
  readonly argument: number | undefined
  /** True if nothing may be put in its place: a key, a source of an import, a type. */
  readonly fixed: boolean
  /** True if it is compared or searched with, rather than used. */
  readonly compared: boolean
  /** True if it is one of a list. */
  readonly listed: boolean
  /** True if it is in a page's markup. */
  readonly markup: boolean
  /** True if code puts something in front of it or behind it. */
  readonly part: boolean
  /** True if it is one side of a question that is not about a stage, or what takes the place of something worked out. */
  readonly chosen: boolean
  /** True if something is made of it alone: `new Client('…')`. */
  readonly makes: boolean
  /** The object that it is a value of, for what stands beside it. */
  readonly object: Node | undefined
  /** The object or class before the last name: `jwt` of `jwt.sign(…)`, `app` of `app.keys = …`. */
  readonly owner: string | undefined
}

/** Wrappers that hand a value on as it is. */
const passing = new Set([
  'TSAsExpression',
  'TSSatisfiesExpression',
  'TSNonNullExpression',
  'ParenthesizedExpression',
  'AwaitExpression',
  'LogicalExpression',
  'ConditionalExpression',
  'TemplateLiteral',
  'BinaryExpression',
  'ArrayExpression',
  'JSXExpressionContainer',
])
/** Calls that hand their first argument on in another shape. */
const passingCalls = new Set(['Number', 'String', 'URL', 'Boolean', 'parseInt', 'trim', 'freeze', 'concat', 'from'])
const fixedParents = new Set([
  'ImportDeclaration',
  'ExportNamedDeclaration',
  'ExportAllDeclaration',
  'ImportExpression',
  'TSLiteralType',
  'TSExternalModuleReference',
  'TSEnumMember',
  'TSModuleDeclaration',
  'Directive',
  'DirectiveLiteral',
  'JSXText',
])
const comparing = new Set(['==', '===', '!=', '!==', '<', '>', '<=', '>=', 'in', 'instanceof'])
const searching = new Set([
  'startsWith',
  'endsWith',
  'includes',
  'indexOf',
  'lastIndexOf',
  'match',
  'test',
  'split',
  'replace',
  'replaceAll',
  'search',
  'localeCompare',
  'createElementNS',
  'setAttributeNS',
  'getAttributeNS',
  'require',
  'resolve',
  'getItem',
  'describe',
  'it',
])

/** Calls whose first argument names what the second one is. */
const giving = new Set([
  'set',
  'append',
  'add',
  'put',
  'header',
  'setHeader',
  'setRequestHeader',
  'option',
  'default',
  'define',
  'constant',
  'value',
  'env',
])

/** The surroundings of a node; `parents` are those that it is in, the root first. */
export function contextOf(node: Node, parents: readonly Node[]): Context {
  let inner = node
  let words: readonly string[] = []
  let outer: readonly string[] = []
  let name: string | undefined
  let call: string | undefined
  let argument: number | undefined
  let [fixed, compared, markup, listed, part, chosen, makes] = [false, false, false, false, false, false, false]
  let object: Node | undefined
  let owner: string | undefined
  for (let at = parents.length - 1; at >= 0; at--) {
    const parent = parents[at] as Node
    if (fixedParents.has(parent.type)) fixed = true
    if (parent.type === 'SwitchCase' && parent.test === inner) compared = true
    if (parent.type === 'BinaryExpression' && comparing.has(parent.operator as string)) compared = true
    // A fallback applies only while the setting has no value.
    if (parent.type === 'LogicalExpression' && parent.right === inner && isSetting(parent.left)) fixed = true
    if (fixed || compared) break
    if (passing.has(parent.type)) {
      listed ||= parent.type === 'ArrayExpression'
      part ||= parent.type === 'BinaryExpression'
      chosen ||=
        parent.type === 'ConditionalExpression' || (parent.type === 'LogicalExpression' && isWorkedOut(parent.left))
      if (parent.type === 'ConditionalExpression' && parent.test === inner) break
      inner = parent
      continue
    }
    if (
      parent.type === 'CallExpression' ||
      parent.type === 'NewExpression' ||
      parent.type === 'OptionalCallExpression'
    ) {
      const callee = lastName(parent.callee)
      const list = parent.arguments as Node[]
      const index = list.indexOf(inner)
      if (callee !== undefined && searching.has(callee)) compared = true
      if (callee === undefined || !passingCalls.has(callee) || index > 0) {
        call ??= callee
        argument ??= index
        owner = ownerName(parent.callee)
        makes = parent.type === 'NewExpression' && list.length === 1 && inner === node
        // headers.set('X-Api-Key', '…'): the argument in front names it.
        const before = index > 0 && callee !== undefined && giving.has(callee) ? list[index - 1] : undefined
        if (before?.type === 'StringLiteral') name = before.value as string
        // client.setApiKey('…')
        const set =
          index === 0 && list.length === 1 ? /^set([A-Z]\w*(?:Key|Token|Secret|Password))$/.exec(callee ?? '') : null
        name ??= set?.[1]
        break
      }
      call ??= callee
      argument ??= index
      inner = parent
      continue
    }
    if (parent.type === 'VariableDeclarator') name = identifier(parent.id)
    else if (parent.type === 'AssignmentExpression' || parent.type === 'AssignmentPattern') {
      name = lastName(parent.left)
      owner = ownerName(parent.left)
    } else if (
      parent.type === 'ClassProperty' ||
      parent.type === 'PropertyDefinition' ||
      parent.type === 'ClassPrivateProperty'
    )
      name = keyName(parent)
    else if (parent.type === 'JSXAttribute') {
      name = String((parent.name as Node).name)
      markup = true
    } else if (
      parent.type === 'ReturnStatement' ||
      (parent.type === 'ArrowFunctionExpression' && parent.body === inner)
    )
      name = functionName(parents.slice(0, at + 1))?.replace(/^get(?=[A-Z_])/, '')
    else if (parent.type === 'ObjectProperty') {
      if (parent.key === inner && !parent.shorthand) fixed = true
      name = nameOfProperty(parent, parents[at - 1])
      object = parents[at - 1]
      const around = outerName(parents[at - 1], parents.slice(0, at - 1))
      // { apiHost: { default: '…' } }: what it is the default of names it.
      if (around !== undefined && name !== undefined && valueKeys.test(name)) name = around
      else outer = wordsOf(around ?? '')
    }
    break
  }
  if (name !== undefined) words = wordsOf(name)
  return { words, outer, name, call, argument, fixed, compared, listed, markup, part, chosen, makes, object, owner }
}

function isWorkedOut(node: unknown): boolean {
  return isNode(node) && node.type === 'CallExpression'
}

/** A setting, or a variable of the environment as the last of several: `given.port || process.env.PORT`. */
function isSetting(node: unknown): boolean {
  if (isNode(node) && node.type === 'LogicalExpression') return isSetting(node.right) || isVariable(node.right)
  return isNode(node) && node.type === 'MemberExpression' && /settings$/i.test(identifier(node.object) ?? '')
}

function isVariable(node: unknown): boolean {
  return isNode(node) && node.type === 'MemberExpression' && lastName(node.object) === 'env'
}

/** The name of a function that does nothing but give a value, by what it is declared or given as. */
function functionName(parents: readonly Node[]): string | undefined {
  const at = parents.findLastIndex(({ type }) => /Function|Method/.test(type))
  const found = parents[at]
  const [body, ...between] = parents.slice(at + 1)
  const isGiver = body?.type !== 'BlockStatement' || (body.body as Node[]).length === 1
  if (!found || !isGiver || between.some(({ type }) => type === 'SwitchCase')) return undefined
  if (found.type === 'FunctionDeclaration') return identifier(found.id)
  if (/Method$/.test(found.type)) return keyName(found)
  const parent = parents[at - 1]
  if (parent?.type === 'VariableDeclarator') return identifier(parent.id)
  return parent?.type === 'ObjectProperty' ? keyName(parent) : undefined
}

/** The name that an object is given to, or the function that takes it. */
function outerName(object: Node | undefined, parents: readonly Node[]): string | undefined {
  if (object?.type !== 'ObjectExpression') return undefined
  const at = parents.findLastIndex((each) => !passesOn(each))
  const parent = parents[at]
  if (!parent) return undefined
  if (parent.type === 'VariableDeclarator') return identifier(parent.id)
  if (parent.type === 'AssignmentExpression') return lastName(parent.left)
  if (parent.type === 'ObjectProperty' || parent.type === 'ClassProperty') return keyName(parent)
  return parent.type === 'CallExpression' || parent.type === 'NewExpression' ? lastName(parent.callee) : undefined
}

/** Tells whether an object goes on as it is, as one of a list, or as text: `options || { … }`, `JSON.stringify({ … })`. */
function passesOn({ type, callee }: Node): boolean {
  if (type === 'CallExpression') return /^(?:stringify|assign|freeze)$/.test(lastName(callee) ?? '')
  return /^(?:LogicalExpression|ArrayExpression|TSAsExpression|TSSatisfiesExpression)$/.test(type)
}

/** Keys that say no more than that their value is one. */
const valueKeys = /^(?:value|val|content|default|defaultValue)$/

/** `apiKey: '…'`; and where the key says nothing, as in `{ name: 'apiKey', value: '…' }`, what stands beside it. */
function nameOfProperty(property: Node, object: Node | undefined): string | undefined {
  const own = keyName(property)
  if (own === undefined || !valueKeys.test(own)) return own
  for (const sibling of (object?.properties as Node[] | undefined) ?? []) {
    const value = sibling.value as Node | undefined
    if (/^(?:name|key|id|header|field|variable)$/.test(keyName(sibling) ?? '') && value?.type === 'StringLiteral')
      return value.value as string
  }
  return own
}

function keyName(property: Node): string | undefined {
  const { key } = property
  if (!isNode(key) || property.computed) return undefined
  if (key.type === 'StringLiteral') return key.value as string
  return key.type === 'Identifier' ? (key.name as string) : key.type === 'PrivateName' ? identifier(key.id) : undefined
}

function identifier(node: unknown): string | undefined {
  return isNode(node) && node.type === 'Identifier' ? (node.name as string) : undefined
}

function ownerName(node: unknown): string | undefined {
  return isNode(node) && (node.type === 'MemberExpression' || node.type === 'OptionalMemberExpression')
    ? lastName(node.object)
    : undefined
}

/** The last name of an expression: `listen` of `app.listen`, `URL` of `URL`. */
export function lastName(node: unknown): string | undefined {
  if (!isNode(node)) return undefined
  if (node.type === 'Identifier') return node.name as string
  if (node.type !== 'MemberExpression' && node.type !== 'OptionalMemberExpression') return undefined
  const { property } = node
  if (isNode(property) && property.type === 'StringLiteral') return property.value as string
  return node.computed ? undefined : identifier(property)
}
