import { isNode, type Node, nodesIn, walk } from '../../code/parse.js'
import { identifierIn, isMember } from '../../code/reads.js'
import type { Binding, NameUse } from '../../code/values/bindings.js'
import { Evaluator } from '../../code/values/evaluate.js'
import type { CodeModule } from '../../code/values/modules.js'
import type { Candidate, Finding } from '../../guess/finding.js'
import type { ProjectCode } from './project-code.js'
import { another, asClause, type StagesProved, stageScene, unproved, unset } from './stage-values.js'

/**
 * Candidates whose values stay where they are, each in its stage's arm of a table, a branch or a file: proved is that code takes in each
 * stage only arms with the value that the stage gets.
 */
export function provedInArms(candidates: readonly Candidate[], facts: StagesProved): readonly Candidate[] {
  return candidates.map((candidate) => {
    const arms = candidate.sites.filter(isArm)
    const isOpen = candidate.blocked === undefined && candidate.unproved === undefined
    // One value is the same whichever arm is taken.
    const values = new Set([...arms.map(({ value }) => value), candidate.value, ...Object.values(candidate.stages)])
    if (arms.length === 0 || !isOpen || values.size === 1) return candidate
    const why = new Arms(arms, facts).whyNot(candidate)
    return why === undefined ? candidate : unproved(candidate, why)
  })
}

/** A value of one stage that stays where it is. */
function isArm({ group, variable, form, frame, stage, inStage }: Finding): boolean {
  const isAlone = group === undefined && stage === undefined && inStage === undefined
  return (
    !isAlone &&
    variable === undefined &&
    frame === undefined &&
    /^(?:string|number|boolean|list|template-text)$/.test(form)
  )
}

/** An expression that code takes an arm with: `urls[stage]`, `import(\`./config/\${stage}.js\`)`. */
interface Selection {
  readonly module: CodeModule
  /** The key or the path, to be worked out. */
  readonly key: Node
  /** The arms that a key leads to. */
  readonly armsOf: (key: string) => readonly Finding[]
}

class Arms {
  readonly #arms: readonly Finding[]
  readonly #code: ProjectCode
  readonly #stages: readonly string[]
  readonly #places = new Map<
    Finding,
    { readonly module: CodeModule; readonly node: Node; readonly parents: readonly Node[] }
  >()

  constructor(arms: readonly Finding[], { code, stages }: StagesProved) {
    this.#arms = arms
    this.#code = code
    this.#stages = stages
    for (const arm of arms) {
      const module = code.module(arm.path)
      const [range = arm] = arm.literals
      const node = module && code.nodeAt(module, range)
      const parents = module && node ? code.useAt(module, node)?.parents : undefined
      if (module && node && parents) this.#places.set(arm, { module, node, parents })
    }
  }

  /** Why code may take another value in a stage than that of the candidate; undefined if it cannot. */
  whyNot({ value, stages }: Candidate): string | undefined {
    if (this.#places.size < this.#arms.length) return 'the code around it is not followed'
    const isSet = (arm: Finding) => this.#places.get(arm)?.parents.at(-1)?.type === 'AssignmentExpression'
    const held = this.#arms.filter((arm) => !isSet(arm))
    const selections = held.length > 0 ? this.#selections() : []
    if (held.length > 0 && selections.length === 0) return 'it is not found what takes its values'
    const loose = held.length > 0 ? this.#takenElsewhere() : undefined
    if (loose !== undefined) return loose
    const all: readonly (string | typeof unset)[] = [...this.#stages, another, unset]
    for (const stage of all) {
      const evaluator = new Evaluator(stageScene(this.#code, stage, new Set()))
      const own = typeof stage === 'string' ? (stages[stage] ?? value) : (stages.development ?? value)
      const taken = this.#arms.filter((arm) => isSet(arm) && this.#mayRun(arm, evaluator))
      for (const { module, key, armsOf } of selections) {
        const outcome = evaluator.outcome(key, module)
        if (!outcome.known) return asClause(outcome.why)
        for (const arm of armsOf(String(outcome.value))) taken.push(arm)
      }
      const name = typeof stage === 'string' ? `in stage ${stage}` : 'without NODE_ENV'
      if (taken.some((arm) => (arm.value ?? '') !== own))
        return `${stage === another ? 'in a stage that nothing names' : name} code takes the value of another stage`
    }
    return undefined
  }

  /** Tells whether an assignment may run, as far as conditions of its stage tell. */
  #mayRun(arm: Finding, evaluator: Evaluator): boolean {
    const { module, parents } = this.#places.get(arm) as { module: CodeModule; parents: readonly Node[] }
    return parents.every((parent, at) => {
      const inner = parents[at + 1]
      if (parent.type === 'IfStatement' && inner !== parent.test) {
        const asked = evaluator.outcome(parent.test as Node, module)
        return !asked.known || Boolean(asked.value) === (inner === parent.consequent)
      }
      if (parent.type !== 'SwitchStatement' || inner?.type !== 'SwitchCase') return true
      const asked = evaluator.outcome(parent.discriminant as Node, module)
      const cases = nodesIn(parent.cases)
      const keys = cases.map(({ test }) => (isNode(test) ? evaluator.outcome(test, module) : undefined))
      if (!asked.known || keys.some((key) => key?.known === false)) return true
      const match = keys.findIndex((key) => key?.known && key.value === asked.value)
      const first = match >= 0 ? match : cases.findIndex(({ test }) => test === null)
      // Cases without a body of their own run the next one.
      const body = cases.findIndex((each, index) => index >= first && nodesIn(each.consequent).length > 0)
      return first >= 0 && cases[body] === inner
    })
  }

  /** Everything that takes one of the arms by a key. */
  #selections(): readonly Selection[] {
    const found: Selection[] = []
    const paths = new Set(this.#arms.map(({ path }) => path))
    for (const module of this.#code.modulesNear(paths))
      for (const program of module.programs)
        walk(program, (node) => {
          if (isMember(node) && node.computed === true && isNode(node.property)) {
            const table = denoted(node.object, module, this.#code)
            const armsOf = (key: string) => (table ? this.#within(denotedMember(table, key, this.#code)) : [])
            if (table && keysOf(table.node).some((key) => armsOf(key).length > 0))
              found.push({ module, key: node.property, armsOf })
          }
          const path = loadedBy(node)
          const files = path && this.#loads(path, module, paths)
          if (path && files) found.push({ module, key: path, armsOf: files })
        })
    return found
  }

  /** The arms in files that a computed path leads to; undefined if it leads to none of these. */
  #loads(path: Node, module: CodeModule, paths: ReadonlySet<string>): Selection['armsOf'] | undefined {
    const text =
      path.type === 'TemplateLiteral' ? nodesIn(path.quasis).map(({ value }) => (value as { raw: string }).raw) : []
    const folder = /([\w-]+)\/[^/]*$/.exec(text[0] ?? '')?.[1]
    const isNear = [...paths].some((each) => folder !== undefined && each.includes(`${folder}/`))
    if (path.type !== 'BinaryExpression' && !isNear) return undefined
    return (key) => {
      const file = this.#code.imported(module, key)?.path
      return this.#arms.filter((arm) => arm.path === file)
    }
  }

  /** The uses of a table, here and where it is imported. */
  #usesOf({ identifier, uses, name }: Binding, module: CodeModule): readonly NameUse[] {
    const exported = [...module.names, 'module.exports'].filter((each) => {
      const own = module.exported(each)
      if (!own || !('node' in own)) return false
      return own.node === identifier || (own.node.type === 'Identifier' && own.node.name === name)
    })
    const taken = exported.flatMap((each) => this.#code.importsOf(module.path, each))
    return [...uses, ...taken.flatMap(({ uses: own }) => own)]
  }

  #within(place: Denoted | undefined): readonly Finding[] {
    if (!place) return []
    const { node, module } = place
    return this.#arms.filter((arm) => arm.path === module.path && node.start <= arm.start && arm.end <= node.end)
  }

  /** Why an arm may be taken without its key: its table is handed on, or a member is read by its name. */
  #takenElsewhere(): string | undefined {
    for (const { module, parents } of this.#places.values()) {
      const at = parents.findLastIndex(({ type }) => type === 'VariableDeclarator')
      const declarator = parents[at]
      const isWhole = parents
        .slice(at + 1)
        .every(({ type }) => /^Object(?:Expression|Property)$|^TS\w+Expression$/.test(type))
      if (!declarator || !isWhole || !isNode(declarator.id)) continue
      const binding = module.bindings.of(declarator.id)
      if (!binding?.isConstant) return 'its table is set more than once'
      const table = { node: parents[at + 1] as Node, module }
      const names = keysOf(table.node).filter((each) => this.#within(denotedMember(table, each, this.#code)).length > 0)
      // The object of a file for one stage has arms of that stage only.
      if (names.length < 2) continue
      for (const use of this.#usesOf(binding, module)) {
        const why = misused(use, names)
        if (why !== undefined) return why
      }
    }
    return undefined
  }
}

/** Why a use of a table may take an arm without its stage: it takes one of these by its name, or hands the table on. */
function misused({ node, parents }: NameUse, names: readonly string[]): string | undefined {
  const parent = parents.at(-1)
  if (!parent) return undefined
  if (isMember(parent) && parent.object === node) {
    const name = parent.computed ? undefined : identifierIn(parent.property)
    const outer = parents.at(-2)
    // urls[stage] || urls.development
    const isFallback = outer?.type === 'LogicalExpression' && outer.right === parent
    return name !== undefined && names.includes(name) && !isFallback ? `code takes ${name} in every stage` : undefined
  }
  const isKeys =
    parent.type === 'CallExpression' &&
    isMember(parent.callee as Node) &&
    identifierIn((parent.callee as Node).property) === 'keys'
  const isAsked = parent.type === 'BinaryExpression' && parent.operator === 'in'
  const isExported =
    /^Export/.test(parent.type) ||
    (parent.type === 'AssignmentExpression' && /^(?:exports|module)$/.test(memberRoot(parent.left)))
  return isKeys || isAsked || isExported || parent.type.startsWith('TS') ? undefined : 'its table is handed on'
}

/** The name that a member hangs on: `module` of `module.exports.urls`. */
function memberRoot(node: unknown): string {
  return isNode(node) && isMember(node) ? memberRoot(node.object) : (identifierIn(node) ?? '')
}

/** An object as it is written, and the module that it is in. */
interface Denoted {
  readonly node: Node
  readonly module: CodeModule
}

/** The object that an expression stands for, through names, imports and members. */
function denoted(node: unknown, module: CodeModule, code: ProjectCode, depth = 0): Denoted | undefined {
  if (!isNode(node) || depth > denotedMax) return undefined
  const next = (inner: unknown, where = module) => denoted(inner, where, code, depth + 1)
  switch (node.type) {
    case 'ObjectExpression':
      return { node, module }
    case 'TSAsExpression':
    case 'TSSatisfiesExpression':
    case 'TSNonNullExpression':
    case 'ParenthesizedExpression':
      return next(node.expression)
    case 'CallExpression': {
      const [first] = nodesIn(node.arguments)
      if (identifierIn(node.callee) === 'require' && first?.type === 'StringLiteral')
        return denotedExport(code.imported(module, String(first.value)), 'module.exports', code, depth)
      return isMember(node.callee as Node) && identifierIn((node.callee as Node).property) === 'freeze'
        ? next(first)
        : undefined
    }
    case 'MemberExpression': {
      const name = node.computed ? undefined : identifierIn(node.property)
      const table = name === undefined ? undefined : next(node.object)
      return table && denotedMember(table, name as string, code)
    }
    case 'Identifier': {
      const binding = module.bindings.of(node)
      if (!binding?.isConstant) return undefined
      if (binding.kind === 'variable')
        return isNode(binding.node.id) && binding.node.id.type === 'Identifier' ? next(binding.node.init) : undefined
      if (binding.kind !== 'import') return undefined
      const source = (binding.parent?.source as Node | undefined)?.value
      const { type, imported } = binding.node
      const name =
        type === 'ImportDefaultSpecifier'
          ? 'default'
          : isNode(imported)
            ? String(imported.name ?? imported.value)
            : undefined
      return source === undefined || name === undefined
        ? undefined
        : denotedExport(code.imported(module, String(source)), name, code, depth)
    }
    default:
      return undefined
  }
}

/** Names may lead to names so often. */
const denotedMax = 20

function denotedExport(
  from: CodeModule | undefined,
  name: string,
  code: ProjectCode,
  depth: number,
): Denoted | undefined {
  const exported = from?.exported(name) ?? (name === 'default' ? from?.exported('module.exports') : undefined)
  if (!from || !exported) return undefined
  if ('node' in exported) {
    const { node } = exported
    // A declaration exports the name that it declares.
    const binding = node.type === 'Identifier' ? from.bindings.of(node) : undefined
    return denoted(binding?.kind === 'variable' ? binding.node.init : node, from, code, depth + 1)
  }
  return denotedExport(code.imported(from, exported.source), exported.name, code, depth + 1)
}

/** The value of a member of an object as it is written: an object behind names, else the place itself. */
function denotedMember({ node, module }: Denoted, key: string, code: ProjectCode): Denoted | undefined {
  const property = nodesIn(node.properties).find((each) => each.type === 'ObjectProperty' && propertyName(each) === key)
  if (!property || !isNode(property.value)) return undefined
  return denoted(property.value, module, code) ?? { node: property.value, module }
}

function keysOf({ properties }: Node): readonly string[] {
  return nodesIn(properties).flatMap((each) => (each.type === 'ObjectProperty' ? propertyName(each) : []))
}

function propertyName({ key }: Node): string {
  return isNode(key) ? String(key.name ?? key.value ?? '') : ''
}

/** The computed path of what a node loads. */
function loadedBy(node: Node): Node | undefined {
  const [first] = nodesIn(node.arguments)
  const isLoad =
    node.type === 'CallExpression' &&
    isNode(node.callee) &&
    (node.callee.type === 'Import' || identifierIn(node.callee) === 'require')
  const path = node.type === 'ImportExpression' && isNode(node.source) ? node.source : isLoad ? first : undefined
  return path && path.type !== 'StringLiteral' ? path : undefined
}
