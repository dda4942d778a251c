import { choiceAt, type GuessedChoice } from './choices.js'
import { type Context, contextOf } from './context.js'
import { type Guess, guessNumber, guessText } from './guess.js'
import { type Literal, literalOf, mayBeSetting } from './literals.js'
import type { Node, SourceFile, Visit } from './parse.js'
import type { VariableUse } from './variables.js'

export type Kind = 'credential' | 'address' | 'connection' | 'host' | 'port' | 'mail' | 'phone' | 'variable'
export type Confidence = 'high' | 'medium' | 'low'

/** A place where a setting or a key stands, or is read. Offsets are into the file's text, `[start, end)`. */
export interface Finding {
  readonly path: string
  readonly kind: Kind
  /** The whole literal, or the part of a template's text that is moved, or the whole expression that gives the value. */
  readonly start: number
  readonly end: number
  /** How it is written there, so that it can be replaced; `script` and `container` stand in files that are not code. */
  readonly form: 'string' | 'number' | 'template-text' | 'markup' | 'expression' | 'pattern' | 'script' | 'container'
  /** What goes into a layer; undefined if nothing is known of it here. */
  readonly value: string | undefined
  /** The stage that the value is for, if it is not for all. */
  readonly stage?: string | undefined
  /** Further values of single stages, where code chooses by environment. */
  readonly stages?: Readonly<Record<string, string>>
  /** What code asks for its environment where it chooses by it. */
  readonly asks?: string | undefined
  /** Findings of one group are one setting, whatever their values are. */
  readonly group?: string | undefined
  /** The name that the setting has already: a variable's. */
  readonly variable?: VariableUse
  /** What stays in code in front of it (`Bearer `) and behind it: an address keeps its path. */
  readonly lead: string
  readonly rest: string
  /** Code to put in front of what is read and behind it. */
  readonly frame?: readonly [string, string]
  /** What is to be removed besides. */
  readonly dropped?: readonly Range[]
  /** Where its values are written. */
  readonly literals: readonly Range[]
  /** Whether it counts only beside others of the same value: nothing but that value speaks for it. */
  readonly echo: boolean
  /** Whether its file is one of those that each give a stage its values. */
  readonly ofStage?: boolean
  /** Whether its file runs in a page. */
  readonly page?: boolean
  /** Whether a comment says that it stays in code. */
  readonly kept: boolean
  /** Where it starts; both count from 1. */
  readonly line: number
  readonly column: number
  /** The words of the name that it is given to, and of what it is a part of. */
  readonly words: readonly string[]
  readonly outer: readonly string[]
  readonly confidence: Confidence
  /** Why it was found: a sentence that does not repeat it. */
  readonly reason: string
}

export interface Range {
  readonly start: number
  readonly end: number
}

const keepComment = /\/[/*] ?mappa keep: ?\S/
const doubts =
  /change (?:this|me)|make (?:this )?configurable|todo.*(?:config|env|setting)|hard-?coded|move (?:this )?to (?:the )?(?:config|env)/i

/**
 * Files whose values are made up for a purpose: tests, fixtures, stories; and the settings of tools, which are read
 * where the application's own values need not be there.
 */
export function isTestFile(path: string): boolean {
  return /(?:^|\/)(?:tests?|__tests__|__mocks__|fixtures?|spec|specs|e2e|mocks?|stories|cypress|testdata)\/|\.(?:test|spec|stories|fixture|mock|bench|config)\.[^/]+$/.test(
    path,
  )
}

/** Collects the settings and keys among the literals of a file, as its trees are visited. */
export function findingsIn(file: SourceFile): {
  readonly visit: Visit
  /** What was found, but for literals that belong to something else. */
  readonly findings: (others: ReadonlySet<Node>) => readonly Finding[]
} {
  const { path, text } = file
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
    const guess = literal.form === 'number' ? guessNumber(node.value as number, context) : guessText(literal, context)
    if (guess) add(node, rangeOf(literal, guess), formOf(literal, parent), guess, context)
  }
  return {
    visit: isTestFile(path) ? () => {} : visit,
    findings: (others) => findings.filter(({ node }) => !others.has(node)).map(({ finding }) => finding),
  }
}

/** Nodes that are literals, or may choose between some. */
const looked: ReadonlySet<string> = new Set([
  'StringLiteral',
  'NumericLiteral',
  'TemplateElement',
  'ConditionalExpression',
  'SwitchStatement',
  'IfStatement',
  'ObjectExpression',
])

/** Of a template's text only the moved part is replaced. */
function rangeOf({ form, start, end }: Literal, { value }: Guess): Range {
  return { start, end: form === 'template-text' ? start + value.length : end }
}

function spanOf({ start, end }: Range): Range {
  return { start, end }
}

function formOf({ form }: Literal, parent: Node | undefined): Finding['form'] {
  return form === 'string' && parent?.type === 'JSXAttribute' ? 'markup' : form
}

/**
 * Where an offset is, and what comments say of it.
 * Called only for what was found: in a file of one long line, looking round each literal would take for ever.
 */
export function placeIn(text: string, at: number) {
  const around = linesAround(text, at)
  return {
    around,
    kept: keepComment.test(around),
    line: text.slice(0, at).split('\n').length,
    column: at - text.lastIndexOf('\n', at - 1),
  }
}

/** The line of an offset and the one above it, for comments. */
function linesAround(text: string, at: number): string {
  const start = text.lastIndexOf('\n', at - 1)
  const before = start <= 0 ? 0 : text.lastIndexOf('\n', start - 1) + 1
  const end = text.indexOf('\n', at)
  const above = text.slice(before, Math.max(start, 0))
  // A line of code above has comments of its own.
  const comment = /^\s*(?:\/\/|\/\*|\*)/.test(above) ? above : ''
  return `${comment}\n${text.slice(start + 1, end < 0 ? text.length : end)}`
}
