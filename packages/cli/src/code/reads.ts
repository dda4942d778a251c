import { isNode, type Node, nodesIn, type Parsed, type SourceFile, type Visit, walk } from './parse.js'

/** A name that code takes from its environment. Offsets are into the file's text, `[start, end)`. */
export interface Read {
  readonly path: string
  readonly name: string
  readonly start: number
  readonly end: number
  /** The environment or settings object that it is read from. */
  readonly from: Source
  /** The expression, or the property of what takes the environment apart; and what it is in, the root first. */
  readonly node: Node
  readonly parents: readonly Node[]
}

/** An environment that is read by a name which is only known when the code runs. */
export interface ComputedRead {
  readonly path: string
  readonly start: number
  readonly end: number
  readonly from: Source
}

export type Source = 'process.env' | 'import.meta.env' | 'virtual:mappa/settings'

/** Reads of a file from its environment and from settings. */
export interface Reads {
  readonly reads: readonly Read[]
  readonly computed: readonly ComputedRead[]
  /** Names that code gives a value itself: `process.env.TZ = 'UTC'`. */
  readonly written: ReadonlySet<string>
  /** Every name of a property that is taken or taken apart: settings are read as `settings.collector.port`. */
  readonly properties: ReadonlySet<string>
}

/** Settings that one file's code reads. */
export function readsIn({ file, programs }: Parsed): Reads {
  const collected = collectReads(file)
  for (const program of programs) walk(program, collected.visit)
  return collected.reads()
}

/** Collects what the code of one file takes, as its trees are visited. */
export function collectReads({ path }: SourceFile): { readonly visit: Visit; readonly reads: () => Reads } {
  const found: (Read & { readonly alias: string | undefined })[] = []
  const computed: ComputedRead[] = []
  const properties = new Set<string>()
  const written = new Set<string>()
  /** Other names that the file has for an environment: `const env = process.env`. */
  const aliases = new Map<string, Source>()
  /** Names of parameters: one that is called as an alias is another thing where it counts. */
  const parameters = new Set<string>()
  const sourceOf = (node: unknown) => {
    const from = environmentOf(node)
    const alias = from ? undefined : identifierIn(node)
    const known = from ?? aliases.get(alias ?? '')
    return known && { from: known, alias }
  }
  const visit: Visit = (node, parents) => {
    // Most nodes are not of these, and every node of a project comes by.
    if (!read.has(node.type)) return
    if (functions.has(node.type)) {
      for (const parameter of nodesIn(node.params))
        if (parameter.type === 'Identifier') parameters.add(parameter.name as string)
      return
    }
    const key = node.type === 'ObjectProperty' || isMember(node) ? keyOf(node) : undefined
    if (key !== undefined) properties.add(key)
    if (node.type === 'VariableDeclarator' || node.type === 'AssignmentExpression') {
      const [to, what] = node.type === 'VariableDeclarator' ? [node.id, node.init] : [node.left, node.right]
      const source = sourceOf(bare(what))
      if (!source || !isNode(to)) return
      const { from } = source
      if (to.type === 'Identifier' && node.type === 'VariableDeclarator') aliases.set(to.name as string, from)
      if (to.type !== 'ObjectPattern') return
      for (const property of nodesIn(to.properties)) {
        const name = property.type === 'ObjectProperty' ? keyOf(property) : undefined
        if (name === undefined) computed.push({ path, start: property.start, end: property.end, from })
        else {
          const { start, end } = property.key as Node
          found.push({ path, name, start, end, ...source, node: property, parents: [...parents, node, to] })
        }
      }
    } else if (isMember(node)) {
      const source = sourceOf(bare(node.object))
      if (!source) return
      const { from } = source
      // An assignment is not a read: a test or a script may set it for others.
      const parent = parents.at(-1)
      const isSet =
        (parent?.type === 'AssignmentExpression' && parent.left === node) ||
        (parent?.type === 'UnaryExpression' && parent.operator === 'delete')
      if (isSet && key !== undefined) written.add(key)
      if (isSet && parent?.operator !== '||=' && parent?.operator !== '??=') return
      const { start, end } = node.property as Node
      // process.env.hasOwnProperty(…) asks the object something.
      if (key !== undefined && key in Object.prototype) return
      if (key !== undefined) found.push({ path, name: key, start, end, ...source, node, parents: [...parents] })
      else computed.push({ path, start: node.start, end: node.end, from })
    } else if (node.type === 'ImportDeclaration' && stringOf(node.source) === 'virtual:mappa/settings')
      for (const specifier of nodesIn(node.specifiers)) {
        const imported = specifier.imported as Node | undefined
        const name = imported && (identifierIn(imported) ?? stringOf(imported))
        if (!imported || typeof name !== 'string' || name === 'default') continue
        const { start, end } = imported
        found.push({
          path,
          name,
          start,
          end,
          from: 'virtual:mappa/settings',
          alias: undefined,
          node: specifier,
          parents: [...parents, node],
        })
      }
  }
  const reads = () => ({
    reads: found.filter(({ alias }) => alias === undefined || !parameters.has(alias)),
    computed,
    written,
    properties,
  })
  return { visit, reads }
}

const functions: ReadonlySet<string> = new Set([
  'FunctionDeclaration',
  'FunctionExpression',
  'ArrowFunctionExpression',
  'ObjectMethod',
  'ClassMethod',
  'ClassPrivateMethod',
])
const read: ReadonlySet<string> = new Set([
  ...functions,
  'ObjectProperty',
  'MemberExpression',
  'OptionalMemberExpression',
  'VariableDeclarator',
  'AssignmentExpression',
  'ImportDeclaration',
])

export function isMember(node: Node): boolean {
  return node.type === 'MemberExpression' || node.type === 'OptionalMemberExpression'
}

/** The name behind a dot, in quoted brackets, or of a property; undefined for one that is computed. */
function keyOf(node: Node): string | undefined {
  const key = (node.type === 'ObjectProperty' ? node.key : node.property) as unknown
  const value = stringOf(key)
  if (typeof value === 'string') return value
  return node.computed ? undefined : identifierIn(key)
}

function environmentOf(node: unknown): Source | undefined {
  if (!isNode(node) || !isMember(node) || keyOf(node) !== 'env') return undefined
  const object = bare(node.object)
  if (!isNode(object)) return undefined
  if (object.type === 'MetaProperty') return 'import.meta.env'
  return identifierIn(object) === 'process' || (isMember(object) && keyOf(object) === 'process')
    ? 'process.env'
    : undefined
}

/** An expression without what only types or brackets put round it. */
export function bare(node: unknown): unknown {
  let inner = node
  while (isNode(inner) && wrappers.has(inner.type)) inner = inner.expression
  return inner
}

const wrappers: ReadonlySet<string> = new Set([
  'TSAsExpression',
  'TSSatisfiesExpression',
  'TSNonNullExpression',
  'TSTypeAssertion',
  'ParenthesizedExpression',
])

export function identifierIn(node: unknown): string | undefined {
  return isNode(node) && node.type === 'Identifier' ? (node.name as string) : undefined
}

function stringOf(node: unknown): unknown {
  return isNode(node) && node.type === 'StringLiteral' ? node.value : undefined
}
