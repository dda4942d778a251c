import { legendArguments } from '../lift/edit-legend.js'
import { type Node, nodesIn } from '../lift/parse.js'

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
  const members = (node: Node | undefined) =>
    nodesIn(node?.properties).flatMap(({ key, value }) => {
      const { name, value: quoted } = (key ?? {}) as { name?: string; value?: string }
      const member = name ?? quoted
      return member === undefined ? [] : [[member, value as Node] as const]
    })
  const texts = (node: Node | undefined): string[] => (typeof node?.value === 'string' ? [node.value] : [])
  const stages = members(options).find(([name]) => name === 'stages')?.[1]
  return {
    variables: members(entries).map(([name, entry]) => {
      const about = members(entry).find(([word]) => word === 'description')?.[1]
      return [name, texts(about)[0] ?? '']
    }),
    stages: nodesIn(stages?.elements).flatMap(texts),
  }
}
