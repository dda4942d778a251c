import { isNode, type Node, nodesIn, type Parsed, walk } from '../parse.js'

/** A name that code has bound: what it is bound to, and where it is used. */
export interface Binding {
  readonly name: string
  readonly kind: 'variable' | 'function' | 'parameter' | 'import' | 'other'
  /** The name where it is declared. */
  readonly identifier: Node
  /** The declarator, the function, or what an import takes. */
  readonly node: Node
  /** What that is in. */
  readonly parent: Node | undefined
  /** The function that has it, so that each call has its own; undefined for a module's. */
  readonly owner: Node | undefined
  /** False if something binds it again. */
  isConstant: boolean
  /** Its uses, each with what it is in, the root first. */
  readonly uses: NameUse[]
}

export interface NameUse {
  readonly node: Node
  readonly parents: readonly Node[]
}

/** The names of one file. */
export interface Bindings {
  /** The binding of a name where it is used or declared; undefined for what the language or the host has. */
  readonly of: (identifier: Node) => Binding | undefined
  /** Tells whether a use comes before its declaration, in code that runs from top to bottom. */
  readonly isEarly: (identifier: Node) => boolean
}

const callables =
  /^(?:FunctionDeclaration|FunctionExpression|ArrowFunctionExpression|ObjectMethod|Class(?:Private)?Method)$/
/** What has names of its own beside callables. */
const blocks =
  /^(?:Program|BlockStatement|For(?:In|Of)?Statement|SwitchStatement|CatchClause|StaticBlock|TSModuleBlock)$/

/** Deepest nesting in which names are found: each use keeps all that it is in. */
const depthOfNamesMax = 1000

/**
 * Finds what each name of a file is bound to (ECMA-262, Scope Analysis). Undefined where code makes names as it runs, or
 * is nested deeper than 1000 nodes.
 */
export function bindingsOf({ programs }: Parsed): Bindings | undefined {
  const scopes = new Map<Node, Map<string, Binding>>()
  const known = new Map<Node, Binding>()
  const early = new Set<Node>()
  let isDynamic = false
  for (const program of programs)
    walk(program, (node, parents) => {
      if (parents.length > depthOfNamesMax) isDynamic = true
      else declareIn(node, parents, scopes, known)
    })
  if (isDynamic) return undefined
  for (const program of programs)
    walk(program, (node, parents) => {
      if (node.type === 'WithStatement') isDynamic = true
      if (node.type !== 'Identifier') return
      const name = String(node.name)
      if (name === 'eval' && parents.at(-1)?.callee === node) isDynamic = true
      const own = known.get(node)
      if (own || !isUse(node, parents)) return
      const binding = boundTo(name, node, parents, scopes)
      if (!binding) return
      known.set(node, binding)
      if (isTarget(node, parents)) binding.isConstant = false
      binding.uses.push({ node, parents: [...parents] })
      const isBefore = node.start < binding.identifier.start && binding.kind !== 'function'
      if (isBefore && functionIn(parents) === binding.owner) early.add(node)
    })
  if (isDynamic) return undefined
  return { of: (identifier) => known.get(identifier), isEarly: (identifier) => early.has(identifier) }
}

/** Declares the names of one node in the scope that they belong to. */
function declareIn(
  node: Node,
  parents: readonly Node[],
  scopes: Map<Node, Map<string, Binding>>,
  known: Map<Node, Binding>,
): void {
  const declare = (scope: Node | undefined, identifier: Node, made: Pick<Binding, 'kind' | 'node' | 'parent'>) => {
    if (!scope) return undefined
    const names = scopes.get(scope) ?? new Map<string, Binding>()
    scopes.set(scope, names)
    const name = String(identifier.name)
    const before = names.get(name)
    if (before) before.isConstant = false
    const owner = callables.test(scope.type) ? scope : functionIn([...parents.slice(0, parents.indexOf(scope))])
    const binding = before ?? { name, identifier, owner, isConstant: true, uses: [], ...made }
    names.set(name, binding)
    known.set(identifier, binding)
    return binding
  }
  const parent = parents.at(-1)
  if (callables.test(node.type)) {
    for (const each of nodesIn(node.params))
      for (const identifier of boundNames(each)) declare(node, identifier, { kind: 'parameter', node, parent })
    const id = isNode(node.id) ? node.id : undefined
    if (!id) return
    if (node.type === 'FunctionDeclaration') declare(scopeIn(parents), id, { kind: 'function', node, parent })
    // Its own name is seen within it, if nothing there is called so.
    else if (!scopes.get(node)?.has(String(id.name))) declare(node, id, { kind: 'function', node, parent })
    return
  }
  switch (node.type) {
    case 'VariableDeclarator': {
      const isVar = parent?.kind === 'var'
      const scope = isVar ? (functionIn(parents) ?? parents.find(({ type }) => type === 'Program')) : scopeIn(parents)
      for (const identifier of boundNames(node.id)) {
        const binding = declare(scope, identifier, { kind: 'variable', node, parent })
        // Each time round it is set again.
        if (binding && isVar && isInLoop(parents)) binding.isConstant = false
      }
      return
    }
    case 'ImportSpecifier':
    case 'ImportDefaultSpecifier':
    case 'ImportNamespaceSpecifier':
      if (isNode(node.local)) declare(scopeIn(parents), node.local, { kind: 'import', node, parent })
      return
    case 'ClassDeclaration':
    case 'TSEnumDeclaration':
    case 'TSModuleDeclaration':
    case 'TSImportEqualsDeclaration':
      if (isNode(node.id) && node.id.type === 'Identifier')
        declare(scopeIn(parents), node.id, { kind: 'other', node, parent })
      return
    case 'CatchClause':
      for (const identifier of boundNames(node.param)) declare(node, identifier, { kind: 'other', node, parent })
  }
}

/** The names that a pattern binds: `a`, `{ a, b: [c = 1], ...d }`. */
export function boundNames(pattern: unknown): Node[] {
  if (!isNode(pattern)) return []
  switch (pattern.type) {
    case 'Identifier':
      return [pattern]
    case 'AssignmentPattern':
      return boundNames(pattern.left)
    case 'RestElement':
      return boundNames(pattern.argument)
    case 'TSParameterProperty':
      return boundNames(pattern.parameter)
    case 'ObjectPattern':
      return nodesIn(pattern.properties).flatMap((each) => boundNames(each.type === 'RestElement' ? each : each.value))
    case 'ArrayPattern':
      return nodesIn(pattern.elements).flatMap(boundNames)
  }
  return []
}

function isInLoop(parents: readonly Node[]): boolean {
  const within = parents.slice(parents.findLastIndex(({ type }) => callables.test(type)) + 1)
  return within.some(({ type }) => /^(?:For\w*|While|DoWhile)Statement$/.test(type))
}

function functionIn(parents: readonly Node[]): Node | undefined {
  return parents.findLast(({ type }) => callables.test(type))
}

function scopeIn(parents: readonly Node[]): Node | undefined {
  const at = parents.findLastIndex(({ type }) => callables.test(type) || blocks.test(type))
  const scope = parents[at]
  // The body of a function has the names of the function.
  const owner = parents[at - 1]
  const isBody =
    scope?.type === 'BlockStatement' && owner && (callables.test(owner.type) || owner.type === 'CatchClause')
  return isBody && callables.test(owner.type) ? owner : scope
}

function boundTo(
  name: string,
  node: Node,
  parents: readonly Node[],
  scopes: ReadonlyMap<Node, ReadonlyMap<string, Binding>>,
): Binding | undefined {
  let inner = node
  for (const parent of parents.toReversed()) {
    // A function's own name, and what a switch is about, are outside of it.
    const found = inner === parent.id || inner === parent.discriminant ? undefined : scopes.get(parent)?.get(name)
    if (found) return found
    inner = parent
  }
  return undefined
}

/** Nodes of types, in which names are not values. */
const typeNodes =
  /^TS(?!AsExpression|SatisfiesExpression|NonNullExpression|TypeAssertion|ExportAssignment|Enum|Module|InstantiationExpression|ParameterProperty)/

/** Tells whether a name stands for what it is bound to, and is not a key, a label or a type. */
function isUse(node: Node, parents: readonly Node[]): boolean {
  const parent = parents.at(-1)
  if (!parent || parents.some(({ type }) => typeNodes.test(type) || /^(?:TypeAnnotation|TypeParameter)/.test(type)))
    return false
  if (/^(?:Optional)?MemberExpression$/.test(parent.type)) return parent.object === node || parent.computed === true
  if (/^(?:Object|Class)(?:Property|Method|AccessorProperty)$/.test(parent.type))
    return parent.key !== node || parent.computed === true
  if (parent.type === 'ExportSpecifier') return parent.local === node && !isNode(parents.at(-2)?.source)
  return !/^(?:Import|Export\w*Specifier|LabeledStatement|BreakStatement|ContinueStatement|MetaProperty|TSEnumMember)/.test(
    parent.type,
  )
}

/** Tells whether a use sets the name: `name = …`, `[name] = …`, `name++`, `for (name of …)`. */
function isTarget(node: Node, parents: readonly Node[]): boolean {
  let inner = node
  for (const parent of parents.toReversed()) {
    const { type } = parent
    if (type === 'AssignmentExpression' || /^For(?:In|Of)Statement$/.test(type)) return parent.left === inner
    if (type === 'UpdateExpression') return true
    const isWithin =
      /^(?:ObjectPattern|ArrayPattern|RestElement)$/.test(type) ||
      (type === 'AssignmentPattern' && parent.left === inner) ||
      (type === 'ObjectProperty' && parent.value === inner) ||
      /^TS(?:As|NonNull|Satisfies)Expression$|^ParenthesizedExpression$/.test(type)
    if (!isWithin) return false
    inner = parent
  }
  return false
}
