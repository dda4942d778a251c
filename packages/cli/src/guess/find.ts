import { type Context, contextOf, lastName } from '../code/context.js'
import { grouped } from '../code/grouped.js'
import { type Literal, literalOf, mayBeSetting } from '../code/literals.js'
import { isNode, type Node, nodesIn, type SourceFile, type Visit } from '../code/parse.js'
import { lineOf, placeIn, saidOf } from '../code/place.js'
import { type StageBranch, stageBranch } from '../code/stages/stage-branches.js'
import { isTestFile } from '../code/test-files.js'
import { choiceAt, flagAt, type GuessedChoice, isChosen } from './choices.js'
import type { Finding, IfUsed, Range } from './finding.js'
import { type Guess, guessOf } from './guess.js'
import { importsOf, takerOf } from './taker.js'
import { usesIn } from './uses.js'

const doubts =
  /change (?:this|me)|make (?:this )?configurable|todo.*(?:config|env|setting)|hard-?coded|move (?:this )?to (?:the )?(?:config|env)/i

/** Comments that call a key public. */
const openly = /\/[/*].*\b(?:public|publishable|restricted|limited to)\b/i

/** A finding in a branch for a stage, and whether that alone speaks for it. */
type BranchFinding = Finding & { readonly byBranch?: boolean }

/** Collects the settings and keys among the literals of a file, as its trees are visited. */
export function findingsIn(file: SourceFile): {
  readonly visit: Visit
  /** Findings, without literals that belong to something else. */
  readonly findings: (others: ReadonlySet<Node>) => readonly Finding[]
} {
  const { path, text } = file
  const uses = usesIn()
  const findings: { readonly node: Node; readonly finding: BranchFinding }[] = []
  const add = (
    node: Node,
    range: Range,
    form: Finding['form'],
    guess: Guess,
    context: Context,
    more: Partial<BranchFinding> = {},
  ) => {
    const { start, end } = range
    const finding: BranchFinding = {
      path,
      start,
      end,
      form,
      lead: '',
      rest: '',
      echo: false,
      literals: [spanOf(node)],
      ...nowhere,
      // Code keeps what marks the place for as long as there is no value.
      ...(guess.placeholder && { frame: ['(', ` ?? ${text.slice(start, end)})`] as const }),
      ...guess,
      words: context.words,
      outer: context.outer,
      ...more,
    }
    findings.push({ node, finding })
  }
  const taken = new Set<Node>()
  const addChoice = ({ whole, arms, form, guesses, context, asks, chain }: GuessedChoice) => {
    for (const node of chain ?? []) taken.add(node)
    for (const { node } of arms) for (const each of [node, ...nodesIn(node.elements)]) taken.add(each)
    if (!whole) {
      const group = `${path}:${arms[0]?.node.start}`
      for (const [at, { stage, node }] of arms.entries())
        add(node, node, form, guesses[at] as Guess, context, { stage, group, asks })
      return
    }
    const other = arms.findIndex(({ stage }) => stage === undefined)
    const guess = guesses[Math.max(other, 0)] as Guess
    const staged = arms.flatMap(({ stage }, at) => (stage === undefined ? [] : [[stage, guesses[at]?.value ?? '']]))
    const frame = [whole.lead, whole.rest] as const
    add(arms[0]?.node as Node, whole, form, guess, context, {
      ...(other < 0 && { value: undefined }),
      stages: Object.fromEntries(staged),
      frame,
      asks,
      ...(chain && { chain: chain.map(spanOf), dropped: chain.map((each) => lineOf(each, text)) }),
    })
  }
  const imports = new Map<string, readonly string[]>()
  const visit: Visit = (node, parents) => {
    // First what costs little: every node of a project comes by.
    uses.visit(node, parents)
    if (node.type === 'ImportDeclaration' || node.type === 'VariableDeclarator')
      for (const [local, words] of importsOf(node)) imports.set(local, words)
    if (!looked.has(node.type) || taken.has(node)) return
    if (node.type === 'ObjectProperty') {
      const flag = flagAt(node, parents)
      return flag && add(flag.node, flag.node, 'boolean', flag.guess, flag.context, flag.more)
    }
    const choice = choiceAt(node, parents, text)
    if (choice) return addChoice(choice)
    const parent = parents.at(-1)
    const literal = literalOf(node, parent)
    if (node.type === 'BinaryExpression' && (literal || taken.has(parent as Node))) taken.add(node)
    if (!literal || !mayBeSetting(literal) || taken.has(parent as Node)) return
    // A tag may do anything with its template.
    if (parents.at(-2)?.type === 'TaggedTemplateExpression') return
    // A template's first text is used as the template is; a later one is a part of something.
    const isPiece = node.type === 'TemplateElement'
    const [used, around] = isPiece ? [parent as Node, parents.slice(0, -1)] : [node, parents]
    const context = contextOf(used, around)
    if (context.fixed || context.compared) return
    const branch = literal.form === 'template-text' ? undefined : stageBranch(used, around, text)
    const found = guessOf(literal, context)
    const own = found && isPrinted(used, around) ? undefined : found
    const guess = own ?? (branch && ofBranch(literal, context))
    const staged = branch && guess && stagedBy(branch, path, guess, own === undefined)
    if (!guess) return
    if (node.type === 'ArrayExpression') for (const each of nodesIn(node.elements)) taken.add(each)
    const taker = takerOf(context, around, imports)
    add(node, movedRange(literal, guess), formOf(literal, parent), guess, context, {
      ...staged,
      ...(taker && { taker }),
    })
  }
  return {
    visit: isTestFile(path) ? () => {} : visit,
    findings: (others) => {
      const open = findings.filter(({ node }) => !others.has(node)).map(({ finding }) => finding)
      return byStages(open.map((finding) => byUse(finding, uses.hold))).map((finding) => placed(finding, text))
    },
  }
}

/** Tells whether a text is only written to a log or an error, or is the base that any address has that is taken apart. */
function isPrinted(node: Node, parents: readonly Node[]): boolean {
  let inner = node
  for (const parent of parents.toReversed()) {
    if (/Function|Method|Statement$|Declaration$/.test(parent.type)) return false
    if (/^(?:New|Call|OptionalCall)Expression$/.test(parent.type)) {
      const name = lastName(parent.callee) ?? ''
      const [first, second] = nodesIn(parent.arguments)
      if (name === 'URL' && second === inner && /^(?:url|originalUrl)$/.test(lastName(first) ?? '')) return true
      if (parent.type === 'NewExpression' ? /(?:Error|Exception)$/.test(name) : writesOut(parent, name)) return true
    }
    inner = parent
  }
  return false
}

/** `console.log(…)`, `logger.info(…)`, `log('info', …)` */
function writesOut({ callee }: Node, name: string): boolean {
  const owner =
    isNode(callee) && /^(?:Optional)?MemberExpression$/.test(callee.type) ? lastName(callee.object) : undefined
  if (owner === undefined) return /^(?:log|logger|debug|print|println|printf)$/.test(name)
  return (
    /^(?:log|debug|info|warn|error|trace|fatal|verbose|table|dir|group)$/.test(name) &&
    /^(?:console|log|_?logger|winston|pino|debug|signale|consola|reporter|out)$/i.test(owner)
  )
}

/** Places are looked up for what is found at last: most of what has a name is nothing. */
const nowhere = { kept: false, line: 0, column: 0 }

/** A finding with its place, and what comments beside it say. */
function placed(finding: Finding, text: string): Finding {
  const { around, kept, line, column } = placeIn(text, finding.start)
  const said = saidOf(text, finding)
  const raised = finding.confidence !== 'high' && doubts.test(around)
  return {
    ...finding,
    kept,
    line,
    column,
    ...(said && { said }),
    ...(openly.test(around) && { openly: true }),
    ...(raised && {
      confidence: 'high' as const,
      reason: `${finding.reason} A comment asks to make it configurable.`,
    }),
  }
}

/** Facts that a branch for one or more stages adds to the findings in it. */
function stagedBy({ also = [], group, ...branch }: StageBranch, path: string, { value }: Guess, byBranch: boolean) {
  const stages = also.length > 0 && { stages: Object.fromEntries(also.map((stage) => [stage, value])) }
  return { ...branch, ...stages, group: `${path}: ${group}`, byBranch }
}

/** A named value in a branch for a stage is a setting if the other branches have another value. */
function ofBranch({ text }: Literal, { words }: Context): Guess | undefined {
  return words.length > 0 && isChosen(text)
    ? { kind: 'choice', value: text, confidence: 'high', reason: 'Code chooses it by environment.' }
    : undefined
}

/** A finding with what its file does with its name: an address that nothing there asks counts only beside others. */
function byUse(finding: BranchFinding, hold: (wanted: IfUsed) => boolean): BranchFinding {
  const { ifUsed, echo } = finding
  if (!ifUsed) return finding
  if (!hold(ifUsed)) return echo ? { ...finding, ifUsed: undefined } : finding
  return {
    ...finding,
    ifUsed: undefined,
    echo: false,
    confidence: 'high',
    ...(echo && { reason: 'A request uses it.' }),
  }
}

/** Tells whether all that a finding depends on is so. */
function holds({ ifUsed }: Finding): boolean {
  return ifUsed === undefined
}

/** Values of one setting for several stages belong together; one that stands alone is like any other. */
function byStages(findings: readonly BranchFinding[]): Finding[] {
  const groups = grouped(findings, (each) => (each.byBranch === undefined ? undefined : (each.group ?? '')))
  const choices = new Map([...groups].map(([group, members]) => [group, choiceOf(members)]))
  return findings.flatMap((finding) => {
    const { byBranch, ...each } = finding
    if (byBranch === undefined) return holds(each) ? [each] : []
    const choice = choices.get(each.group ?? '')
    if (!choice) {
      const { group, stage, stages, asks, ...alone } = each
      return byBranch || !holds(each) ? [] : [alone]
    }
    return [{ ...each, ...choice, confidence: 'high' as const, echo: false, ifUsed: undefined }]
  })
}

/** The group of branch values that belong to one setting. */
function choiceOf(members: readonly BranchFinding[]): Pick<Finding, 'kind' | 'reason'> | undefined {
  const [first] = members
  const differ = members.some(({ value, rest }) => value !== first?.value || rest !== first?.rest)
  const isOne = new Set(members.map(({ form }) => form)).size === 1
  const isOnePerStage = new Set(members.map(({ stage }) => stage)).size === members.length
  if (!differ || !isOne || !isOnePerStage || members.some(({ value }) => !isChosen(value ?? ''))) return undefined
  const known = members.find((each) => !each.byBranch && !each.echo && holds(each))
  if (known) return { kind: known.kind, reason: known.reason }
  const kind = members.every((each) => each.kind === 'address') ? 'address' : 'choice'
  return { kind, reason: 'Code chooses it by environment.' }
}

/** Nodes that are literals, or may choose between some. */
const looked: ReadonlySet<string> = new Set([
  'StringLiteral',
  'NumericLiteral',
  'BooleanLiteral',
  'BinaryExpression',
  'TemplateElement',
  'ConditionalExpression',
  'SwitchStatement',
  'IfStatement',
  'VariableDeclaration',
  'ObjectExpression',
  'ArrayExpression',
  'ObjectProperty',
])

/** Of a template's text only the moved part is replaced. */
function movedRange({ form, start, end }: Literal, { value }: Guess): Range {
  return { start, end: form === 'template-text' ? start + value.length : end }
}

function spanOf({ start, end }: Range): Range {
  return { start, end }
}

function formOf({ form }: Literal, parent: Node | undefined): Finding['form'] {
  return form === 'string' && parent?.type === 'JSXAttribute' ? 'markup' : form
}
