import { isNode, type Node, nodesIn, overParsed, type Parsed, type SourceFile, walk } from '../parse.js'
import { identifierIn, isMember } from '../reads.js'
import { type Bindings, bindingsOf, boundNames } from './bindings.js'

/** What a module exports under a name: an expression of its own, or what another module exports. */
export type Exported = { readonly node: Node } | { readonly source: string; readonly name: string }

/** A module of the project, with its names. */
export interface CodeModule {
  readonly path: string
  readonly programs: readonly Node[]
  readonly bindings: Bindings
  /** Names that it exports, as far as they are written down. */
  readonly names: readonly string[]
  /** Tells whether a declaration exports the name that it declares. */
  readonly exports: (identifier: Node) => boolean
  /** `module.exports` for the whole of a module of CommonJS. */
  readonly exported: (name: string) => Exported | undefined
  /** What the field of the class around a node begins as; undefined if something sets it again. */
  readonly fieldAround: (node: Node, name: string) => Node | undefined
}

/** Reads the names of a file; undefined if it cannot be parsed. */
export function codeModule(file: SourceFile): CodeModule | undefined {
  const module = overParsed(file, moduleFrom)
  return module && 'bindings' in module ? module : undefined
}

function moduleFrom(parsed: Parsed): CodeModule | undefined {
  const bindings = bindingsOf(parsed)
  if (!bindings) return undefined
  const exports = exportsIn(parsed)
  const nodes = new Set([...exports.values()].map((each) => ('node' in each ? each.node : undefined)))
  return {
    path: parsed.file.path,
    programs: parsed.programs,
    bindings,
    names: [...exports.keys()].filter((name) => name !== 'module.exports'),
    exports: (identifier) => nodes.has(identifier),
    exported: (name) => exports.get(name),
    fieldAround: (node, name) => fieldAround(parsed, node, name),
  }
}

function exportsIn({ programs }: Parsed): ReadonlyMap<string, Exported> {
  const found = new Map<string, Exported>()
  /** Names that are exported twice are not known. */
  const twice = new Set<string>()
  const add = (name: string, exported: Exported) => {
    if (found.has(name)) twice.add(name)
    found.set(name, exported)
  }
  for (const each of programs.flatMap((file) => nodesIn((file.program as Node | undefined)?.body))) {
    if (each.type === 'ExportDefaultDeclaration' && isNode(each.declaration)) add('default', { node: each.declaration })
    if (each.type === 'ExportNamedDeclaration') for (const [name, one] of namedExports(each)) add(name, one)
  }
  for (const program of programs)
    walk(program, (node, parents) => {
      if (node.type !== 'AssignmentExpression' || !isNode(node.right)) return
      const name = exportsName(node.left)
      if (name === undefined) return
      add(name, { node: node.right })
      // Under a condition it may be another one.
      if (parents.some(({ type }) => !/^(?:File|Program|ExpressionStatement|AssignmentExpression)$/.test(type)))
        twice.add(name)
    })
  for (const name of twice) found.delete(name)
  return found
}

function namedExports(node: Node): [name: string, exported: Exported][] {
  const source = isNode(node.source) ? String(node.source.value) : undefined
  const nameOf = (key: unknown) => (isNode(key) ? String(key.name ?? key.value ?? '') : '')
  const specifiers = nodesIn(node.specifiers).flatMap((each): [string, Exported][] => {
    if (each.type !== 'ExportSpecifier' || !isNode(each.local)) return []
    const name = nameOf(each.exported)
    return [[name, source === undefined ? { node: each.local } : { source, name: nameOf(each.local) }]]
  })
  const { declaration } = node
  if (!isNode(declaration)) return specifiers
  if (declaration.type === 'FunctionDeclaration') return [[nameOf(declaration.id), { node: declaration }]]
  // The name itself, so that its uses count.
  return nodesIn(declaration.declarations).flatMap(({ id }) =>
    boundNames(id).map((name): [string, Exported] => [nameOf(name), { node: name }]),
  )
}

/** `module.exports = …`, `exports.name = …`, `module.exports.name = …` */
function exportsName(left: unknown): string | undefined {
  if (!isNode(left) || !isMember(left) || left.computed === true) return undefined
  const [owner, name] = [left.object, identifierIn(left.property)]
  if (name === undefined) return undefined
  if (identifierIn(owner) === 'module' && name === 'exports') return 'module.exports'
  const isExports =
    identifierIn(owner) === 'exports' ||
    (isNode(owner) &&
      isMember(owner) &&
      identifierIn(owner.object) === 'module' &&
      identifierIn(owner.property) === 'exports')
  return isExports ? name : undefined
}

/** A field's value, or what the constructor gives it, if nothing in the file sets a member of that name again. */
function fieldAround({ programs }: Parsed, node: Node, name: string): Node | undefined {
  let found: Node | undefined
  let count = 0
  let isWithin = false
  for (const program of programs)
    walk(program, (each, parents) => {
      const target =
        each.type === 'AssignmentExpression' ? each.left : each.type === 'UpdateExpression' ? each.argument : undefined
      const isField = each.type === 'ClassProperty' && each.static !== true && identifierIn(each.key) === name
      const isSet = isNode(target) && isMember(target) && identifierIn(target.property) === name
      if (!isField && !isSet) return
      count++
      const owner = parents.findLast(({ type }) => /^Class(?:Declaration|Expression)$/.test(type))
      isWithin ||= owner !== undefined && owner.start <= node.start && node.end <= owner.end
      const method = parents.findLast(({ type }) => /Function|Method/.test(type))
      const isOwn =
        isField ||
        (each.operator === '=' &&
          isNode((target as Node).object) &&
          ((target as Node).object as Node).type === 'ThisExpression' &&
          method?.kind === 'constructor' &&
          // On its way it is asked for nothing.
          parents.at(-1)?.type === 'ExpressionStatement' &&
          parents.at(-3) === method)
      if (isOwn) found = (isField ? each.value : each.right) as Node
      else count++
    })
  return count === 1 && isWithin && isNode(found) ? found : undefined
}
