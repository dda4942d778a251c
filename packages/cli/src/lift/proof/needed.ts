import { lastName } from '../../code/context.js'
import { isNode, type Node, nodesIn, walk } from '../../code/parse.js'
import { identifierIn } from '../../code/reads.js'
import { ends } from '../../code/stages/guards.js'
import type { NameUse } from '../../code/values/bindings.js'
import type { CodeModule } from '../../code/values/modules.js'
import type { Candidate, Finding } from '../../guess/finding.js'
import type { ProjectCode } from './project-code.js'
import { isRead } from './read-values.js'

/**
 * Candidates of which an entry is required only if no program of the project passes its start without a value: each throws, ends, or
 * looks into what is not there. `entries` are the files that programs begin with; they all settle the same legend. Elsewhere
 * code goes on as it did, so that the entry is optional.
 */
export function neededAtStart(
  candidates: readonly Candidate[],
  code: ProjectCode,
  entries: readonly string[],
): readonly Candidate[] {
  const read = candidates.filter((candidate) => candidate.sites.some(isRead))
  const files = new Set(read.flatMap(({ sites }) => sites.map(({ path }) => path)))
  if (files.size === 0) return candidates
  const starts = new Starts(code, entries, files)
  return candidates.map((candidate) => {
    const { entry, value, stages, blocked, reach, declared } = candidate
    const sites = candidate.sites.filter(isRead)
    const isOpen = blocked === undefined && declared === undefined && reach === 'server' && sites.length > 0
    const isGiven = entry.default !== undefined || value !== undefined || Object.keys(stages).length > 0
    if (!isOpen || isGiven || entry.optional || sites.length < candidate.sites.length) return candidate
    if (starts.allFailWithout(sites)) return candidate
    const { secret } = entry
    return { ...candidate, entry: { type: 'string', secret, optional: true } }
  })
}

/** The starts of a project that settle its legend, by the files that they load. */
class Starts {
  readonly #code: ProjectCode
  /** What each of them loads in any case. */
  readonly #loaded: readonly ReadonlySet<string>[]

  constructor(code: ProjectCode, entries: readonly string[], files: ReadonlySet<string>) {
    this.#code = code
    const reached = entries.map((entry) => code.reachedFrom(entry, 'possible'))
    // A file that no program is known to load is one by itself.
    const alone = [...files].filter((file) => !reached.some((each) => each.has(file)))
    this.#loaded = [...entries, ...alone]
      .filter((entry) => [...code.reachedFrom(entry, 'possible')].some((file) => files.has(file)))
      .map((entry) => code.reachedFrom(entry, 'certain'))
  }

  allFailWithout(sites: readonly Finding[]): boolean {
    return this.#loaded.every((loaded) => sites.some((site) => loaded.has(site.path) && this.#fails(site, loaded)))
  }

  #fails(site: Finding, loaded: ReadonlySet<string>): boolean {
    const module = this.#code.module(site.path)
    const { pattern, bare } = site.variable ?? {}
    const range = pattern?.properties[pattern.own] ?? bare
    const node = module && range && this.#code.nodeAt(module, range)
    if (!module || !node) return false
    const read = this.#code.useAt(module, node)
    if (!read) return false
    return [read, ...usesOf(read, module)].some(
      (use) => failsAt(use) && this.#isReached(use, module, loaded, new Set()),
    )
  }

  /** Tells whether a start comes by a place for certain, from the top of its module or through calls. */
  #isReached(spot: NameUse, module: CodeModule, loaded: ReadonlySet<string>, seen: Set<Node>): boolean {
    const { parents } = spot
    const at = parents.findLastIndex(({ type }) => callableNodes.test(type))
    const owner = parents[at]
    const within = at < 0 ? parents : parents.slice(at + 1)
    if (within.some((each, index) => isUncertain(each, within[index + 1] ?? spot.node))) return false
    if (!owner) return true
    if (seen.has(owner) || owner.generator === true || returnsBefore(owner, spot.node)) return false
    seen.add(owner)
    return this.#callsOf(owner, parents.slice(0, at), module).some(
      ({ call, from }) =>
        loaded.has(from.path) && (owner.async !== true || endsStart(call)) && this.#isReached(call, from, loaded, seen),
    )
  }

  /** The calls of a function by the names that it is bound to, here and where it is imported. */
  #callsOf(
    owner: Node,
    parents: readonly Node[],
    module: CodeModule,
  ): readonly { readonly call: NameUse; readonly from: CodeModule }[] {
    const parent = parents.at(-1)
    if (parent?.type === 'CallExpression' && parent.callee === owner)
      return [{ call: { node: parent, parents: parents.slice(0, -1) }, from: module }]
    const id =
      owner.type === 'FunctionDeclaration' ? owner.id : parent?.type === 'VariableDeclarator' ? parent.id : undefined
    const binding = isNode(id) && id.type === 'Identifier' ? module.bindings.of(id) : undefined
    if (binding?.isConstant === false) return []
    const own = callsAmong(binding?.uses ?? []).map((call) => ({ call, from: module }))
    const names = [...module.names, 'module.exports'].filter((name) => {
      const exported = module.exported(name)
      if (!exported || !('node' in exported)) return false
      const { node } = exported
      return node === owner || node === id || (binding !== undefined && module.bindings.of(node) === binding)
    })
    return [
      ...own,
      ...names
        .flatMap((name) => this.#code.importsOf(module.path, name))
        .flatMap(({ uses, from }) => callsAmong(uses).map((call) => ({ call, from }))),
    ]
  }
}

const callableNodes =
  /^(?:FunctionDeclaration|FunctionExpression|ArrowFunctionExpression|ObjectMethod|Class(?:Private)?Method|ClassProperty|ClassPrivateProperty)$/

/** The uses of the name that a read is given to as it is. */
function usesOf({ node, parents }: NameUse, { bindings }: CodeModule): readonly NameUse[] {
  const value = node.type === 'ObjectProperty' ? node.value : undefined
  const parent = parents.at(-1)
  const id = value ?? (parent?.type === 'VariableDeclarator' && parent.init === node ? parent.id : undefined)
  const binding = isNode(id) && id.type === 'Identifier' ? bindings.of(id) : undefined
  return binding?.isConstant ? binding.uses : []
}

/** Tells whether a start ends where this has no value: `x.split()`, `if (!x) throw …`, `assert(x)`. */
function failsAt({ node, parents }: NameUse): boolean {
  const parent = parents.at(-1)
  if (!parent || node.type === 'ObjectProperty') return false
  if (parent.type === 'MemberExpression') return parent.object === node
  if (parent.type === 'CallExpression')
    return nodesIn(parent.arguments)[0] === node && /^(?:assert|invariant|ok)$/.test(lastName(parent.callee) ?? '')
  const isLack =
    (parent.type === 'UnaryExpression' && parent.operator === '!') ||
    (parent.type === 'BinaryExpression' &&
      /^===?$/.test(String(parent.operator)) &&
      [parent.left, parent.right].some((side) => identifierIn(side) === 'undefined'))
  if (!isLack) return false
  // Each side of an "or" is enough by itself.
  let inner = parent
  for (const outer of parents.slice(0, -1).toReversed()) {
    if (outer.type === 'IfStatement') return outer.test === inner && ends(outer.consequent)
    if (outer.type !== 'LogicalExpression' || outer.operator !== '||') return false
    inner = outer
  }
  return false
}

/** Tells whether what is in a node may be passed by. The test of an `if` is not. */
function isUncertain(node: Node, inner: Node): boolean {
  switch (node.type) {
    case 'IfStatement':
    case 'ConditionalExpression':
    case 'SwitchStatement':
      return inner !== node.test && inner !== node.discriminant
    case 'LogicalExpression':
      return inner === node.right && node.operator !== '||'
    case 'TryStatement':
      return inner !== node.finalizer
    default:
      return /^(?:For\w*|While|DoWhile)Statement$|^(?:Optional\w+|AssignmentPattern|CatchClause|SwitchCase)$/.test(
        node.type,
      )
  }
}

/** Tells whether a function may have returned before it comes to a node. */
function returnsBefore(owner: Node, node: Node): boolean {
  let found = false
  walk(owner, (each, parents) => {
    if (each.type !== 'ReturnStatement' || each.start >= node.start || each.end >= node.start) return
    const inner = parents.findLast(({ type }) => callableNodes.test(type))
    found ||= inner === owner
  })
  return found
}

/** Tells whether a rejected promise ends the start: nobody takes it, or the module waits for it. */
function endsStart({ parents }: NameUse): boolean {
  return /^(?:ExpressionStatement|AwaitExpression)$/.test(parents.at(-1)?.type ?? '')
}

/** The calls among the uses of a name. */
function callsAmong(uses: readonly NameUse[]): readonly NameUse[] {
  return uses.flatMap(({ node, parents }): NameUse[] => {
    const parent = parents.at(-1)
    const isCalled = parent?.type === 'CallExpression' && parent.callee === node
    return isCalled ? [{ node: parent, parents: parents.slice(0, -1) }] : []
  })
}
