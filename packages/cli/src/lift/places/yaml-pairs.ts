import { isMap, isPair, isScalar, isSeq, type Node, type Pair, parseDocument, type YAMLMap } from 'yaml'

/**
 * The text of a YAML file with further pairs in a map (or a list of `NAME=value`) of one of its parts: `environment` of a service. Only
 * their own lines are added. Undefined if the part is not written in block style, which no line fits into.
 */
export function withYamlPairs(
  text: string,
  path: readonly (string | number)[],
  key: string,
  pairs: ReadonlyMap<string, string>,
): string | undefined {
  const document = parseDocument(text)
  const part = document.errors.length === 0 ? document.getIn(path, true) : undefined
  if (!isMap(part) || part.flow === true || part.items.length === 0) return undefined
  const eol = /\r\n/.test(text) ? '\r\n' : '\n'
  const own = part.items.find((each) => isScalar(each.key) && each.key.value === key)
  const items = own?.value
  if (own === undefined) {
    // A map of its own would take the place of one that comes from an anchor.
    if (part.items.some((each) => isScalar(each.key) && each.key.value === '<<')) return undefined
    const indent = columnOf(text, partStart(part))
    const inner = `${' '.repeat(indent)}  `
    const lines = [`${' '.repeat(indent)}${key}:`, ...pairLines(pairs, inner, false)]
    return withLines(text, partEnd(part), lines, eol)
  }
  if (!(isMap(items) || isSeq(items)) || items.flow === true || items.items.length === 0) return undefined
  const indent = ' '.repeat(columnOf(text, isSeq(items) ? dashBefore(text, partStart(items)) : partStart(items)))
  return withLines(text, partEnd(items), pairLines(pairs, indent, isSeq(items)), eol)
}

function pairLines(pairs: ReadonlyMap<string, string>, indent: string, listed: boolean): string[] {
  return [...pairs].map(([name, value]) =>
    listed ? `${indent}- ${JSON.stringify(`${name}=${value}`)}` : `${indent}${name}: ${JSON.stringify(value)}`,
  )
}

/** The text with lines behind the line in which a part ends. */
function withLines(text: string, end: number, lines: readonly string[], eol: string): string {
  const before = text.slice(0, end).trimEnd()
  // A comment on the last line stays on it.
  const rest = /^[^\r\n]*/.exec(text.slice(before.length))?.[0] ?? ''
  const at = before.length + rest.length
  return `${text.slice(0, at)}${eol}${lines.join(eol)}${text.slice(at)}`
}

function partStart(node: YAMLMap | Node): number {
  const first = isMap(node) ? (node.items[0] as Pair | undefined)?.key : node
  return (first as Node | undefined)?.range?.[0] ?? 0
}

/** The end of the last value in a part. */
function partEnd(node: unknown): number {
  if (isMap(node) || isSeq(node)) {
    const last: unknown = node.items.at(-1)
    const inner = isPair(last) ? (last.value ?? last.key) : last
    if (inner !== undefined && inner !== null && node.flow !== true) return partEnd(inner)
  }
  return (node as Node).range?.[1] ?? 0
}

/** The dash of a list's first item; a list's range begins with it. */
function dashBefore(text: string, at: number): number {
  const dash = text.lastIndexOf('-', at)
  return text[at] === '-' ? at : dash
}

function columnOf(text: string, at: number): number {
  return at - (text.lastIndexOf('\n', at - 1) + 1)
}
