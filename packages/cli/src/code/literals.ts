import { isNode, type Node, nodesIn } from './parse.js'

/** Rejects literals that no rule below takes, before looking at their surroundings. */
export function mayBeSetting({ form, text }: Literal): boolean {
  if (form === 'number') return /^[1-9][0-9]{0,8}$/.test(text)
  if (form === 'boolean') return true
  return (text.length > 2 || /^\d\d$/.test(text)) && text.length <= 10_000
}

export interface Literal {
  readonly form: 'string' | 'list' | 'number' | 'boolean' | 'template-text'
  readonly text: string
  readonly start: number
  readonly end: number
  /** True if more follows that is only known when the code runs. */
  readonly goesOn: boolean
}

export function literalOf(node: Node, parent: Node | undefined): Literal | undefined {
  const { start, end } = node
  if (node.type === 'StringLiteral') return { form: 'string', text: node.value as string, start, end, goesOn: false }
  if (node.type === 'NumericLiteral') return { form: 'number', text: String(node.value), start, end, goesOn: false }
  if (node.type === 'BooleanLiteral') return { form: 'boolean', text: String(node.value), start, end, goesOn: false }
  const list = node.type === 'ArrayExpression' ? listedText(node) : undefined
  if (list !== undefined) return { form: 'list', text: list, start, end, goesOn: false }
  const product = productOf(node)
  if (product !== undefined) return { form: 'number', text: String(product), start, end, goesOn: false }
  if (node.type !== 'TemplateElement') return undefined
  const { cooked, raw } = node.value as { cooked?: string; raw: string }
  // Text with escapes cannot be cut by its length.
  if (cooked === undefined || cooked !== raw) return undefined
  // A template without expressions is a string of several lines.
  const whole = parent?.type === 'TemplateLiteral' && (parent.quasis as Node[]).length === 1
  if (whole) return { form: 'string', text: raw, start: parent.start, end: parent.end, goesOn: false }
  return { form: 'template-text', text: raw, start, end, goesOn: !node.tail }
}

/** The texts of a list that holds nothing else, joined with commas as a layer has them; undefined if a layer cannot give them. */
export function listedText(node: unknown): string | undefined {
  if (!isNode(node) || node.type !== 'ArrayExpression') return undefined
  // Most lists hold something else.
  if ((node.elements as (Node | null)[])[0]?.type !== 'StringLiteral') return undefined
  const items = nodesIn(node.elements)
  if (items.length === 0 || items.length > listItemsMax || items.length < (node.elements as unknown[]).length)
    return undefined
  const texts = items.flatMap(({ type, value }) =>
    type === 'StringLiteral' && isListed(String(value)) ? String(value) : [],
  )
  return texts.length === items.length ? texts.join(',') : undefined
}

/** Longer lists are data. Items. */
const listItemsMax = 50

/** Tells whether a layer gives a text back as one item of a list. */
export function isListed(text: string): boolean {
  return text !== '' && text === text.trim() && !/[,"\n\r]|^\[/.test(text)
}

/** The product of literal factors: `15 * 60 * 1000`. */
export function productOf(node: unknown): number | undefined {
  if (!isNode(node) || node.type !== 'BinaryExpression' || node.operator !== '*') return undefined
  const [left, right] = [factorOf(node.left), factorOf(node.right)]
  return left !== undefined && right !== undefined ? left * right : undefined
}

function factorOf(node: unknown): number | undefined {
  return isNode(node) && node.type === 'NumericLiteral' ? (node.value as number) : productOf(node)
}
