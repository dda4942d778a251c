import { isListed } from '../../code/literals.js'
import { isNode, type Node, nodesIn } from '../../code/parse.js'
import { Evaluator, type Outcome, type Scene } from '../../code/values/evaluate.js'
import type { CodeModule } from '../../code/values/modules.js'
import { isPrimitive, ListValue, notKnown, type Value } from '../../code/values/value.js'
import { wordsOf } from '../../code/words.js'
import type { Candidate, Finding } from '../../guess/finding.js'
import type { ProjectCode } from './project-code.js'

/** What a proof goes through. */
export interface StagesProved {
  /** Those of the legend, and those that starts name. */
  readonly stages: readonly string[]
  readonly code: ProjectCode
}

/**
 * Candidates that code chooses by stage, each with the values that it has in each: they are computed, and not read off names. What
 * cannot be computed is left, and says why.
 */
export function provedInStages(candidates: readonly Candidate[], facts: StagesProved): readonly Candidate[] {
  return candidates.map((candidate) => {
    const sites = candidate.sites.filter(isChoice)
    if (sites.length === 0 || candidate.blocked !== undefined) return candidate
    const all = sites.map((site) => valuesAt(site, facts))
    const wrong = all.find((each) => 'why' in each)
    if (wrong && 'why' in wrong) return unproved(candidate, wrong.why)
    const [first, ...others] = all as readonly Values[]
    if (!first) return candidate
    if (others.some((each) => JSON.stringify([...each.texts]) !== JSON.stringify([...first.texts])))
      return unproved(candidate, 'its places have different values in a stage')
    return withValues(candidate, first)
  })
}

/** A place at which code chooses a value by its stage, as a whole. */
function isChoice({ stages, frame, variable, group, form }: Finding): boolean {
  return (
    Object.keys(stages ?? {}).length > 0 &&
    frame !== undefined &&
    variable === undefined &&
    group === undefined &&
    /^(?:string|number|boolean|list)$/.test(form)
  )
}

/** Texts by stage, undefined where code has none; `other` is that of every stage that nothing names. */
interface Values {
  readonly texts: ReadonlyMap<string, string | undefined>
  readonly other: string | undefined
  readonly asks: readonly string[]
}

/** A start without a stage. */
export const unset = Symbol('unset')
/** A stage that nothing names. */
export const another = 'another-stage'

/** What code finds in its environment in a stage; `asks` gets the variables by which it tells that. */
export function stageScene(code: ProjectCode, stage: string | typeof unset, asks: Set<string>): Scene {
  return code.scene((from, name) => {
    if (from === 'import.meta.env') {
      if (name !== 'MODE') return notKnown(`${from}.${name} is known only to a builder.`)
      // A page is served in development, and built for a mode that is named or production.
      asks.add(name)
      return stage === unset ? 'development' : String(stage)
    }
    if (!tellsStage(name)) return notKnown(`${name} may have any value.`)
    if (code.sets(name)) return notKnown(`Code sets ${name}.`)
    asks.add(name)
    return stage === unset ? undefined : String(stage)
  })
}

function valuesAt(site: Finding, { stages, code }: StagesProved): Values | { readonly why: string } {
  const module = code.module(site.path)
  const node = module && code.nodeAt(module, site)
  if (!module || !node) return { why: `${site.path} is not followed` }
  const chain = (site.chain ?? []).flatMap((each) => code.nodeAt(module, each) ?? [])
  if (chain.length < (site.chain ?? []).length) return { why: `${site.path} is not followed` }
  const asks = new Set<string>()
  const textIn = (stage: string | typeof unset): string | undefined | { readonly why: string } => {
    const evaluator = new Evaluator(stageScene(code, stage, asks))
    const outcome = chosenOf([node, ...chain], module, evaluator)
    if (!outcome.known) return { why: asClause(outcome.why) }
    const { value } = outcome
    if (value === undefined) return undefined
    const text = layerTextOf(value)
    if (text === undefined) return { why: 'it is not a text or a number in each stage' }
    const isFramed =
      text.startsWith(site.lead) && text.endsWith(site.rest) && text.length >= site.lead.length + site.rest.length
    return isFramed
      ? text.slice(site.lead.length, text.length - site.rest.length)
      : { why: 'its values differ in more' }
  }
  const texts = new Map<string, string | undefined>()
  for (const stage of [...stages, another]) {
    const text = textIn(stage)
    if (typeof text === 'object') return text
    texts.set(stage, text)
  }
  const bare = textIn(unset)
  if (typeof bare === 'object') return bare
  const variable = [...asks][0] ?? 'NODE_ENV'
  if (bare !== texts.get('development'))
    return { why: `without ${variable} code takes another value than in development; set it in each start first` }
  const other = texts.get(another)
  texts.delete(another)
  const without = [...texts].find(([, text]) => text === undefined && other !== undefined)
  if (without) return { why: `code has no value in stage ${without[0]}` }
  return { texts, other, asks: [...asks] }
}

/** Tells whether a variable says by its name that it tells the environment: `NODE_ENV`, `APP_STAGE`. */
function tellsStage(name: string): boolean {
  return /^(?:env|environment|stage|mode)$/.test(wordsOf(name).at(-1) ?? '')
}

/** The text of a value for a layer: of a list its texts, which hold no comma; undefined for what a layer cannot give. */
function layerTextOf(value: Value): string | undefined {
  if (!(value instanceof ListValue)) return isPrimitive(value) && value !== null ? String(value) : undefined
  const texts = value.items.flatMap((item) => (typeof item === 'string' && isListed(item) ? item : []))
  return texts.length > 0 && texts.length === value.items.length ? texts.join(',') : undefined
}

/** The value that the first of several statements returns that returns, or the last one sets that sets it. */
function chosenOf([first, ...others]: readonly Node[], module: CodeModule, evaluator: Evaluator): Outcome {
  if (!first) return { known: false, why: 'A branch does nothing' }
  if (others.length === 0) return chosen(first, module, evaluator)
  const asked = first.type === 'IfStatement' ? evaluator.outcome(first.test as Node, module) : undefined
  if (asked) {
    if (!asked.known) return asked
    return asked.value ? chosen(first.consequent as Node, module, evaluator) : chosenOf(others, module, evaluator)
  }
  let value = chosen(first, module, evaluator)
  for (const each of others) {
    const own = evaluator.outcome(each.test as Node, module)
    if (!own.known) return own
    if (own.value) value = chosen(each.consequent as Node, module, evaluator)
  }
  return value
}

/** The value of an expression, or that which a statement returns or assigns. */
function chosen(node: Node, module: CodeModule, evaluator: Evaluator): Outcome {
  if (node.type === 'BlockStatement') {
    const [only] = nodesIn(node.body)
    return only ? chosen(only, module, evaluator) : { known: false, why: 'A branch does nothing' }
  }
  if (node.type === 'ReturnStatement' && isNode(node.argument)) return evaluator.outcome(node.argument, module)
  if (node.type === 'ExpressionStatement' && isNode(node.expression)) {
    const { expression } = node
    return evaluator.outcome(
      expression.type === 'AssignmentExpression' && isNode(expression.right) ? expression.right : expression,
      module,
    )
  }
  if (node.type === 'IfStatement' && isNode(node.test)) {
    const asked = evaluator.outcome(node.test, module)
    if (!asked.known) return asked
    const branch = asked.value ? node.consequent : node.alternate
    return isNode(branch) ? chosen(branch, module, evaluator) : { known: false, why: 'A branch does nothing' }
  }
  if (node.type === 'SwitchStatement' && isNode(node.discriminant)) return chosenCase(node, module, evaluator)
  return evaluator.outcome(node, module)
}

function chosenCase(node: Node, module: CodeModule, evaluator: Evaluator): Outcome {
  const asked = evaluator.outcome(node.discriminant as Node, module)
  if (!asked.known) return asked
  const cases = nodesIn(node.cases)
  let at = -1
  for (const [index, { test }] of cases.entries()) {
    if (!isNode(test)) continue
    const own = evaluator.outcome(test, module)
    if (!own.known) return own
    if (own.value === asked.value) {
      at = index
      break
    }
  }
  const first = at >= 0 ? at : cases.findIndex(({ test }) => test === null)
  const statement = first < 0 ? undefined : cases.slice(first).flatMap(({ consequent }) => nodesIn(consequent))[0]
  return statement ? chosen(statement, module, evaluator) : { known: false, why: 'A branch does nothing' }
}

function withValues(candidate: Candidate, { texts, other, asks }: Values): Candidate {
  const stages = Object.fromEntries(
    [...texts].filter((pair): pair is [string, string] => pair[1] !== undefined && pair[1] !== other),
  )
  if (candidate.reach === 'browser' && asks.includes('NODE_ENV') && Object.keys(stages).length > 0)
    return unproved(candidate, 'in a page NODE_ENV says whether it is built or served, and not the stage')
  const isSame = candidate.value === other && JSON.stringify(candidate.stages) === JSON.stringify(stages)
  const named = [...new Set([...candidate.asks, ...asks])]
  return isSame ? { ...candidate, asks: named } : { ...candidate, value: other, stages, asks: named }
}

/** A candidate that stays, and how it is moved all the same. */
export function unproved(candidate: Candidate, why: string): Candidate {
  return {
    ...candidate,
    unproved: `Its value in each stage is not proved: ${why}. To move it anyway, run: mappa lift --only ${candidate.name} --unproved`,
  }
}

/** A sentence as a part of another one: without its full stop, and in small letters but for names. */
export function asClause(sentence: string): string {
  const text = sentence.replace(/\.$/, '')
  return /^[A-Z](?![A-Z_])/.test(text) ? text.charAt(0).toLowerCase() + text.slice(1) : text
}
