import { parseExpression } from '@babel/parser'
import { entriesOf, type Legend } from 'mappa'
import { type Node, nodesIn, overParsed, walk } from '../code/parse.js'

/** Facts that the text of a legend plainly states: variables with descriptions, and its own stages. */
export interface Declared {
  readonly variables: readonly (readonly [name: string, about: string])[]
  readonly stages: readonly string[]
}

/** Places of variables in a legend's text. Lines count from 1, columns from 0. */
export type LegendPlaces = ReadonlyMap<string, { readonly line: number; readonly column: number }>

/** Reads a legend without running it, so that what it takes from elsewhere is not seen. */
export function declaredIn(path: string, text: string): Declared {
  return path.endsWith('.json') ? declaredInJson(text) : declaredInCode(path, text)
}

function declaredInJson(text: string): Declared {
  try {
    const { properties = {}, 'x-mappa-stages': stages = [] } = JSON.parse(text) as Record<string, never>
    const described = Object.entries(properties as Record<string, { description?: string }>)
    const variables = described.map(([name, entry]) => [name, String(entry?.description ?? '')] as const)
    return { variables, stages: (Array.isArray(stages) ? stages : Object.keys(stages)).map(String) }
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
    stages: [...nodesIn(stages?.elements).flatMap(textsIn), ...membersOf(stages).map(({ name }) => name)],
  }
}

/** A legend in which an entry without a description has what the comment above it in the legend's text says. */
export function withComments(definition: Legend, path: string, text: string): Legend {
  const comments = new Map(declaredIn(path, text).variables)
  const filled = Object.entries(entriesOf(definition)).map(([name, entry]) => {
    const description = entry.description ?? comments.get(name)
    return [name, description ? { ...entry, description } : entry]
  })
  return { ...definition, entries: Object.fromEntries(filled) as Legend['entries'] }
}

/** Finds where a legend names its variables; those that it takes from elsewhere have no place in it. */
export function placesIn(path: string, text: string): LegendPlaces {
  const starts = membersOf(path.endsWith('.json') ? jsonEntries(text) : legendArguments(path, text)[0]).map(
    ({ name, keyStart }) => {
      const before = text.slice(0, keyStart).split('\n')
      return [name, { line: before.length, column: (before.at(-1) as string).length }] as const
    },
  )
  return new Map(starts)
}

/** Finds where a legend writes an entry's word, or else its name: lines and columns from 1. */
export function spotIn(
  path: string,
  text: string,
  name: string,
  word: string | undefined,
): { readonly line: number; readonly column: number; readonly endColumn: number } | undefined {
  const entries = membersOf(path.endsWith('.json') ? jsonEntries(text) : legendArguments(path, text)[0])
  const entry = entries.find((each) => each.name === name)
  if (!entry) return undefined
  const own = membersOf(entry.value).find((each) => each.name === word || each.name === `x-mappa-${word}`)
  const { keyStart, name: shown } = own ?? entry
  const before = text.slice(0, keyStart).split('\n')
  const column = (before.at(-1) as string).length + 1
  return { line: before.length, column, endColumn: column + shown.length }
}

function jsonEntries(text: string): Node | undefined {
  try {
    const document = parseExpression(text) as unknown as Node
    return membersOf(document).find(({ name }) => name === 'properties')?.value
  } catch {
    return undefined
  }
}

/** The members of an object in code; `keyStart` is where the name itself starts, behind its quote if it has one. */
export function membersOf(node: Node | undefined): { name: string; value: Node; start: number; keyStart: number }[] {
  return nodesIn(node?.properties).flatMap(({ key, value, start }) => {
    const {
      name,
      value: quoted,
      start: keyStart = start,
    } = (key ?? {}) as Partial<Record<'name' | 'value', string>> & {
      start?: number
    }
    const member = name ?? quoted
    if (member === undefined) return []
    return [{ name: member, value: value as Node, start, keyStart: keyStart + (name === undefined ? 1 : 0) }]
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

/** Arguments of the first call of `legend` in a legend's code. */
export function legendArguments(path: string, text: string): readonly Node[] {
  let found: readonly Node[] | undefined
  overParsed({ path, text }, ({ programs }) => {
    for (const program of programs)
      walk(program, (node) => {
        const callee = node.type === 'CallExpression' ? (node.callee as Node) : undefined
        // legend(…), or require('mappa').legend(…)
        const called = callee?.type === 'MemberExpression' ? (callee.property as Node) : callee
        if (called?.type === 'Identifier' && called.name === 'legend') found ??= nodesIn(node.arguments)
      })
  })
  return found ?? []
}

/** Objects of a text whose members say their types: entries that a legend is spread from. */
export function objectsOfEntries(path: string, text: string): readonly Node[] {
  const found: Node[] = []
  overParsed({ path, text }, ({ programs }) => {
    for (const program of programs)
      walk(program, (node) => {
        if (node.type !== 'ObjectExpression') return
        const members = membersOf(node)
        const isEntry = ({ value }: { value: Node }) => membersOf(value).some(({ name }) => name === 'type')
        if (members.length > 0 && members.every(isEntry)) found.push(node)
      })
  })
  return found
}

/** The files that a legend's text imports by relative paths, as they are written. */
export function importsIn(path: string, text: string): readonly string[] {
  const found: string[] = []
  overParsed({ path, text }, ({ programs }) => {
    for (const program of programs)
      walk(program, (node) => {
        const source =
          node.type === 'ImportDeclaration' || /^Export(?:Named|All)Declaration$/.test(node.type)
            ? node.source
            : undefined
        const [first] =
          node.type === 'CallExpression' && (node.callee as Node).name === 'require' ? nodesIn(node.arguments) : []
        const from = ((source as Node | undefined) ?? first)?.value
        if (typeof from === 'string' && from.startsWith('.')) found.push(from)
      })
  })
  return found
}
