/** The parts of an ESTree node that are looked at here. Offsets are in the code that was parsed. */
export interface Node {
  readonly type: string
  readonly start: number
  readonly end: number
  readonly [key: string]: unknown
}

/** Visits every node of a program with those that it is in, the root first. The list is reused. Deep programs do no harm. */
export function eachNode(program: Node, visit: (node: Node, parents: readonly Node[]) => void): void {
  const parents: Node[] = []
  // A node to enter, or undefined where one is left.
  const open: (Node | undefined)[] = [program]
  while (open.length > 0) {
    const node = open.pop()
    if (node === undefined) {
      parents.pop()
      continue
    }
    visit(node, parents)
    parents.push(node)
    open.push(undefined)
    for (const value of Object.values(node).reverse())
      if (Array.isArray(value)) {
        for (let at = value.length - 1; at >= 0; at--) if (isNode(value[at])) open.push(value[at])
      } else if (isNode(value)) open.push(value)
  }
}

export function isNode(value: unknown): value is Node {
  return typeof value === 'object' && value !== null && typeof (value as Node).type === 'string'
}

/** The name of an identifier, or the text of a literal or of a template without expressions. */
export function nodeWord(node: unknown): string | undefined {
  if (!isNode(node)) return undefined
  if (node.type === 'Identifier' || node.type === 'JSXIdentifier') return node.name as string
  if (node.type === 'TemplateLiteral') {
    const [text, ...more] = node.quasis as readonly { value: { cooked: string } }[]
    return more.length === 0 ? text?.value.cooked : undefined
  }
  return typeof node.value === 'string' ? node.value : undefined
}
