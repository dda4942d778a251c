import { eachNode, isNode, type Node, nodeWord } from './syntax.js'

/** The module that settings are imported from. */
export const settingsId = 'virtual:mappa/settings'

/** Names that a module takes from its environment or the settings. */
export interface Taken {
  readonly names: ReadonlySet<string>
  /** True if it takes them as a whole, so that which ones is only known when it runs. */
  readonly whole: boolean
}

/** Reads of `import.meta.env`. As a whole it is an object with the allowed names only. */
export function takenFromEnv(program: unknown): Taken {
  return takenOf(program as Node, isImportMetaEnv)
}

/** Reads of `process.env`, which no page has. */
export function takenFromProcess(program: unknown): Taken {
  return takenOf(program as Node, isProcessEnv)
}

/** Every name that a module takes from the settings module, by import or `export … from`, also when it runs. */
export function takenSettings(program: unknown): Taken {
  const names = new Set<string>()
  const namespaces = new Set<string>()
  let whole = false
  for (const statement of (program as Node).body as readonly Node[]) {
    if (nodeWord(statement.source) !== settingsId) continue
    if (statement.type === 'ExportAllDeclaration') whole = true
    for (const specifier of (statement.specifiers ?? []) as readonly Node[]) {
      if (specifier.type === 'ImportDefaultSpecifier') whole = true
      else if (specifier.type === 'ImportNamespaceSpecifier') namespaces.add(nodeWord(specifier.local) as string)
      // Of `export { A as B } from`, the taken name is the local one.
      else names.add(nodeWord(specifier.type === 'ExportSpecifier' ? specifier.local : specifier.imported) as string)
    }
  }
  const read = takenOf(
    program as Node,
    ({ type, source }) => type === 'ImportExpression' && nodeWord(source) === settingsId,
    namespaces,
  )
  for (const name of read.names) names.add(name)
  if (names.delete('default')) whole = true
  return { names, whole: whole || read.whole }
}

/** A read of an environment: of one name, or of the whole if `name` is undefined. */
export interface EnvironmentRead {
  readonly name: string | undefined
  readonly node: Node
}

/** The reads of `import.meta.env`, or of `process.env`, as they stand, for what is put in their place. */
export function environmentReads(program: unknown, which: 'import.meta' | 'process'): readonly EnvironmentRead[] {
  const isSource = which === 'process' ? isProcessEnv : isImportMetaEnv
  const reads: EnvironmentRead[] = []
  eachNode(program as Node, (node, parents) => {
    if (!isSource(node)) return
    let at = parents.length - 1
    while (at >= 0 && (parents[at] as Node).type === 'ParenthesizedExpression') at--
    const parent = parents[at]
    const isObject = parent !== undefined && isMember(parent) && bare(parent.object) === node
    const name = isObject ? memberName(parent) : undefined
    const read = name === undefined ? node : (parent as Node)
    if (!isWritten(read, name === undefined ? parent : parents[at - 1])) reads.push({ name, node: read })
  })
  return reads
}

/** Tells whether code gives something a value there, or takes it away: no text can stand for that. */
function isWritten(node: Node, parent: Node | undefined): boolean {
  if (!parent) return false
  const { type, left, operator } = parent
  return (
    (/^(?:Assignment(?:Expression|Pattern)|For(?:In|Of)Statement)$/.test(type) && left === node) ||
    /^(?:UpdateExpression|ArrayPattern|RestElement)$/.test(type) ||
    (type === 'UnaryExpression' && operator === 'delete')
  )
}

/** Reads of the objects that `isSource` recognises, also under a module's own names for them. */
function takenOf(program: Node, isSource: (node: Node) => boolean, given: Iterable<string> = []): Taken {
  const names = new Set<string>()
  const aliases = new Set(given)
  let whole = false
  const taken = (node: Node, parents: readonly Node[]) => {
    let [inner, at] = [node, parents.length - 1]
    while (at >= 0 && passing.has((parents[at] as Node).type)) inner = parents[at--] as Node
    const parent = parents[at]
    if (!parent) return
    if (isMember(parent) && parent.object === inner) {
      const name = memberName(parent)
      if (name === 'then' && isPromise(inner)) return takenLater(parents[at - 1])
      if (name === undefined || (isPromise(inner) && /^(?:catch|finally)$/.test(name))) whole = true
      else names.add(name)
    } else if (parent.type === 'VariableDeclarator' && parent.init === inner) {
      takenApart(parent.id)
      // Reads by other code are unknown here.
      if (parents[at - 2]?.type === 'ExportNamedDeclaration' && nodeWord(parent.id) !== undefined) whole = true
    } else if (parent.type === 'AssignmentExpression' && parent.right === inner) takenApart(parent.left)
    else if (parent.type !== 'ExpressionStatement') whole = true
  }
  const takenApart = (target: unknown) => {
    if (!isNode(target)) return
    if (target.type === 'Identifier') aliases.add(target.name as string)
    else if (target.type !== 'ObjectPattern') whole = true
    else
      for (const property of target.properties as readonly Node[]) {
        const name = property.type === 'RestElement' ? undefined : propertyName(property)
        if (name === undefined) whole = true
        else names.add(name)
      }
  }
  /** `.then(({ NAME }) => …)` of an import that happens when the module runs. */
  const takenLater = (call: Node | undefined) => {
    const [handler] = (call?.arguments ?? []) as readonly Node[]
    const [parameter] = (handler?.params ?? []) as readonly Node[]
    if (parameter) takenApart(parameter)
    else whole = true
  }
  eachNode(program, (node, parents) => {
    if (isSource(node)) taken(node, parents)
  })
  // A name may be given behind the function that reads it, and one name for another.
  for (let known = 0; known < aliases.size; ) {
    known = aliases.size
    eachNode(program, (node, parents) => {
      if (node.type === 'Identifier' && aliases.has(node.name as string) && isUse(node, parents.at(-1)))
        taken(node, parents)
    })
  }
  return { names, whole }
}

/** Expressions that pass on what is in them. */
const passing: ReadonlySet<string> = new Set([
  'ParenthesizedExpression',
  'AwaitExpression',
  'ChainExpression',
  'TSAsExpression',
  'TSNonNullExpression',
  'TSSatisfiesExpression',
  'LogicalExpression',
  'ConditionalExpression',
  'SequenceExpression',
])

/** Tells whether an identifier is read there, rather than given a meaning or named. */
function isUse(node: Node, parent: Node | undefined): boolean {
  if (!parent) return false
  if (/^Import.*Specifier$|^LabeledStatement$|^TS/.test(parent.type)) return false
  if (parent.type === 'VariableDeclarator') return parent.id !== node
  if (parent.type === 'Property') return parent.value === node && !parent.method && !isPatternProperty(parent)
  if (isMember(parent)) return parent.object === node || parent.computed === true
  return !(Array.isArray(parent.params) && parent.params.includes(node)) && parent.type !== 'AssignmentPattern'
}

function isPatternProperty(property: Node): boolean {
  return property.kind === undefined
}

function isPromise(node: Node): boolean {
  return node.type === 'ImportExpression'
}

function isMember(node: Node): boolean {
  return node.type === 'MemberExpression'
}

function memberName({ property, computed }: Node): string | undefined {
  return computed && isNode(property) && property.type === 'Identifier' ? undefined : nodeWord(property)
}

function propertyName({ key, computed }: Node): string | undefined {
  return computed && isNode(key) && key.type === 'Identifier' ? undefined : nodeWord(key)
}

function bare(node: unknown): unknown {
  let own = node
  while (isNode(own) && (own.type === 'ParenthesizedExpression' || own.type === 'ChainExpression')) own = own.expression
  return own
}

function isImportMetaEnv(node: unknown): boolean {
  return (
    isNode(node) &&
    isMember(node) &&
    isNode(node.object) &&
    node.object.type === 'MetaProperty' &&
    memberName(node) === 'env'
  )
}

/** `process.env`, also of the global object (ECMAScript, 19.1). */
function isProcessEnv(node: unknown): boolean {
  if (!isNode(node) || !isMember(node) || memberName(node) !== 'env') return false
  const owner = bare(node.object)
  if (nodeWord(owner) === 'process') return isNode(owner) && owner.type === 'Identifier'
  return (
    isNode(owner) &&
    isMember(owner) &&
    memberName(owner) === 'process' &&
    /^(?:globalThis|global|window|self)$/.test(nodeWord(owner.object) ?? '')
  )
}
