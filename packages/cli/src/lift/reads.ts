import { isNode, type Node, type Parsed, walk } from './parse.js'

/** A name that code takes from its environment. Offsets are into the file's text, `[start, end)`. */
export interface Read {
  readonly path: string
  readonly name: string
  readonly start: number
  readonly end: number
  /** What it is taken from. */
  readonly from: Source
}

/** An environment that is read by a name which is only known when the code runs. */
export interface ComputedRead {
  readonly path: string
  readonly start: number
  readonly end: number
  readonly from: Source
}

export type Source = 'process.env' | 'import.meta.env' | 'virtual:mappa/settings'

/** What a file takes from its environment and from settings. */
export interface Reads {
  readonly reads: readonly Read[]
  readonly computed: readonly ComputedRead[]
  /** Every name of a property that is taken or taken apart: settings are read as `settings.collector.port`. */
  readonly properties: ReadonlySet<string>
}

/** What the code of one file takes. */
export function readsIn({ file, programs }: Parsed): Reads {
  const reads: Read[] = []
  const computed: ComputedRead[] = []
  const properties = new Set<string>()
  for (const program of programs) {
    /** Other names that the file has for an environment: `const env = process.env`. */
    const aliases = new Map<string, Source>()
    const sourceOf = (node: unknown): Source | undefined => environmentOf(node) ?? aliases.get(identifierIn(node) ?? '')
    const add = (name: string, { start, end }: Node, from: Source) =>
      reads.push({ path: file.path, name, start, end, from })
    const addPattern = (pattern: Node, from: Source) => {
      for (const property of nodesIn(pattern.properties)) {
        const name = property.type === 'ObjectProperty' ? keyOf(property) : undefined
        if (name !== undefined) add(name, property.key as Node, from)
        else computed.push({ path: file.path, start: property.start, end: property.end, from })
      }
    }
    walk(program, (node, parents) => {
      const key = node.type === 'ObjectProperty' || isMember(node) ? keyOf(node) : undefined
      if (key !== undefined) properties.add(key)
      if (node.type === 'VariableDeclarator' || node.type === 'AssignmentExpression') {
        const [to, what] = node.type === 'VariableDeclarator' ? [node.id, node.init] : [node.left, node.right]
        const from = sourceOf(bare(what))
        if (!from || !isNode(to)) return
        if (to.type === 'ObjectPattern') addPattern(to, from)
        else if (to.type === 'Identifier' && node.type === 'VariableDeclarator') aliases.set(to.name as string, from)
      } else if (isMember(node)) {
        const from = sourceOf(bare(node.object))
        if (!from) return
        // What is set is not read; a test or a script may set what others read.
        const parent = parents.at(-1)
        if (parent?.type === 'AssignmentExpression' && parent.left === node && parent.operator === '=') return
        if (parent?.type === 'UnaryExpression' && parent.operator === 'delete') return
        if (key !== undefined) add(key, node.property as Node, from)
        else computed.push({ path: file.path, start: node.start, end: node.end, from })
      } else if (node.type === 'ImportDeclaration' && quoted(node.source) === 'virtual:mappa/settings')
        for (const specifier of nodesIn(node.specifiers)) {
          const imported = specifier.imported as Node | undefined
          const name = imported && (identifierIn(imported) ?? quoted(imported))
          if (imported && typeof name === 'string' && name !== 'default') add(name, imported, 'virtual:mappa/settings')
        }
    })
  }
  return { reads, computed, properties }
}

function isMember(node: Node): boolean {
  return node.type === 'MemberExpression' || node.type === 'OptionalMemberExpression'
}

/** The name behind a dot, in quoted brackets, or of a property; undefined for one that is computed. */
function keyOf(node: Node): string | undefined {
  const key = (node.type === 'ObjectProperty' ? node.key : node.property) as unknown
  const value = quoted(key)
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
function bare(node: unknown): unknown {
  const wrappers = [
    'TSAsExpression',
    'TSSatisfiesExpression',
    'TSNonNullExpression',
    'TSTypeAssertion',
    'ParenthesizedExpression',
  ]
  let inner = node
  while (isNode(inner) && wrappers.includes(inner.type)) inner = inner.expression
  return inner
}

function identifierIn(node: unknown): string | undefined {
  return isNode(node) && node.type === 'Identifier' ? (node.name as string) : undefined
}

function quoted(node: unknown): unknown {
  return isNode(node) && node.type === 'StringLiteral' ? node.value : undefined
}

function nodesIn(list: unknown): Node[] {
  return Array.isArray(list) ? list.filter(isNode) : []
}
