import { isNode, type Node, nodesIn, overParsed, type SourceFile, walk } from '../code/parse.js'
import { bare, identifierIn, isMember, type Read, readsIn } from '../code/reads.js'
import type { Reader } from './start.js'

/** A question about `NODE_ENV` that code asks before it does something. */
export interface Condition {
  readonly stage: string
  readonly negated: boolean
}

/** What surrounds a step of a module: undefined where it cannot be told whether, or when, the step is taken. */
type Conditions = readonly Condition[] | undefined

/** A step that a module takes when it is loaded, as far as starts depend on it. */
export type Step =
  | { readonly what: 'import'; readonly source: string; readonly at: number; readonly when: Conditions }
  /** Files are undefined where only the code can tell them. */
  | {
      readonly what: 'load'
      readonly reader: Reader | undefined
      readonly by: string
      readonly files: readonly NamedFile[] | undefined
      readonly at: number
      readonly when: Conditions
    }
  /** A call of something that a package exports. */
  | {
      readonly what: 'call'
      readonly source: string
      readonly by: string
      readonly files: readonly NamedFile[] | undefined
      readonly at: number
      readonly when: Conditions
    }
  | {
      readonly what: 'read'
      readonly read: Read
      readonly at: number
      readonly late: boolean
      readonly fallback: Fallback
    }

/** A file that code names: from its own folder, or from the working directory. */
export interface NamedFile {
  readonly path: string
  readonly fromModule: boolean
}

/** What code takes where there is no value: a text, something else, or nothing. */
export type Fallback = { readonly text: string } | 'computed' | undefined

/** A module as a start sees it. */
export interface Module {
  readonly path: string
  readonly text: string
  /** True if its imports come before all that it does (ECMAScript modules). */
  readonly hoists: boolean
  readonly steps: readonly Step[]
  /** Names that it gives a value itself. */
  readonly written: ReadonlySet<string>
}

/** Reads the steps of a module; undefined if it cannot be parsed. */
export function moduleOf(file: SourceFile, hoistsImports: boolean): Module | undefined {
  const found = overParsed(file, (parsed) => {
    const steps: Step[] = []
    const bindings = new Map<string, string>()
    let isModule = false
    let namesLayer: NamedFile[] = []
    const writes: { readonly at: number; readonly when: Conditions }[] = []
    for (const program of parsed.programs)
      walk(program, (node, parents) => {
        const at = node.start
        if (/^(?:Import|Export(?:Named|All|Default))Declaration$/.test(node.type)) {
          isModule = true
          const source = quotedText(node.source)
          if (source === undefined || node.importKind === 'type' || node.exportKind === 'type') return
          for (const each of nodesIn(node.specifiers))
            bindings.set(String((each.local as Node | undefined)?.name), source)
          steps.push({ what: 'import', source, at, when: [] })
        } else if (node.type === 'VariableDeclarator') {
          const source = requiredBy(bare(node.init))
          if (source !== undefined) for (const name of namesOfPattern(node.id)) bindings.set(name, source)
        } else if (node.type === 'CallExpression' || node.type === 'OptionalCallExpression')
          for (const step of callSteps(node, parents, bindings)) steps.push(step)
        else if (node.type === 'AssignmentExpression' && isEnvironmentMember(node.left))
          writes.push({ at, when: whenOf(parents) })
        else if (node.type === 'StringLiteral' && isLayerName(String(node.value)))
          namesLayer = [...namesLayer, { path: String(node.value), fromModule: false }]
      })
    // Code of the project that names a layer file and fills the environment is a reader of its own.
    const isLoaded = steps.some(({ what, ...step }) => what === 'load' && 'reader' in step && step.reader === 'node')
    if (namesLayer.length > 0 && writes.length > 0 && !isLoaded)
      for (const write of writes)
        steps.push({ what: 'load', reader: undefined, by: file.path, files: namesLayer, ...write })
    const { reads, written } = readsIn(parsed)
    for (const read of reads)
      if (read.from === 'process.env')
        steps.push({ what: 'read', read, at: read.start, late: isLate(read.parents), fallback: fallbackBehind(read) })
    steps.sort((a, b) => a.at - b.at)
    return { path: file.path, text: file.text, hoists: isModule && hoistsImports, steps, written }
  })
  return 'steps' in found ? found : undefined
}

const functionTypes =
  /^(?:FunctionDeclaration|FunctionExpression|ArrowFunctionExpression|ObjectMethod|Class(?:Private)?(?:Method|Property))$/

function isLate(parents: readonly Node[]): boolean {
  return parents.some(({ type }) => functionTypes.test(type))
}

/** The questions that a step waits for; undefined if it is not taken when the module is loaded, or only perhaps. */
function whenOf(parents: readonly Node[]): Conditions {
  const conditions: Condition[] = []
  for (const [at, parent] of parents.entries()) {
    const next = parents[at + 1]
    if (functionTypes.test(parent.type) || /^(?:For|While|DoWhile|Switch)/.test(parent.type)) return undefined
    if (!/^(?:If|Conditional|Logical)/.test(parent.type)) continue
    // In the question itself it is taken.
    if (next === undefined || next === parent.test || next === parent.left) {
      if (next !== undefined) continue
      return undefined
    }
    const asked = questionOf(parent.type === 'LogicalExpression' ? parent.left : parent.test)
    if (!asked || (parent.type === 'LogicalExpression' && parent.operator !== '&&')) return undefined
    conditions.push(next === parent.alternate ? { ...asked, negated: !asked.negated } : asked)
  }
  return conditions
}

/** `process.env.NODE_ENV !== 'production'` */
function questionOf(test: unknown): Condition | undefined {
  if (!isNode(test) || test.type !== 'BinaryExpression' || !/^[!=]==?$/.test(String(test.operator))) return undefined
  for (const [one, other] of [
    [test.left, test.right],
    [test.right, test.left],
  ]) {
    const stage = quotedText(other)
    const isAsked =
      isNode(one) && isMember(one) && isEnvironment(bare(one.object)) && identifierIn(one.property) === 'NODE_ENV'
    if (stage !== undefined && isAsked) return { stage, negated: String(test.operator).startsWith('!') }
  }
  return undefined
}

/** Steps that a call takes: it requires a module, reads files, or calls what a package exports. */
function callSteps(node: Node, parents: readonly Node[], bindings: ReadonlyMap<string, string>): Step[] {
  const at = node.start
  const when = whenOf([...parents, node])
  const required = requiredBy(node)
  if (required !== undefined) return [{ what: 'import', source: required, at, when }]
  const callee = bare(node.callee)
  const imported = isNode(callee) && callee.type === 'Import' ? quotedText(nodesIn(node.arguments)[0]) : undefined
  // Only when it is waited for, what follows comes after it.
  if (imported !== undefined)
    return [
      { what: 'import', source: imported, at, when: parents.at(-1)?.type === 'AwaitExpression' ? when : undefined },
    ]
  const name = isNode(callee) && isMember(callee) ? identifierIn(callee.property) : identifierIn(callee)
  const args = nodesIn(node.arguments)
  if (name === 'loadEnvFile')
    return [{ what: 'load', reader: 'node', by: 'process.loadEnvFile', files: filesNamed(args, ['.env']), at, when }]
  // Object.assign(process.env, …)
  if (name === 'assign' && isEnvironment(bare(args[0]))) {
    const files = args.slice(1).flatMap((each) => filesNamed([each], []) ?? [])
    if (files.length > 0) return [{ what: 'load', reader: undefined, by: 'Object.assign', files, at, when }]
    const isParsed = args.slice(1).some((each) => isNode(each) && /parseEnv/.test(JSON.stringify(calledIn(each))))
    return isParsed ? [{ what: 'load', reader: undefined, by: 'util.parseEnv', files: undefined, at, when }] : []
  }
  const source = calledSource(callee, bindings)
  return source === undefined || source.startsWith('.') || source.startsWith('node:')
    ? []
    : [{ what: 'call', source, by: source, files: filesNamed(args, []), at, when }]
}

function calledIn(node: Node): string[] {
  const names: string[] = []
  walk(node, (each) => {
    if (each.type === 'Identifier') names.push(String(each.name))
  })
  return names
}

/** The package whose export is called: `config()`, `reader.config()`, `require('reader').config()`. */
function calledSource(callee: unknown, bindings: ReadonlyMap<string, string>): string | undefined {
  let inner = callee
  while (isNode(inner) && (isMember(inner) || inner.type === 'CallExpression')) {
    const required = requiredBy(inner)
    if (required !== undefined) return required
    inner = bare(isMember(inner) ? inner.object : inner.callee)
  }
  return bindings.get(identifierIn(inner) ?? '')
}

function requiredBy(node: unknown): string | undefined {
  if (!isNode(node) || node.type !== 'CallExpression' || identifierIn(node.callee) !== 'require') return undefined
  return quotedText(nodesIn(node.arguments)[0])
}

/** Names that a pattern gives: `a`, `{ a, b: c }`. */
function namesOfPattern(pattern: unknown): string[] {
  if (!isNode(pattern)) return []
  if (pattern.type === 'Identifier') return [String(pattern.name)]
  return nodesIn(pattern.properties).flatMap(({ value }) => namesOfPattern(value))
}

function isLayerName(text: string): boolean {
  return /(?:^|\/)\.env(?:\.[\w-]+)*$/.test(text) && !/\.(?:example|sample)$/.test(text)
}

/** The layer files that arguments name; undefined if only the code can tell them, `usual` without arguments. */
function filesNamed(args: readonly Node[], usual: readonly string[]): readonly NamedFile[] | undefined {
  if (args.length === 0) return usual.map((path) => ({ path, fromModule: false }))
  const texts: string[] = []
  let fromModule = false
  let computed = false
  for (const arg of args)
    walk(arg, (node) => {
      if (node.type === 'StringLiteral') texts.push(String(node.value))
      else if (node.type === 'MetaProperty' || (node.type === 'Identifier' && node.name === '__dirname'))
        fromModule = true
      else if (node.type === 'TemplateLiteral' && nodesIn(node.expressions).length > 0) computed = true
    })
  if (computed) return undefined
  if (texts.some(isLayerName) && fromModule) return [{ path: texts.join('/'), fromModule }]
  const named = texts.filter(isLayerName)
  if (named.length > 0) return named.map((path) => ({ path, fromModule }))
  // Options without a file, or a name that the code has elsewhere.
  const isPlain = args.every(({ type }) => type === 'ObjectExpression')
  const isElsewhere = args.some((each) => /\bpath\b/.test(calledIn(each).join(' ')))
  return isPlain && !isElsewhere ? usual.map((path) => ({ path, fromModule: false })) : undefined
}

function isEnvironment(node: unknown): boolean {
  return (
    isNode(node) &&
    isMember(node) &&
    identifierIn(node.property) === 'env' &&
    identifierIn(bare(node.object)) === 'process'
  )
}

/** `process.env[name]`, where only the code knows the name. */
function isEnvironmentMember(node: unknown): boolean {
  return (
    isNode(node) &&
    isMember(node) &&
    node.computed === true &&
    isEnvironment(bare(node.object)) &&
    quotedText(node.property) === undefined
  )
}

function quotedText(node: unknown): string | undefined {
  return isNode(node) && node.type === 'StringLiteral' ? String(node.value) : undefined
}

/** Calls that give a value in another type, so that what is behind them is a fallback for the value. */
const converting = /^(?:Number|parseInt|parseFloat|String|Boolean|BigInt)$/

/** What code takes where a read gives nothing: `read ?? 'x'`, `Number(read) || 3000`, `{ NAME = 'x' }`. */
function fallbackBehind({ node, parents }: Read): Fallback {
  if (node.type === 'ObjectProperty') {
    const value = node.value as Node
    return value.type === 'AssignmentPattern' ? literalFallback(value.right) : undefined
  }
  let inner = node
  for (const parent of parents.toReversed()) {
    if (parent.type === 'LogicalExpression' && parent.left === inner && parent.operator !== '&&')
      return literalFallback(parent.right)
    if (parent.type === 'AssignmentExpression' && parent.left === inner) return literalFallback(parent.right)
    const callee = parent.type === 'CallExpression' ? parent.callee : undefined
    const isConverted =
      (callee !== undefined &&
        converting.test(
          identifierIn(callee) ?? (isNode(callee) && isMember(callee) ? (identifierIn(callee.property) ?? '') : ''),
        )) ||
      (parent.type === 'UnaryExpression' && parent.operator === '+')
    if (!isConverted && !/^(?:TS|Parenthesized)/.test(parent.type)) return undefined
    inner = parent
  }
  return undefined
}

function literalFallback(node: unknown): Fallback {
  const plain = bare(node)
  if (!isNode(plain)) return 'computed'
  if (plain.type === 'NullLiteral' || identifierIn(plain) === 'undefined') return undefined
  if (/^(?:String|Numeric|Boolean)Literal$/.test(plain.type)) return { text: String(plain.value) }
  if (plain.type === 'TemplateLiteral' && nodesIn(plain.expressions).length === 0)
    return { text: String((nodesIn(plain.quasis)[0]?.value as { cooked?: string } | undefined)?.cooked ?? '') }
  return 'computed'
}
