import type { Finding, Range } from '../finding.js'
import { type Context, contextOf } from '../read/context.js'
import { type Literal, literalOf, mayBeSetting } from '../read/literals.js'
import type { Node, SourceFile, Visit } from '../read/parse.js'
import { placeIn } from '../read/place.js'
import { isTestFile } from '../read/test-files.js'
import { choiceAt, type GuessedChoice } from './choices.js'
import { type Guess, guessOf } from './guess.js'
import { usesIn } from './uses.js'

const doubts =
  /change (?:this|me)|make (?:this )?configurable|todo.*(?:config|env|setting)|hard-?coded|move (?:this )?to (?:the )?(?:config|env)/i

/** What a comment says of a key that a page may show. */
const openly = /\/[/*].*\b(?:public|publishable|restricted|limited to)\b/i

/** Collects the settings and keys among the literals of a file, as its trees are visited. */
export function findingsIn(file: SourceFile): {
  readonly visit: Visit
  /** What was found, but for literals that belong to something else. */
  readonly findings: (others: ReadonlySet<Node>) => readonly Finding[]
} {
  const { path, text } = file
  const uses = usesIn()
  const findings: { readonly node: Node; readonly finding: Finding }[] = []
  const add = (
    node: Node,
    range: Range,
    form: Finding['form'],
    guess: Guess,
    context: Context,
    more: Partial<Finding> = {},
  ) => {
    const place = placeIn(text, range.start)
    const raised = guess.confidence !== 'high' && doubts.test(place.around)
    const { start, end } = range
    const finding: Finding = {
      ...{ path, start, end, form, lead: '', rest: '', echo: false, literals: [spanOf(node)] },
      ...{ kept: place.kept, line: place.line, column: place.column },
      // Code keeps what marks the place for as long as there is no value.
      ...(guess.placeholder && { frame: ['(', ` ?? ${text.slice(start, end)})`] as const }),
      ...(openly.test(place.around) && { openly: true }),
      ...guess,
      words: context.words,
      outer: context.outer,
      ...more,
      ...(raised && {
        confidence: 'high' as const,
        reason: `${guess.reason} A comment beside it asks for it to be made configurable.`,
      }),
    }
    findings.push({ node, finding })
  }
  const taken = new Set<Node>()
  const addChoice = ({ whole, arms, form, guesses, context, asks }: GuessedChoice) => {
    for (const { node } of arms) taken.add(node)
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
    })
  }
  const visit: Visit = (node, parents) => {
    // First what costs little: every node of a project comes by.
    uses.visit(node, parents)
    if (!looked.has(node.type) || taken.has(node)) return
    const choice = choiceAt(node, parents, text)
    if (choice) return addChoice(choice)
    const parent = parents.at(-1)
    const literal = literalOf(node, parent)
    if (!literal || !mayBeSetting(literal) || taken.has(parent as Node)) return
    // What a tag makes of a template is its own business.
    if (parents.at(-2)?.type === 'TaggedTemplateExpression') return
    const context = contextOf(
      node.type === 'TemplateElement' ? (parent as Node) : node,
      // A template's first text is used as the template is; a later one is a part of something.
      node.type === 'TemplateElement' ? parents.slice(0, -1) : parents,
    )
    if (context.fixed || context.compared) return
    const guess = guessOf(literal, context)
    if (guess) add(node, movedRange(literal, guess), formOf(literal, parent), guess, context)
  }
  return {
    visit: isTestFile(path) ? () => {} : visit,
    findings: (others) =>
      findings
        .filter(({ node, finding }) => !others.has(node) && uses.hold(finding.ifUsed))
        .map(({ finding }) => finding),
  }
}

/** Nodes that are literals, or may choose between some. */
const looked: ReadonlySet<string> = new Set([
  'StringLiteral',
  'NumericLiteral',
  'BooleanLiteral',
  'TemplateElement',
  'ConditionalExpression',
  'SwitchStatement',
  'IfStatement',
  'ObjectExpression',
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
