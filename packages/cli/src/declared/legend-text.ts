import { type Node, nodesIn, parseFile, walk } from '../lift/read/parse.js'

/** What a legend's text plainly says: each variable with what it is for, and the stages of its own. */
export interface Declared {
  readonly variables: readonly (readonly [name: string, about: string])[]
  readonly stages: readonly string[]
}

/** Reads a legend without running it, so that what it takes from elsewhere is not seen. */
export function declaredIn(path: string, text: string): Declared {
  return path.endsWith('.json') ? declaredInJson(text) : declaredInCode(path, text)
}

function declaredInJson(text: string): Declared {
  try {
    const { properties = {}, 'x-mappa-stages': stages = [] } = JSON.parse(text) as Record<string, never>
    const described = Object.entries(properties as Record<string, { description?: string }>)
    const variables = described.map(([name, entry]) => [name, String(entry?.description ?? '')] as const)
    return { variables, stages: Array.isArray(stages) ? (stages as unknown[]).map(String) : [] }
  } catch {
    return { variables: [], stages: [] }
  }
}

function declaredInCode(path: string, text: string): Declared {
  const [entries, options] = legendArguments(path, text)
  const stages = membersOf(options).find(({ name }) => name === 'stages')?.value
  return {
    variables: membersOf(entries).map(({ name, value, start }) => {
      const word = membersOf(value).find((member) => member.name === 'description')?.value
      return [name, textsIn(word)[0] ?? commentBefore(text, start)]
    }),
    stages: nodesIn(stages?.elements).flatMap(textsIn),
  }
}

function membersOf(node: Node | undefined): { name: string; value: Node; start: number }[] {
  return nodesIn(node?.properties).flatMap(({ key, value, start }) => {
    const { name, value: quoted } = (key ?? {}) as { name?: string; value?: string }
    const member = name ?? quoted
    return member === undefined ? [] : [{ name: member, value: value as Node, start }]
  })
}

function textsIn(node: Node | undefined): string[] {
  return typeof node?.value === 'string' ? [node.value] : []
}

/** The documentation comment that ends where something starts, as one line, up to its first tag; empty if there is none. */
function commentBefore(text: string, start: number): string {
  const before = text.slice(0, start).trimEnd()
  if (!before.endsWith('*/')) return ''
  const open = before.lastIndexOf('/**')
  const comment = open < 0 ? '' : before.slice(open + 3, -2)
  if (comment.includes('*/')) return ''
  const lines = comment.split(/\r?\n/).map((line) => line.replace(/^\s*\*/, '').trim())
  const tag = lines.findIndex((line) => line.startsWith('@'))
  return lines
    .slice(0, tag < 0 ? undefined : tag)
    .join(' ')
    .replace(/\s+/g, ' ')
    .trim()
}

/** What the first call of `legend` in a legend's code is given. */
export function legendArguments(path: string, text: string): readonly Node[] {
  const parsed = parseFile({ path, text })
  let found: readonly Node[] | undefined
  for (const program of 'programs' in parsed ? parsed.programs : [])
    walk(program, (node) => {
      const callee = node.type === 'CallExpression' ? (node.callee as Node) : undefined
      // legend(…), or require('mappa').legend(…)
      const called = callee?.type === 'MemberExpression' ? (callee.property as Node) : callee
      if (called?.type === 'Identifier' && called.name === 'legend') found ??= nodesIn(node.arguments)
    })
  return found ?? []
}
