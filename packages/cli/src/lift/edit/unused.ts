import MagicString from 'magic-string'
import { isNode, isScript, type Node, nodesIn, overParsed, type Parsed, walk } from '../../code/parse.js'
import { lineOf } from '../../code/place.js'
import { identifierIn } from '../../code/reads.js'

/**
 * The text of a file without what only served the moved code: declarations and imports that were used before and are not now, and
 * choices between two equal settings. `isStill` tells of a module that loading it does nothing else.
 */
export function withoutUnused(
  path: string,
  before: string,
  after: string,
  isStill: (source: string) => boolean,
): string {
  // A template of Vue or Svelte uses names that its script does not.
  if (!isScript(path)) return after
  const used = nameCounts(path, before)
  if (!used) return after
  let text = after
  for (let round = 0; round < roundsMax; round++) {
    const next = overParsed({ path, text }, (parsed) => withoutOnce(parsed, used, isStill))
    if (typeof next !== 'string' || next === text) return text
    text = next
  }
  return text
}

/** What is unused may have been the only use of something else, and so on. */
const roundsMax = 8

/** How often each name stands in a file, apart from members and keys; undefined if it cannot be parsed. */
function nameCounts(path: string, text: string): ReadonlyMap<string, number> | undefined {
  const counts = overParsed({ path, text }, countNames)
  return counts instanceof Map ? counts : undefined
}

function countNames({ programs }: Parsed): Map<string, number> {
  const counts = new Map<string, number>()
  for (const program of programs)
    walk(program, (node, parents) => {
      if (!/^(?:JSX)?Identifier$/.test(node.type)) return
      const parent = parents.at(-1)
      const isMember = /MemberExpression$/.test(parent?.type ?? '') && parent?.property === node && !parent?.computed
      const isKey = /^(?:Object|Class)(?:Property|Method)$/.test(parent?.type ?? '') && parent?.key === node
      if (isMember || (isKey && !parent?.computed && parent?.shorthand !== true)) return
      // An import of one name has it twice at one place.
      if (parent?.type === 'ImportSpecifier' && parent.imported === node) return
      const name = String(node.name)
      counts.set(name, (counts.get(name) ?? 0) + 1)
    })
  return counts
}

function withoutOnce(parsed: Parsed, used: ReadonlyMap<string, number>, isStill: (source: string) => boolean): string {
  const { file, programs } = parsed
  const code = new MagicString(file.text)
  const now = countNames(parsed)
  const isUnused = (id: unknown) => {
    const name = identifierIn(id) ?? ''
    // A shorthand key stands for two.
    return now.get(name) === 1 && (used.get(name) ?? 0) > 1
  }
  const removed: Node[] = []
  const remove = (node: Node) => {
    if (removed.some(({ start, end }) => start <= node.start && node.end <= end)) return
    removed.push(node)
    const { start, end } = lineOf(node, file.text)
    const blanks = end === node.end ? (/^[ \t]*/.exec(file.text.slice(end))?.[0].length ?? 0) : 0
    code.remove(start, end + blanks)
  }
  for (const program of programs)
    walk(program, (node, parents) => {
      const parent = parents.at(-1)
      const isExported = /^Export/.test(parent?.type ?? '')
      if (node.type === 'ConditionalExpression') {
        const [one, other] = [textAt(file.text, node.consequent), textAt(file.text, node.alternate)]
        if (one === other && /^(?:\[\.\.\.)?(?:settings|mappaSettings)\.[A-Z_0-9]+\]?$/.test(one) && isQuiet(node.test))
          code.overwrite(node.start, node.end, one)
      }
      if (isExported) return
      if (node.type === 'FunctionDeclaration' && isUnused(node.id)) remove(node)
      if (node.type === 'VariableDeclaration' && !/^For/.test(parent?.type ?? '')) removeDeclarators(node)
      if (node.type === 'ImportDeclaration') removeImported(node)
    })
  return code.toString()

  function removeDeclarators(node: Node) {
    const declarators = nodesIn(node.declarations)
    const open = declarators.filter(
      ({ id, init }) =>
        isUnused(id) && isQuiet(init) && !/\b(?:settings|mappaSettings)\b/.test(textAt(file.text, init)),
    )
    if (open.length === declarators.length) remove(node)
    else for (const each of open) removeItem(code, declarators, each)
  }

  function removeImported(node: Node) {
    const specifiers = nodesIn(node.specifiers)
    const open = specifiers.filter(({ local }) => isUnused(local))
    const source = String((node.source as Node).value)
    // A compiler leaves out an import of which nothing is used.
    const isLeftOut = /\.[cm]?tsx?$/.test(file.path)
    if (open.length === 0) return
    if (open.length === specifiers.length) {
      if (isStill(source) || isLeftOut) remove(node)
    } else if (specifiers.every(({ type }) => type === 'ImportSpecifier'))
      for (const each of open) removeItem(code, specifiers, each)
  }
}

/** Removes one of several items with its comma. */
function removeItem(code: MagicString, items: readonly Node[], item: Node) {
  const at = items.indexOf(item)
  const [before, next] = [items[at - 1], items[at + 1]]
  if (next) code.remove(item.start, next.start)
  else if (before) code.remove(before.end, item.end)
}

/** Tells whether a module does nothing when it is loaded but give names: its text. */
export function isStillModule(path: string, text: string): boolean {
  const still = overParsed({ path, text }, ({ programs }) =>
    programs
      .flatMap((file) => nodesIn((file.program as Node | undefined)?.body))
      .every((node) => {
        const own = node.type === 'ExportNamedDeclaration' && isNode(node.declaration) ? node.declaration : node
        if (own.type === 'VariableDeclaration') return nodesIn(own.declarations).every(({ init }) => isQuiet(init))
        if (own.type === 'ExportDefaultDeclaration') return isQuiet(own.declaration)
        return /^(?:FunctionDeclaration|TS(?:Interface|TypeAlias)Declaration|ExportNamedDeclaration)$/.test(own.type)
      }),
  )
  return still === true
}

function textAt(text: string, node: unknown): string {
  return isNode(node) ? text.slice(node.start, node.end) : ''
}

/** Methods that only give a value. */
const quietCalls =
  /^(?:trim|toLowerCase|toUpperCase|includes|startsWith|endsWith|split|indexOf|test|Number|String|Boolean|parseInt|parseFloat|isNaN)$/

/** Tells whether nothing but a value comes of an expression. */
function isQuiet(node: unknown): boolean {
  if (!isNode(node)) return node === null || node === undefined
  if (/Literal$|^Identifier$|^MetaProperty$|^(?:ArrowFunction|Function)Expression$|^TemplateElement$/.test(node.type))
    return true
  if (/^(?:Optional)?CallExpression$/.test(node.type)) {
    const { callee } = node
    const name = isNode(callee) ? (identifierIn(callee.property) ?? identifierIn(callee)) : undefined
    const on = isNode(callee) && isNode(callee.object) ? isQuiet(callee.object) : true
    return quietCalls.test(name ?? '') && on && nodesIn(node.arguments).every(isQuiet)
  }
  if (!quietNodes.test(node.type) || (node.type === 'UnaryExpression' && node.operator === 'delete')) return false
  return Object.values(node).every((value) =>
    Array.isArray(value)
      ? nodesIn(value).every(isQuiet)
      : !isNode(value) || /^TS\w*(?:Type|Keyword|Reference)/.test(value.type) || isQuiet(value),
  )
}

const quietNodes =
  /^(?:(?:Optional)?Member|Binary|Logical|Unary|Conditional|Object|Array|TSAs|TSSatisfies|TSNonNull|Parenthesized)Expression$|^(?:ObjectProperty|TemplateLiteral)$/
