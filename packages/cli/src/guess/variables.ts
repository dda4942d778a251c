import { type Context, lastName } from '../code/context.js'
import { isBundlerName, isHostName } from '../code/host-names.js'
import { listedText } from '../code/literals.js'
import { isNode, type Node, nodesIn, type SourceFile, withBrackets } from '../code/parse.js'
import { lineOf, placeIn, saidOf } from '../code/place.js'
import { bare, identifierIn, type Read, type Reads } from '../code/reads.js'
import { ends, type Guards, isUnderCondition } from '../code/stages/guards.js'
import { isTestFile } from '../code/test-files.js'
import { wordsOf } from '../code/words.js'
import { namesCredential, namesSomeKey } from '../credentials/opening-names.js'
import { hasUserInformation } from '../credentials/opening-shapes.js'
import type { Finding, Range, VariableUse } from './finding.js'
import { guessText } from './guess.js'

/** The reads of a file as findings; `taken` gets the literals in them, which are not settings of their own. */
export function variablesIn(file: SourceFile, { reads, written }: Reads, guards: Guards, taken: Set<Node>): Finding[] {
  if (isTestFile(file.path)) return []
  return reads.flatMap((read) => {
    const isGiven = isHostName(read.name) || (read.from === 'import.meta.env' && isBundlerName(read.name))
    if (read.from === 'virtual:mappa/settings' || isGiven) return []
    if (isReadAgain(read)) return []
    const use = read.node.type === 'ObjectProperty' ? takenApart(read) : takenFrom(read, file.text)
    for (const literal of use.literals) taken.add(literal)
    return [findingOf(file, read, guarded(read, use, guards), written.has(read.name))]
  })
}

/** Names whose value is where something is, without which hardly anything can be done there. */
const placeWords = /^(?:url|uri|dsn|endpoint|connectionstring)$|url$|uri$/

/** The use with what code does about there being no value: where it is read, and by the name that it is given to. */
function guarded({ name, node, parents }: Read, site: ReadSite, { tested, stopped }: Guards): ReadSite {
  const { use } = site
  const { local, member } = givenTo(node, parents)
  const words = wordsOf(name)
  const isStopped = use.needs === 'certain' || (local !== undefined && stopped.has(local))
  const isNamed =
    namesCredential(words) || placeWords.test(words.slice(-2).join('')) || placeWords.test(words.at(-1) ?? '')
  const conditional = isUnderCondition(node, parents)
  return {
    ...site,
    use: {
      ...use,
      asks: use.asks || (!isStopped && use.fallback === undefined && local !== undefined && tested.has(local)),
      needs: conditional ? undefined : isStopped ? 'certain' : (use.needs ?? (isNamed ? 'likely' : undefined)),
      ...(member !== undefined && { member }),
    },
  }
}

/** The variable or the member of an object that a read's value is given to as it is. */
function givenTo(
  node: Node,
  parents: readonly Node[],
): { readonly local?: string | undefined; readonly member?: string | undefined } {
  if (node.type === 'ObjectProperty') {
    const value = node.value as Node
    return { local: identifierIn(value.type === 'AssignmentPattern' ? value.left : value) }
  }
  let inner = node
  for (const parent of parents.toReversed()) {
    if (parent.type === 'VariableDeclarator') return { local: identifierIn(parent.id) }
    if (parent.type === 'AssignmentExpression' && parent.right === inner)
      return parent.left && identifierIn(parent.left) !== undefined
        ? { local: identifierIn(parent.left) }
        : { member: lastName(parent.left) }
    if (parent.type === 'ObjectProperty' && parent.value === inner) return { member: lastName(parent.key) }
    if (parent.type === 'ClassProperty') return { member: lastName(parent.key) }
    if (!typeWrappers.has(parent.type)) return {}
    inner = parent
  }
  return {}
}

/** A read in code: the range to replace, and facts from the code around it. */
interface ReadSite {
  /** The range to replace if the setting always has a value, or if its default is the fallback. */
  readonly whole: Range
  readonly use: Pick<VariableUse, 'fallback' | 'wanted' | 'asks' | 'bare' | 'needs'> & Partial<VariableUse>
  readonly literals: readonly Node[]
  readonly dropped?: readonly Range[]
}

function findingOf(
  file: SourceFile,
  read: Read,
  { whole, use, dropped, literals }: ReadSite,
  isWritten: boolean,
): Finding {
  const { path, name } = read
  const words = wordsOf(name.replace(/^VITE_/, ''))
  const { line, column, kept } = placeIn(file.text, read.node.start)
  const said = saidOf(file.text, use.pattern ? read.node : whole)
  const { fallback } = use
  const guess =
    fallback?.form === 'string' && fallback.text !== '' ? guessText(literalAs(fallback.text), named(name)) : undefined
  const shape = guess?.ifUsed ? undefined : guess
  const secret =
    namesCredential(words) ||
    shape?.kind === 'credential' ||
    (shape?.kind === 'connection' && /:[^/]+@/.test(shape.value)) ||
    (namesSomeKey(words) && fallback === undefined && !/public|publishable|site/i.test(name))
  return {
    path,
    line,
    column,
    kept,
    words,
    ...(said && { said }),
    outer: [],
    lead: '',
    rest: '',
    echo: false,
    literals: literals.map(rangeOf),
    kind: 'variable',
    ...whole,
    form: use.pattern ? 'pattern' : 'expression',
    // A fallback that is not secret becomes the default, and is in no layer.
    value: secret && fallback?.text ? fallback.text : undefined,
    variable: {
      ...use,
      name,
      secret,
      ...(isWritten && { stuck: 'Code assigns it.' }),
    },
    ...(dropped && { dropped }),
    confidence: 'high',
    reason:
      secret && fallback?.text
        ? `Code reads it from ${read.from} and falls back to a credential.`
        : fallback
          ? `Code reads it from ${read.from}, with a fallback.`
          : `Code reads it from ${read.from}.`,
  }
}

/** A place outside of code that gives a variable its value. */
export interface Giving extends Range {
  readonly name: string
  readonly value: string
  readonly stage: string | undefined
  readonly form: 'script' | 'container'
  readonly reason: string
  /** Why the value cannot be moved. */
  readonly stuck: string | undefined
}

/** A variable that a script or a container is given, as a finding. */
export function givenVariable({ path, text }: SourceFile, giving: Giving): Finding {
  const { name, value, stage, form, reason, stuck, start, end } = giving
  const words = wordsOf(name)
  const { line, column } = placeIn(text, start)
  return {
    path,
    start,
    end,
    line,
    column,
    words,
    outer: [],
    form,
    stage,
    value,
    reason,
    kind: 'variable',
    lead: '',
    rest: '',
    echo: false,
    kept: false,
    literals: [],
    confidence: 'high',
    variable: {
      name,
      fallback: undefined,
      wanted: 'text',
      asks: false,
      bare: { start, end },
      given: true,
      secret: namesCredential(words) || hasUserInformation(value),
      ...(stuck !== undefined && { stuck }),
    },
  }
}

function literalAs(text: string) {
  return { form: 'string' as const, text, start: 0, end: 0, goesOn: false }
}

function named(name: string): Context {
  return {
    words: wordsOf(name),
    outer: [],
    name,
    call: undefined,
    argument: undefined,
    fixed: false,
    compared: false,
    listed: false,
    markup: false,
    part: false,
    chosen: false,
    makes: false,
    object: undefined,
    owner: undefined,
  }
}

// -- behind a dot ------------------------------------------------------------------------------------------------

const typeWrappers = new Set(['TSAsExpression', 'TSSatisfiesExpression', 'TSNonNullExpression', 'TSTypeAssertion'])

/** `Number(process.env.PORT || 4100)`: climbs from the read to what code makes of it. */
function takenFrom({ name, node, parents }: Read, text: string): ReadSite {
  let inner = node
  let whole: Range = { start: node.start, end: node.end }
  let fallback: VariableUse['fallback']
  let wanted: VariableUse['wanted'] = 'text'
  let asks = false
  let isAsserted = false
  const literals: Node[] = []
  let at = parents.length - 1
  for (; at >= 0; at--) {
    const parent = parents[at] as Node
    if (typeWrappers.has(parent.type)) {
      inner = parent
      isAsserted ||= parent.type === 'TSNonNullExpression'
      asks ||= isNode(parent.typeAnnotation) && typeMayLack(parent.typeAnnotation, text)
      if (parent.type === 'TSNonNullExpression') whole = rangeOf(parent)
      continue
    }
    const isFallback = parent.type === 'LogicalExpression' && parent.left === inner && parent.operator !== '&&'
    if (isFallback && !fallback) {
      const other = fallbackOf(name, parent.right, wanted)
      if (!other) {
        asks = true
        break
      }
      fallback = other
      for (const each of [parent.right as Node, ...nodesIn((parent.right as Node).elements)]) literals.push(each)
    } else if (conversionOf(parent, inner) && wanted === 'text') wanted = conversionOf(parent, inner) ?? 'text'
    else if (isSplit(parents[at - 1], parent, inner) && wanted === 'text' && fallback?.form !== 'number') {
      wanted = 'list'
      at--
      inner = parents[at] as Node
      whole = withBrackets(inner, text)
      continue
    } else break
    inner = parent
    whole = withBrackets(parent, text)
  }
  const outer = parents[at]
  const chosen = wanted === 'text' && fallback === undefined ? listChosen(outer, inner) : undefined
  if (chosen && outer)
    return {
      whole: withBrackets(outer, text),
      use: {
        fallback: chosen.fallback,
        wanted: 'list',
        asks: false,
        bare: rangeOf(node),
        again: rangeOf(chosen.again),
      },
      literals: [outer.alternate as Node, ...nodesIn((outer.alternate as Node).elements)],
    }
  const comparison = fallback === undefined && wanted === 'text' ? switchOf(outer, inner) : undefined
  if (comparison && outer) {
    for (const side of [outer.left, outer.right]) if (isNode(side) && side !== inner) literals.push(side)
    return {
      whole: rangeOf(outer),
      use: { fallback, wanted: 'switch', ...comparison, asks, bare: rangeOf(node) },
      literals,
    }
  }
  const stops = outer?.type === 'UnaryExpression' && stopsWithout(parents[at - 1], outer)
  asks ||= fallback === undefined && !stops && asksFor(outer, inner, text)
  const needs = stops || isAsserted ? 'certain' : wanted !== 'text' || isTakenApart(outer, inner) ? 'likely' : undefined
  const own = { whole, use: { fallback, wanted, asks, needs, bare: rangeOf(node) } as const, literals }
  const later = fallback === undefined ? laterFallback(inner, parents.slice(0, at + 1), text) : undefined
  if (!later) return own
  return {
    ...own,
    use: { ...own.use, fallback: later.fallback, asks: false },
    literals: [later.literal],
    dropped: [later.dropped],
  }
}

function rangeOf({ start, end }: Range): Range {
  return { start, end }
}

/** The fallback in code, if it may be a value of the variable: a credential is not empty, and neither true nor false. */
function fallbackOf(name: string, node: unknown, wanted?: VariableUse['wanted']): VariableUse['fallback'] {
  const list = wanted === 'list' ? listedText(bare(node)) : undefined
  if (wanted === 'list') return list === undefined ? undefined : { text: list, form: 'list' }
  const fallback = literalText(node)
  return fallback?.text === '' || (fallback?.form === 'boolean' && namesCredential(wordsOf(name)))
    ? undefined
    : fallback
}

function literalText(node: unknown): VariableUse['fallback'] {
  const own = bare(node)
  if (!isNode(own)) return undefined
  if (own.type === 'StringLiteral') return { text: own.value as string, form: 'string' }
  if (own.type === 'NumericLiteral') return { text: String(own.value), form: 'number' }
  if (own.type === 'BooleanLiteral') return { text: String(own.value), form: 'boolean' }
  const [only, ...more] = own.type === 'TemplateLiteral' ? nodesIn(own.quasis) : []
  const { cooked } = (only?.value ?? {}) as { cooked?: string }
  return cooked !== undefined && more.length === 0 ? { text: cooked, form: 'string' } : undefined
}

/** `LIST.split(',')` */
function isSplit(call: Node | undefined, member: Node, inner: Node): boolean {
  if (!/^(?:Optional)?MemberExpression$/.test(member.type) || member.object !== inner) return false
  const [separator, ...more] = nodesIn(call?.arguments)
  return (
    /^(?:Optional)?CallExpression$/.test(call?.type ?? '') &&
    call?.callee === member &&
    identifierIn(member.property) === 'split' &&
    separator?.type === 'StringLiteral' &&
    separator.value === ',' &&
    more.length === 0
  )
}

/** `LIST ? LIST.split(',') : ['a', 'b']`: the list, and where it is read again. */
function listChosen(
  outer: Node | undefined,
  inner: Node,
): { readonly fallback: VariableUse['fallback']; readonly again: Node } | undefined {
  if (outer?.type !== 'ConditionalExpression' || outer.test !== inner || !isNode(outer.consequent)) return undefined
  const member = outer.consequent.callee
  const again = isNode(member) ? member.object : undefined
  const list = listedText(bare(outer.alternate))
  if (!isNode(member) || !isNode(again) || list === undefined || !isSplit(outer.consequent, member, again))
    return undefined
  return isSameRead(again, inner) ? { fallback: { text: list, form: 'list' }, again } : undefined
}

/** Tells whether a read is the second one of such a choice. */
function isReadAgain({ node, parents }: Read): boolean {
  const outer = parents.at(-3)
  return (
    outer?.type === 'ConditionalExpression' &&
    outer.test !== node &&
    listChosen(outer, outer.test as Node)?.again === node
  )
}

/** Tells whether two expressions are `process.env.NAME` of one name. */
function isSameRead(one: Node, other: Node): boolean {
  return (
    lastName(one) !== undefined && lastName(one) === lastName(other) && one.end - one.start === other.end - other.start
  )
}

/** `Number(…)`, `parseFloat(…)`, `+…`; `parseInt(…)` and `parseInt(…, 10)`. */
function conversionOf(parent: Node, inner: Node): 'number' | 'integer' | undefined {
  if (parent.type === 'UnaryExpression' && parent.operator === '+') return 'number'
  if (parent.type !== 'CallExpression') return undefined
  const [first, radix, ...more] = nodesIn(parent.arguments)
  const callee = parent.callee as Node
  const name =
    identifierIn(callee) ?? (identifierIn(callee.object) === 'Number' ? identifierIn(callee.property) : undefined)
  if (first !== inner || more.length > 0) return undefined
  if (name === 'parseInt' && (!radix || radix.value === 10)) return 'integer'
  return (name === 'Number' || name === 'parseFloat') && !radix ? 'number' : undefined
}

/** `=== 'true'`, `!== 'false'`, `=== '1'`: true or false, and what it is without a value. */
function switchOf(parent: Node | undefined, inner: Node): { without: boolean; contrary: boolean } | undefined {
  if (parent?.type !== 'BinaryExpression' || !/^[!=]==?$/.test(parent.operator as string)) return undefined
  const other = parent.left === inner ? parent.right : parent.left
  const word = literalText(other)
  if (word?.form !== 'string' || !/^(?:true|false|1|0)$/.test(word.text)) return undefined
  const means = word.text === 'true' || word.text === '1'
  // x === 'true' is false without a value, and x === 'false' is true only if someone says so.
  return { without: !means, contrary: (parent.operator as string).startsWith('!') === means }
}

/** Tells whether a type says itself that there may be no value. */
function typeMayLack(type: unknown, text: string): boolean {
  return isNode(type) && /\bundefined\b/.test(text.slice(type.start, type.end))
}

/** `if (!process.env.X) throw …`: then it is required. */
function stopsWithout(statement: Node | undefined, test: Node): boolean {
  if (statement?.type !== 'IfStatement' || statement.test !== test || test.operator !== '!') return false
  return ends(statement.consequent)
}

/** Tells whether code does with a value what there is not a doing without one: it looks into it, or puts it into a text. */
function isTakenApart(outer: Node | undefined, inner: Node): boolean {
  if (outer?.type === 'MemberExpression') return outer.object === inner
  return outer?.type === 'TemplateLiteral' || (outer?.type === 'BinaryExpression' && outer.operator === '+')
}

/** Tells whether code deals with there being no value: it asks first. */
function asksFor(parent: Node | undefined, inner: Node, text: string): boolean {
  if (!parent) return false
  if (parent.type === 'VariableDeclarator') return typeMayLack((parent.id as Node).typeAnnotation, text)
  if (/^(?:If|While)Statement$|^ConditionalExpression$/.test(parent.type)) return parent.test === inner
  if (parent.type === 'LogicalExpression') return true
  if (parent.type === 'UnaryExpression') return parent.operator === '!' || parent.operator === 'typeof'
  if (parent.type === 'BinaryExpression') return /^[!=]==?$|^in$/.test(parent.operator as string)
  if (parent.type === 'CallExpression') return identifierIn(parent.callee) === 'Boolean'
  return /^Optional/.test(parent.type)
}

/** `let port = process.env.PORT` and behind it `if (!port) port = 4100`, with nothing between that uses it. */
function laterFallback(inner: Node, parents: readonly Node[], text: string) {
  const [declarator, declaration, block] = [parents.at(-1), parents.at(-2), parents.at(-3)]
  const local =
    declarator?.type === 'VariableDeclarator' && declarator.init === inner ? identifierIn(declarator.id) : undefined
  if (local === undefined || !declaration || declaration.type !== 'VariableDeclaration') return undefined
  const body = nodesIn(block?.body)
  const uses = new RegExp(`(?<![\\w$.])${local.replaceAll('$', '\\$')}(?![\\w$])`)
  for (const next of body.slice(body.indexOf(declaration) + 1)) {
    const found = next.type === 'IfStatement' ? fallbackIn(next, local) : undefined
    if (found) return { ...found, dropped: lineOf(next, text) }
    if (uses.test(text.slice(next.start, next.end))) return undefined
  }
  return undefined
}

function fallbackIn({ test, consequent, alternate }: Node, local: string) {
  if (!isNode(test) || !isNode(consequent) || alternate) return undefined
  const lacks =
    (test.type === 'UnaryExpression' && test.operator === '!' && identifierIn(test.argument) === local) ||
    (test.type === 'BinaryExpression' &&
      /^===?$/.test(test.operator as string) &&
      identifierIn(test.left) === local &&
      isNode(test.right) &&
      (test.right.type === 'NullLiteral' || identifierIn(test.right) === 'undefined'))
  const [only, ...more] = consequent.type === 'BlockStatement' ? nodesIn(consequent.body) : [consequent]
  const set = only?.type === 'ExpressionStatement' ? (only.expression as Node) : undefined
  if (!lacks || more.length > 0 || set?.type !== 'AssignmentExpression' || set.operator !== '=') return undefined
  const fallback = identifierIn(set.left) === local ? literalText(set.right) : undefined
  return fallback && fallback.text !== '' ? { fallback, literal: set.right as Node } : undefined
}

// -- taken apart ---------------------------------------------------------------------------------------------------

/** `const { PORT = 4100, HOME } = process.env` */
function takenApart({ name, node, parents }: Read): ReadSite {
  const [pattern, declarator, declaration] = [parents.at(-1), parents.at(-2), parents.at(-3)] as [
    Node,
    Node,
    Node | undefined,
  ]
  const properties = nodesIn(pattern.properties)
  const value = node.value as Node
  const local = identifierIn(value.type === 'AssignmentPattern' ? value.left : value)
  const fallback = value.type === 'AssignmentPattern' ? fallbackOf(name, value.right) : undefined
  const whole = rangeOf(declarator)
  const base = {
    fallback,
    wanted: 'text' as const,
    asks: value.type === 'AssignmentPattern' && !fallback,
    bare: rangeOf(node),
    needs: undefined,
  }
  const literals = fallback ? [value.right as Node] : []
  const rest = properties.some(({ type }) => type === 'RestElement')
  if (local === undefined || declaration?.type !== 'VariableDeclaration' || rest || (base.asks && value.right))
    return { whole, use: { ...base, stuck: 'It is destructured in a form that lift cannot edit.' }, literals }
  const own = properties.indexOf(node)
  const from = rangeOf(declarator.init as Node)
  return {
    whole,
    use: { ...base, pattern: { ...whole, from, properties: properties.map(rangeOf), own, local } },
    literals,
  }
}
