import { type Context, contextOf, lastName } from '../code/context.js'
import { type Literal, literalOf } from '../code/literals.js'
import { isNode, type Node, nodesIn, oncePerNode, withBrackets } from '../code/parse.js'
import { fallsOn } from '../code/stages/stage-branches.js'
import { ownStage, stageAsked, stageTest } from '../code/stages/stage-tests.js'
import { type Guess, guessOf } from './guess.js'

/** Values of which code takes one by its environment. */
interface Choice {
  /** The range to replace as a whole; undefined if each value is replaced in its place. Offsets in the file's text. */
  readonly whole:
    | { readonly start: number; readonly end: number; readonly lead: string; readonly rest: string }
    | undefined
  /** Statements behind it that take part in the choice. */
  readonly chain?: readonly Node[]
  readonly arms: readonly Arm[]
  readonly context: Context
  /** The variable that code asks for its environment, as far as it has one. */
  readonly asks: string | undefined
}

/** One of the values, and its stage; undefined where it counts for every other one. */
interface Arm {
  readonly stage: string | undefined
  readonly node: Node
}

/** A choice with what its values are. */
export interface GuessedChoice extends Choice {
  readonly form: Literal['form']
  /** The same for each arm, but for the value, which is its own. */
  readonly guesses: readonly Guess[]
}

/** `{ newCheckout: !isProd }` among features: a switch that is on or off by stage. */
export function flagAt(property: Node, parents: readonly Node[]) {
  const node = property.value
  if (!isNode(node) || !/^(?:Unary|Member)Expression$|^Identifier$/.test(node.type)) return undefined
  const around = parents.at(-2)
  const holder = around?.type === 'ObjectProperty' ? around.key : (around?.id ?? around?.left ?? around?.callee)
  if (parents.at(-1)?.type !== 'ObjectExpression' || !/feature|flag|toggle|switch/i.test(lastName(holder) ?? ''))
    return undefined
  const asked = stageTest(node)
  if (!asked) return undefined
  const context = contextOf(node, [...parents, property])
  // { isProd: … } tells the stage itself.
  if (context.words.some((word) => ownStage(word) !== undefined)) return undefined
  if (!context.outer.some((word) => /^(?:features?|flags?|toggles?|switches)$/.test(word))) return undefined
  const guess: Guess = {
    kind: 'switch',
    value: String(asked.negated),
    confidence: 'high',
    reason: 'Code switches it by environment.',
  }
  const stages = { [asked.stage]: String(!asked.negated) }
  return { node, guess, context, more: { stages, frame: ['', ''] as const, asks: stageAsked(node) } }
}

/** The choice that a node makes by environment, if it makes one. */
export function choiceAt(node: Node, parents: readonly Node[], text: string): GuessedChoice | undefined {
  const choice =
    node.type === 'ConditionalExpression'
      ? conditional(node, parents, text)
      : node.type === 'SwitchStatement' || node.type === 'IfStatement'
        ? (statement(node, parents, text) ?? returned(node, parents, text))
        : node.type === 'VariableDeclaration'
          ? overwritten(node, parents, text)
          : node.type === 'ObjectExpression'
            ? table(node, parents)
            : undefined
  return choice && guessed(choice)
}

/** `isProduction ? 'https://…' : 'http://…'`, also one in the other. */
function conditional(node: Node, parents: readonly Node[], text: string): Choice | undefined {
  const arms = conditionalArms(node)
  if (!arms) return undefined
  const whole = { ...withBrackets(node, text), lead: '', rest: '' }
  return { whole, arms, context: contextOf(node, parents), asks: stageAsked(node.test) }
}

/** More values than stages could have are not choice of a stage; each question in a chain of thousands would look at all others. */
const armsMax = 32

function conditionalArms(node: Node, left = armsMax): Arm[] | undefined {
  const asked = left > 0 ? stageTest(node.test) : undefined
  if (!asked) return undefined
  const [then, other] = [node.consequent as Node, node.alternate as Node]
  const [inStage, else_] = asked.negated ? [other, then] : [then, other]
  const more =
    else_.type === 'ConditionalExpression' ? conditionalArms(else_, left - 1) : [{ stage: undefined, node: else_ }]
  return more && [{ stage: asked.stage, node: inStage }, ...more]
}

/** The effect of a branch: it assigns or returns a value. */
interface Deed {
  /** The text in front of the value: `url = `, `return `. */
  readonly lead: string
  readonly value: Node
  /** The whole, for its surroundings. */
  readonly parents: readonly Node[]
}

/** `switch (stage) { case 'production': url = '…'; break; default: url = '…' }`, and the same with `if` and `else`. */
function statement(node: Node, parents: readonly Node[], text: string): Choice | undefined {
  const branches = node.type === 'SwitchStatement' ? switchBranches(node) : ifBranches(node)
  if (!branches || branches.every(({ stage }) => stage !== undefined)) return undefined
  const deeds = branches.map(({ body }) => deedOf(body, text))
  const [first] = deeds
  if (!first || deeds.some((deed) => deed?.lead !== first.lead)) return undefined
  const arms = deeds.map((deed, at) => ({ stage: branches[at]?.stage, node: (deed as Deed).value }))
  const rest =
    text[node.end - 1] === '}' && /;\s*(?:break\b|\}|$)/.test(text.slice(first.value.end, node.end)) ? ';' : ''
  return {
    whole: { start: node.start, end: node.end, lead: first.lead, rest },
    arms,
    context: contextOf(first.value, [...parents, node, ...first.parents]),
    asks: stageAsked(node.type === 'SwitchStatement' ? node.discriminant : node.test),
  }
}

/** The statements of a block, and where each of them is: asked for each of thousands. */
const statementsOf = oncePerNode(({ body }) => nodesIn(body))
const indicesOf = oncePerNode((block) => new Map(statementsOf(block).map((each, at) => [each, at])))

/** `if (isProd) return '…'`, any number of these, and behind them `return '…'`. */
function returned(node: Node, parents: readonly Node[], text: string): Choice | undefined {
  const isAsked = node.type === 'IfStatement' && !isNode(node.alternate) && stageTest(node.test) !== undefined
  const body = isAsked ? statementsOf(parents.at(-1) as Node) : []
  const from = isAsked ? (indicesOf(parents.at(-1) as Node).get(node) ?? -1) : -1
  let to = from + 1
  while (body[to]?.type === 'IfStatement') to++
  const last = body[to]
  if (from < 0 || last?.type !== 'ReturnStatement' || to - from > armsMax) return undefined
  const own = body.slice(from, to)
  const tests = own.map(({ test, alternate }) => (isNode(alternate) ? undefined : stageTest(test)))
  const deeds = [...own.map(({ consequent }) => inBlock(consequent as Node)), [last]].map((each) => deedOf(each, text))
  const [first] = deeds
  if (!first || deeds.some((deed) => deed?.lead !== 'return ') || tests.some((each) => !each)) return undefined
  const [only] = tests
  // A negated question in the middle leaves the others to what comes behind.
  if (tests.some((each) => each?.negated) && tests.length > 1) return undefined
  const values = (deeds as Deed[]).map(({ value }) => value)
  // A function that does nothing else has the name of what it gives.
  const block = parents.at(-1) as Node
  const around = to - from + 1 === body.length ? [...parents.slice(0, -1), { ...block, body: [node] }] : parents
  const arms = only?.negated
    ? [
        { stage: only.stage, node: values[1] as Node },
        { stage: undefined, node: values[0] as Node },
      ]
    : values.map((value, at) => ({ stage: tests[at]?.stage, node: value }))
  return {
    whole: { start: node.start, end: node.end, lead: 'return ', rest: text[last.end - 1] === ';' ? ';' : '' },
    arms,
    chain: body.slice(from + 1, to + 1),
    context: contextOf(first.value, [...around, node, ...first.parents]),
    asks: stageAsked(node.test),
  }
}

/** `let url = '…'`, and right behind it `if (isProd) url = '…'`, once or more. */
function overwritten(node: Node, parents: readonly Node[], text: string): Choice | undefined {
  const [declarator, ...more] = nodesIn(node.declarations)
  const name = isNode(declarator?.id) && declarator.id.type === 'Identifier' ? declarator.id.name : undefined
  if (!declarator || name === undefined || !isNode(declarator.init) || more.length > 0) return undefined
  // Most declarations hold something that is worked out.
  if (!/Literal$|^(?:Array|Conditional)Expression$/.test(declarator.init.type)) return undefined
  const block = parents.at(-1)
  const body = block ? statementsOf(block) : []
  const from = block ? (indicesOf(block).get(node) ?? -1) : -1
  const chain: Node[] = []
  const arms: Arm[] = []
  for (let at = from + 1; from >= 0 && at < body.length; at++) {
    const each = body[at] as Node
    const asked = each.type === 'IfStatement' && !isNode(each.alternate) ? stageTest(each.test) : undefined
    const deed = asked && !asked.negated ? deedOf(inBlock(each.consequent as Node), text) : undefined
    if (!asked || deed?.lead.replace(/\s*=\s*$/, '') !== name) break
    chain.push(each)
    // The last one that applies counts.
    arms.unshift({ stage: asked.stage, node: deed.value })
  }
  if (chain.length === 0) return undefined
  const { init } = declarator
  return {
    whole: { start: init.start, end: init.end, lead: '', rest: '' },
    arms: [...arms, { stage: undefined, node: init }],
    chain,
    context: contextOf(init, [...parents, node, declarator]),
    asks: stageAsked(chain[0]?.test),
  }
}

interface Branch {
  readonly stage: string | undefined
  readonly body: readonly Node[]
}

function switchBranches(node: Node): Branch[] | undefined {
  if (stageAsked(node.discriminant) === undefined) return undefined
  const branches: Branch[] = []
  const cases = nodesIn(node.cases)
  for (const each of cases) {
    if (each !== cases.at(-1) && fallsOn(each)) return undefined
    const body = nodesIn(each.consequent)
      .flatMap(inBlock)
      .filter(({ type }) => type !== 'BreakStatement')
    const stage = each.test === null ? undefined : ownStage(stringIn(each.test))
    // A case that does nothing, or asks for what is not a stage.
    if (body.length === 0 || (each.test !== null && stage === undefined)) return undefined
    branches.push({ stage, body })
  }
  return branches.length > 1 ? branches : undefined
}

function ifBranches(node: Node, left = armsMax): Branch[] | undefined {
  const asked = left > 0 ? stageTest(node.test) : undefined
  if (!asked || !isNode(node.alternate)) return undefined
  const [then, other] = [inBlock(node.consequent as Node), node.alternate]
  if (asked.negated)
    return other.type === 'IfStatement'
      ? undefined
      : [
          { stage: asked.stage, body: inBlock(other) },
          { stage: undefined, body: then },
        ]
  const more = other.type === 'IfStatement' ? ifBranches(other, left - 1) : [{ stage: undefined, body: inBlock(other) }]
  return more && [{ stage: asked.stage, body: then }, ...more]
}

function inBlock(node: Node): Node[] {
  return node.type === 'BlockStatement' ? nodesIn(node.body) : [node]
}

function deedOf(body: readonly Node[], text: string): Deed | undefined {
  const [only, ...more] = body
  if (!only || more.length > 0) return undefined
  if (only.type === 'ReturnStatement' && isNode(only.argument))
    return { lead: 'return ', value: only.argument, parents: [only] }
  const { expression } = only
  if (only.type !== 'ExpressionStatement' || !isNode(expression) || expression.type !== 'AssignmentExpression')
    return undefined
  const value = expression.right as Node
  return expression.operator === '='
    ? { lead: text.slice(expression.start, value.start), value, parents: [only, expression] }
    : undefined
}

/** `{ development: '…', production: '…' }`, from which code takes a value by its stage; `default` counts for all others. */
function table(node: Node, parents: readonly Node[]): Choice | undefined {
  const properties = nodesIn(node.properties)
  const arms: Arm[] = []
  for (const property of properties) {
    if (property.type !== 'ObjectProperty' || property.computed) return undefined
    const key = stringIn(property.key) ?? ((property.key as Node).name as string | undefined) ?? ''
    const stage = ownStage(key)
    if (stage === undefined && key !== 'default') return undefined
    arms.push({ stage, node: property.value as Node })
  }
  if (arms.filter(({ stage }) => stage !== undefined).length < 2) return undefined
  const parent = parents.at(-1)
  const member = parent?.type === 'MemberExpression' && parent.object === node && parent.computed ? parent : undefined
  const context = contextOf(member ?? node, member ? parents.slice(0, -1) : parents)
  return {
    whole: member && { start: member.start, end: member.end, lead: '', rest: '' },
    arms,
    // One of `feedUrls` is a feed URL.
    context: member ? context : { ...context, words: context.words.map((word) => word.replace(/(?<=[^s])s$/, '')) },
    asks: member && stageAsked(member.property),
  }
}

function stringIn(node: unknown): string | undefined {
  return isNode(node) && node.type === 'StringLiteral' ? (node.value as string) : undefined
}

/** Tells whether a text may be what is chosen: a stage's own name, and what a tool fills in, are about the choice itself. */
export function isChosen(text: string): boolean {
  return ownStage(text) === undefined && !/[[\]{}<>%]/.test(text)
}

/** A named value that differs by environment is a setting, whatever its text. */
function chosenWord(
  literals: readonly Literal[],
  guesses: readonly (Guess | undefined)[],
  { words }: Context,
): Guess | undefined {
  const [first] = literals
  const isOther = literals.some(({ text }) => !isChosen(text))
  const differs = literals.some(({ text }) => text !== first?.text)
  if (!first || words.length === 0 || isOther || !differs) return undefined
  const chosen = { confidence: 'high' as const, reason: 'It differs by environment.' }
  // An address, of which there may be others: each stage has its own.
  const [address] = guesses
  return address && guesses.every((each) => each?.kind === 'address')
    ? { ...chosen, kind: 'address', value: address.value, ...(address.rest !== undefined && { rest: address.rest }) }
    : { ...chosen, kind: 'choice', value: first.text }
}

/** The common kind of the values, if there is one and at least one of them must move. */
function guessed(choice: Choice): GuessedChoice | undefined {
  const { arms, context } = choice
  if (context.fixed || context.compared) return undefined
  const literals = arms.map(({ node }) => literalOf(node, undefined))
  const [first] = literals
  if (!first || literals.some((each) => each?.form !== first.form) || first.form === 'template-text') return undefined
  const all = (literals as Literal[]).map((literal) => guessOf(literal, context))
  const guess =
    all.find((each) => each && !each.echo && !each.ifUsed) ?? chosenWord(literals as Literal[], all, context)
  if (!guess) return undefined
  // Parts that are the same in all stay; otherwise each value moves as a whole.
  const alike = all.every((each) => each?.kind === guess.kind && each.rest === guess.rest && each.lead === guess.lead)
  const { lead = '', rest = '' } = alike ? guess : {}
  const guesses = all.map((each, at) => ({
    ...guess,
    confidence: guess.confidence === 'low' ? ('high' as const) : guess.confidence,
    lead,
    rest,
    value: alike ? (each as Guess).value : (literals[at] as Literal).text,
    reason: `${guess.reason} Code chooses it by environment.`,
  }))
  return { ...choice, form: first.form, guesses }
}
