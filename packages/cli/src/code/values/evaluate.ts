import { isNode, type Node, nodesIn } from '../parse.js'
import { identifierIn, isMember } from '../reads.js'
import type { Binding } from './bindings.js'
import { builtin, callBuiltin, method } from './methods.js'
import type { CodeModule } from './modules.js'
import { binaryResult, unaryResult } from './operators.js'
import { isSteady } from './steady.js'
import {
  asText,
  BuiltinValue,
  EnvironmentValue,
  type Frame,
  FunctionValue,
  isPrimitive,
  ListValue,
  limited,
  NotKnown,
  notKnown,
  RecordValue,
  truth,
  type Value,
} from './value.js'

/** What code runs in, as far as its values depend on it. */
export interface Scene {
  /** What a name of the environment is. @throws NotKnown */
  readonly environment: (from: EnvironmentValue['from'], name: string) => Value
  /** The module that an import of another leads to; undefined for packages and what is not there. */
  readonly imported: (from: CodeModule, source: string) => CodeModule | undefined
  /** Tells whether code of another file may change members of these names, of what a name holds. */
  readonly mayChange: (holder: string, names: Iterable<string>) => boolean
}

/** What an expression comes to, or why that is not known. */
export type Outcome = { readonly known: true; readonly value: Value } | { readonly known: false; readonly why: string }

/** So many expressions are gone through for one, and so deep. */
const [stepsMax, depthMax] = [20_000, 200]

/** Works out what expressions come to in one scene, and runs nothing of the project. */
export class Evaluator {
  readonly #scene: Scene
  readonly #known = new Map<Binding, Value | NotKnown>()
  #steps = 0
  #depth = 0

  constructor(scene: Scene) {
    this.#scene = scene
  }

  outcome(node: Node, module: CodeModule): Outcome {
    this.#steps = 0
    this.#depth = 0
    try {
      return { known: true, value: this.#value(node, { module, frame: undefined }) }
    } catch (error) {
      if (error instanceof NotKnown) return { known: false, why: error.message }
      throw error
    }
  }

  #value(node: unknown, at: At): Value {
    if (!isNode(node)) return notKnown('Something is left out.')
    if (++this.#steps > stepsMax) return notKnown('It takes too many steps.')
    if (this.#depth >= depthMax) return notKnown('It is nested too deep.')
    this.#depth++
    try {
      return this.#bare(node, at)
    } finally {
      this.#depth--
    }
  }

  #bare(node: Node, at: At): Value {
    switch (node.type) {
      case 'StringLiteral':
      case 'NumericLiteral':
      case 'BooleanLiteral':
        return node.value as string
      case 'NullLiteral':
        return null
      case 'BigIntLiteral':
        return BigInt(String(node.value))
      case 'TemplateLiteral':
        return this.#template(node, at)
      case 'Identifier':
        return this.#name(node, at)
      case 'MemberExpression':
      case 'OptionalMemberExpression':
      case 'CallExpression':
      case 'OptionalCallExpression': {
        const found = this.#chain(node, at)
        return found === chainEnd ? undefined : found
      }
      case 'UnaryExpression':
        return this.#unary(node, at)
      case 'BinaryExpression':
      case 'LogicalExpression':
        return this.#sides(node, at)
      case 'ConditionalExpression':
        return this.#value(truth(this.#value(node.test, at)) ? node.consequent : node.alternate, at)
      case 'SequenceExpression':
        return nodesIn(node.expressions)
          .map((each) => this.#value(each, at))
          .at(-1)
      case 'ArrayExpression':
        return this.#list(node, at)
      case 'ObjectExpression':
        return this.#record(node, at)
      case 'ArrowFunctionExpression':
      case 'FunctionExpression':
      case 'FunctionDeclaration':
        return new FunctionValue(node, at)
      case 'TSAsExpression':
      case 'TSSatisfiesExpression':
      case 'TSNonNullExpression':
      case 'TSTypeAssertion':
      case 'TypeCastExpression':
      case 'ParenthesizedExpression':
        return this.#value(node.expression, at)
    }
    return notKnown(`${spoken(node.type)} is not followed.`)
  }

  #template(node: Node, at: At): string {
    const texts = nodesIn(node.quasis).map(({ value }) => (value as { cooked?: string | null }).cooked)
    const values = nodesIn(node.expressions).map((each) => asText(this.#value(each, at)))
    return limited(
      texts.map((text, index) => (text ?? notKnown('A text has a wrong escape.')) + (values[index] ?? '')).join(''),
    )
  }

  /** Chains of operators lean to the left, and may have thousands of sides. */
  #sides(node: Node, at: At): Value {
    const chain: Node[] = []
    let first: unknown = node
    while (isNode(first) && (first.type === 'BinaryExpression' || first.type === 'LogicalExpression')) {
      chain.push(first)
      first = first.left
    }
    let value = this.#value(first, at)
    for (const each of chain.reverse()) {
      const operator = String(each.operator)
      if (++this.#steps > stepsMax) return notKnown('It takes too many steps.')
      if (operator === 'in') value = this.#isIn(value, this.#value(each.right, at))
      else if (operator === '&&') value = truth(value) ? this.#value(each.right, at) : value
      else if (operator === '||') value = truth(value) ? value : this.#value(each.right, at)
      else if (operator === '??') value = value ?? this.#value(each.right, at)
      else value = binaryResult(operator, value, this.#value(each.right, at))
    }
    return value
  }

  #isIn(key: Value, owner: Value): boolean {
    const name = asText(key)
    if (owner instanceof EnvironmentValue) return this.#variable(owner, name) !== undefined
    if (!(owner instanceof RecordValue)) return notKnown('The operator in is not followed here.')
    return (
      owner.members.has(name) || (name in Object.prototype ? notKnown('It asks for what every object has.') : false)
    )
  }

  #unary(node: Node, at: At): Value {
    const { operator, argument } = node
    // A name that nothing binds has the type "undefined" and is no mistake.
    const name = operator === 'typeof' ? identifierIn(argument) : undefined
    if (name !== undefined && isNode(argument) && !at.module.bindings.of(argument) && !builtin(name))
      return name === 'undefined' ? 'undefined' : notKnown(`${name} belongs to where the code runs.`)
    return unaryResult(String(operator), this.#value(argument, at))
  }

  #list(node: Node, at: At): Value {
    if (!Array.isArray(node.elements) || node.elements.includes(null)) return notKnown('A list has gaps.')
    return new ListValue(this.#values(node.elements, at))
  }

  /** The values of a list's elements, or of a call's arguments. */
  #values(nodes: unknown, at: At): readonly Value[] {
    return nodesIn(nodes).flatMap((each): readonly Value[] => {
      if (each.type !== 'SpreadElement') return [this.#value(each, at)]
      const value = this.#value(each.argument, at)
      return value instanceof ListValue ? value.items : notKnown('What is spread is not a list.')
    })
  }

  #record(node: Node, at: At): Value {
    const members = new Map<string, Value>()
    for (const each of nodesIn(node.properties)) {
      if (each.type === 'SpreadElement') {
        const value = this.#value(each.argument, at)
        if (value instanceof RecordValue) for (const [name, own] of value.members) members.set(name, own)
        else if (value !== undefined && value !== null && value !== false)
          return notKnown('What is spread is not a plain object.')
        continue
      }
      const name = each.computed === true ? asText(this.#value(each.key, at)) : keyAsText(each.key)
      if (name === '__proto__') return notKnown('An object has a prototype of its own.')
      if (each.type === 'ObjectProperty') members.set(name, this.#value(each.value, at))
      else if (each.type === 'ObjectMethod' && each.kind === 'method') members.set(name, new FunctionValue(each, at))
      else return notKnown('An object has an accessor.')
    }
    return new RecordValue(members)
  }

  /** A member or a call, and what it hangs on; `chainEnd` where `?.` ends the chain. */
  #chain(node: Node, at: At): Value | typeof chainEnd {
    if (!/^(?:Optional)?(?:Member|Call)Expression$/.test(node.type)) return this.#value(node, at)
    if (++this.#steps > stepsMax) return notKnown('It takes too many steps.')
    if (this.#depth >= depthMax) return notKnown('It is nested too deep.')
    this.#depth++
    try {
      return isMember(node) ? this.#member(node, at) : this.#call(node, at)
    } finally {
      this.#depth--
    }
  }

  #member(node: Node, at: At): Value | typeof chainEnd {
    const global = this.#global(node, at)
    if (global) return global
    if (isNode(node.object) && node.object.type === 'ThisExpression') return this.#field(node, at)
    const owner = isNode(node.object) ? this.#chain(node.object, at) : notKnown('Something is left out.')
    // Brackets end a chain.
    if (owner === chainEnd) return node.type === 'OptionalMemberExpression' ? chainEnd : notKnown('It throws.')
    if (owner === undefined || owner === null) return node.optional === true ? chainEnd : notKnown('It throws.')
    return this.#memberOf(owner, this.#key(node, at))
  }

  #variable({ from }: EnvironmentValue, name: string): Value {
    return name in Object.prototype
      ? notKnown('It asks for what every object has.')
      : this.#scene.environment(from, name)
  }

  #key(node: Node, at: At): string {
    return node.computed === true ? asText(this.#value(node.property, at)) : keyAsText(node.property)
  }

  #memberOf(owner: Value, name: string): Value {
    if (owner instanceof EnvironmentValue) return this.#variable(owner, name)
    if (owner instanceof RecordValue)
      return owner.members.has(name)
        ? owner.members.get(name)
        : name in Object.prototype
          ? notKnown('It asks for what every object has.')
          : undefined
    const isIndex = /^(?:0|[1-9]\d*)$/.test(name)
    if (owner instanceof ListValue || typeof owner === 'string') {
      const items = owner instanceof ListValue ? owner.items : owner
      if (name === 'length') return items.length
      if (isIndex) return items[Number(name)]
    }
    const isOfAll = isPrimitive(owner) || owner instanceof ListValue
    return isOfAll && !(name in prototypeOf(owner)) ? undefined : notKnown(`The member ${name} is not followed.`)
  }

  /** `process.env`, `import.meta.env`, and functions of the language: what no name of the file is bound to. */
  #global(node: Node, { module }: At): Value {
    const names: string[] = []
    let inner: unknown = node
    while (isNode(inner) && isMember(inner) && inner.computed !== true) {
      names.unshift(keyAsText(inner.property))
      inner = inner.object
    }
    if (isNode(inner) && inner.type === 'MetaProperty')
      return names.length === 1 && names[0] === 'env' ? new EnvironmentValue('import.meta.env') : undefined
    const name = identifierIn(inner)
    if (name === undefined || !isNode(inner)) return undefined
    const binding = module.bindings.of(inner)
    // The module of the process may be imported.
    const isProcess = binding ? isProcessImport(binding) : name === 'process'
    const path = (isProcess ? ['process', ...names] : binding ? [] : [name, ...names]).join('.')
    if (/^(?:globalThis\.|global\.)?process\.env$/.test(path)) return new EnvironmentValue('process.env')
    return path === '' ? undefined : builtin(path)
  }

  /** A field of the class around it: what it begins as, if nothing sets it again. */
  #field(node: Node, { module }: At): Value {
    const name = node.computed === true ? notKnown('A field is computed.') : keyAsText(node.property)
    const found = module.fieldAround(node, name)
    return found ? this.#value(found, { module, frame: undefined }) : notKnown(`this.${name} is set elsewhere.`)
  }

  #call(node: Node, at: At): Value | typeof chainEnd {
    const { callee } = node
    if (!isNode(callee)) return notKnown('Something is left out.')
    const args = () => this.#values(node.arguments, at)
    if (isMember(callee) && !this.#global(callee, at)) {
      if (isNode(callee.object) && callee.object.type === 'ThisExpression')
        return notKnown('A method of a class is not followed.')
      const owner = isNode(callee.object) ? this.#chain(callee.object, at) : notKnown('Something is left out.')
      if (owner === chainEnd) return node.type === 'OptionalCallExpression' ? chainEnd : notKnown('It throws.')
      if (owner === undefined || owner === null) return callee.optional === true ? chainEnd : notKnown('It throws.')
      const name = this.#key(callee, at)
      const member =
        owner instanceof RecordValue || owner instanceof EnvironmentValue ? this.#memberOf(owner, name) : undefined
      if (member !== undefined) return this.#called(member, args())
      if (owner instanceof RecordValue || owner instanceof EnvironmentValue) return notKnown('It throws.')
      return method(owner, name, args(), (called, given) => this.#called(called, given))
    }
    const source = identifierIn(callee) === 'require' && !at.module.bindings.of(callee) ? quoted(node) : undefined
    if (source !== undefined) return this.#required(source, at)
    const called = this.#chain(callee, at)
    if (called === chainEnd) return node.type === 'OptionalCallExpression' ? chainEnd : notKnown('It throws.')
    if ((called === undefined || called === null) && node.optional === true) return chainEnd
    return this.#called(called, args())
  }

  #called(called: Value, args: readonly Value[]): Value {
    if (called instanceof BuiltinValue) return callBuiltin(called, args)
    if (!(called instanceof FunctionValue))
      return isPrimitive(called) ? notKnown('It throws.') : notKnown('A call is not followed.')
    const { node, around } = called
    if (node.async === true || node.generator === true) return notKnown('It waits for something.')
    const { module, frame } = around as At
    const inner: At = { module, frame: { values: new Map(), outer: frame } }
    for (const [at, parameter] of nodesIn(node.params).entries()) {
      if (parameter.type === 'RestElement') this.#bind(parameter.argument, new ListValue(args.slice(at)), inner)
      else this.#bind(parameter, args[at], inner)
    }
    if (isNode(node.body) && node.body.type !== 'BlockStatement') return this.#value(node.body, inner)
    const end = this.#run(nodesIn((node.body as Node | undefined)?.body), inner)
    return typeof end === 'object' ? end.value : undefined
  }

  /** Runs statements that only compute; what they return, or that a `switch` is left. */
  #run(statements: readonly Node[], at: At): { readonly value: Value } | 'break' | undefined {
    for (const each of statements) {
      if (++this.#steps > stepsMax) return notKnown('It takes too many steps.')
      if (each.type === 'ReturnStatement')
        return { value: isNode(each.argument) ? this.#value(each.argument, at) : undefined }
      if (each.type === 'BreakStatement') return each.label ? notKnown('A label is not followed.') : 'break'
      if (each.type === 'ThrowStatement') return notKnown('It throws.')
      if (each.type === 'VariableDeclaration')
        for (const { id, init } of nodesIn(each.declarations))
          this.#bind(id, isNode(init) ? this.#value(init, at) : undefined, at)
      else if (each.type === 'IfStatement' || each.type === 'BlockStatement') {
        const taken =
          each.type === 'BlockStatement' ? each : truth(this.#value(each.test, at)) ? each.consequent : each.alternate
        const body = isNode(taken) ? (taken.type === 'BlockStatement' ? nodesIn(taken.body) : [taken]) : []
        const end = this.#run(body, at)
        if (end) return end
      } else if (each.type === 'SwitchStatement') {
        const end = this.#switch(each, at)
        if (end) return end
      } else if (!/^(?:FunctionDeclaration|EmptyStatement|TS\w+Declaration)$/.test(each.type))
        return notKnown('A function does more than compute.')
    }
    return undefined
  }

  #switch(node: Node, at: At): { readonly value: Value } | undefined {
    const asked = this.#value(node.discriminant, at)
    const cases = nodesIn(node.cases)
    const isTaken = ({ test }: Node) => isNode(test) && binaryResult('===', asked, this.#value(test, at)) === true
    const found = cases.findIndex(isTaken)
    const first = found >= 0 ? found : cases.findIndex(({ test }) => test === null)
    if (first < 0) return undefined
    const end = this.#run(
      cases.slice(first).flatMap(({ consequent }) => nodesIn(consequent)),
      at,
    )
    return end === 'break' ? undefined : end
  }

  /** Gives the names of a pattern their values. */
  #bind(pattern: unknown, value: Value, at: At): void {
    if (!isNode(pattern)) return
    if (pattern.type === 'Identifier') {
      const binding = at.module.bindings.of(pattern)
      if (!binding || !at.frame) notKnown('A name is not bound.')
      else at.frame.values.set(binding, value)
    } else if (pattern.type === 'AssignmentPattern')
      this.#bind(pattern.left, value === undefined ? this.#value(pattern.right, at) : value, at)
    else if (pattern.type === 'ObjectPattern') {
      if (value === undefined || value === null) notKnown('It throws.')
      for (const each of nodesIn(pattern.properties)) {
        if (each.type !== 'ObjectProperty') notKnown('The rest of an object is not followed.')
        const name = each.computed === true ? asText(this.#value(each.key, at)) : keyAsText(each.key)
        this.#bind(each.value, this.#memberOf(value, name), at)
      }
    } else if (pattern.type === 'ArrayPattern' && value instanceof ListValue && Array.isArray(pattern.elements))
      for (const [index, each] of pattern.elements.entries()) {
        if (isNode(each) && each.type === 'RestElement')
          this.#bind(each.argument, new ListValue(value.items.slice(index)), at)
        else this.#bind(each, value.items[index], at)
      }
    else notKnown('A pattern is not followed.')
  }

  #name(node: Node, at: At): Value {
    const name = String(node.name)
    const binding = at.module.bindings.of(node)
    if (!binding) {
      if (name === 'undefined') return undefined
      if (name === 'NaN') return Number.NaN
      if (name === 'Infinity') return Number.POSITIVE_INFINITY
      return builtin(name) ?? notKnown(`${name} belongs to where the code runs.`)
    }
    if (!binding.isConstant) return notKnown(`${name} is set more than once.`)
    for (let frame = at.frame; frame; frame = frame.outer)
      if (frame.values.has(binding)) return frame.values.get(binding)
    if (at.module.bindings.isEarly(node)) return notKnown(`${name} is used before it has its value.`)
    // Each call of a function has its own.
    if (binding.owner && at.frame) return this.#steady(binding, this.#declared(binding, at), at.module)
    const known = this.#known.get(binding)
    if (known instanceof NotKnown) throw known
    if (known !== undefined || this.#known.has(binding)) return known
    // Until it is known, it is in a circle.
    this.#known.set(binding, new NotKnown(`${name} depends on itself.`))
    try {
      const value = this.#steady(binding, this.#declared(binding, { module: at.module, frame: undefined }), at.module)
      this.#known.set(binding, value)
      return value
    } catch (error) {
      if (error instanceof NotKnown) this.#known.set(binding, error)
      throw error
    }
  }

  #steady(binding: Binding, value: Value, module: CodeModule): Value {
    return isSteady({ binding, value, isExported: module.exports(binding.identifier) }, this.#scene.mayChange)
      ? value
      : notKnown(`What ${binding.name} holds may be changed.`)
  }

  #declared(binding: Binding, { module, frame }: At): Value {
    const { kind, node, parent, name } = binding
    if (kind === 'parameter') return notKnown(`${name} is given by a caller.`)
    if (kind === 'function') return new FunctionValue(node, { module, frame })
    if (kind === 'import') return this.#imported(node, parent, module)
    if (kind !== 'variable' || !isNode(node.init)) return notKnown(`${name} has no value of its own.`)
    const own: At = { module, frame: { values: new Map(), outer: frame } }
    this.#bind(node.id, this.#value(node.init, { module, frame }), own)
    return own.frame?.values.get(binding)
  }

  /** What an import takes of another module of the project. */
  #imported(specifier: Node, declaration: Node | undefined, from: CodeModule): Value {
    const source = isNode(declaration?.source) ? String(declaration.source.value) : ''
    if (/^(?:node:)?process$/.test(source) && keyOrDefault(specifier) === 'env')
      return new EnvironmentValue('process.env')
    const module = this.#scene.imported(from, source)
    if (!module) return notKnown(`${source} is not code of the project.`)
    if (specifier.type === 'ImportNamespaceSpecifier') return this.#namespace(module)
    return this.#exported(module, keyOrDefault(specifier))
  }

  #exported(module: CodeModule, name: string, tried = 0): Value {
    const found = module.exported(name)
    if (!found) {
      const whole = module.exported('module.exports')
      if (!whole || !('node' in whole)) return notKnown(`${module.path} does not export ${name}.`)
      const value = this.#value(whole.node, { module, frame: undefined })
      if (name === 'default') return value
      return this.#memberOf(value ?? notKnown('It throws.'), name)
    }
    if ('node' in found) return this.#value(found.node, { module, frame: undefined })
    const other = tried < 20 ? this.#scene.imported(module, found.source) : undefined
    return other
      ? this.#exported(other, found.name, tried + 1)
      : notKnown(`${found.source} is not code of the project.`)
  }

  #namespace(module: CodeModule): Value {
    return new RecordValue(new Map(module.names.map((name) => [name, this.#exported(module, name)])))
  }

  #required(source: string, at: At): Value {
    const module = this.#scene.imported(at.module, source)
    if (!module) return notKnown(`${source} is not code of the project.`)
    const whole = module.exported('module.exports')
    return whole && 'node' in whole ? this.#value(whole.node, { module, frame: undefined }) : this.#namespace(module)
  }
}

/** Where an expression stands: its module, and the functions that run around it. */
interface At {
  readonly module: CodeModule
  readonly frame: Frame | undefined
}

/** The end of a chain at `?.`. */
const chainEnd = Symbol('cut')

/** What values of a kind have in common. */
function prototypeOf(value: Value): object {
  if (value instanceof ListValue) return Array.prototype
  return Object.getPrototypeOf(value) as object
}

function keyAsText(key: unknown): string {
  if (!isNode(key)) return notKnown('Something is left out.')
  if (key.type === 'Identifier') return String(key.name)
  if (key.type === 'StringLiteral' || key.type === 'NumericLiteral') return String(key.value)
  return notKnown('A private name is not followed.')
}

function keyOrDefault(specifier: Node): string {
  return isNode(specifier.imported) ? keyAsText(specifier.imported) : 'default'
}

function isProcessImport({ kind, node, parent }: Binding): boolean {
  const source = isNode(parent?.source) ? String(parent.source.value) : ''
  return kind === 'import' && node.type === 'ImportDefaultSpecifier' && /^(?:node:)?process$/.test(source)
}

function quoted(call: Node): string | undefined {
  const [first] = nodesIn(call.arguments)
  return first?.type === 'StringLiteral' ? String(first.value) : undefined
}

/** `NewExpression` as people say it. */
function spoken(type: string): string {
  const known: Readonly<Record<string, string>> = {
    AwaitExpression: 'What code waits for',
    NewExpression: 'A new object',
    RegExpLiteral: 'A pattern',
    AssignmentExpression: 'An assignment',
    UpdateExpression: 'An assignment',
    ThisExpression: 'this',
  }
  return known[type] ?? type.replace(/Expression$|Literal$/, '')
}
