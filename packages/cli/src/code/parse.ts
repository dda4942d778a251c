import { type ParserPlugin, parse } from '@babel/parser'
import { pagePartsOf, type RawText, rawTextAt } from './page-parts.js'

/** A file of the project: its path from the root, with slashes, and its text. */
export interface SourceFile {
  readonly path: string
  readonly text: string
}

/** A node of a syntax tree, loosely: what is read of it is checked where it is read. Offsets are into the file's text. */
export interface Node {
  readonly type: string
  readonly start: number
  readonly end: number
  readonly [key: string]: unknown
}

/** A file that could be parsed: its trees, one for each script in it. */
export interface Parsed {
  readonly file: SourceFile
  readonly programs: readonly Node[]
}

/** A file that could not be parsed, and where. Lines and columns count from 1. */
export interface Unparsed {
  readonly file: SourceFile
  readonly line: number
  readonly column: number
}

const scripted = /\.(?:[cm]?[jt]sx?|html?|vue|svelte)$/
/** Programs without an ending, which their first line says what runs: `bin/www`. */
const programPath = /(?:^|\/)(?:bin|scripts?)\/[\w-]+$/

/** Tells whether code is searched for in a file of this name. */
export function holdsCode(path: string): boolean {
  return (scripted.test(path) && !/\.d\.[cm]?ts$|\.min\.[cm]?js$/.test(path)) || programPath.test(path)
}

/** Tells whether a file is one of JavaScript or TypeScript by itself, and not a page's. */
export function isScript(path: string): boolean {
  return /\.[cm]?[jt]sx?$/.test(path) || programPath.test(path)
}

/** Parses JavaScript, TypeScript and JSX, and the scripts in HTML, Vue and Svelte files. */
export function parseFile(file: SourceFile): Parsed | Unparsed {
  const scripts = /\.(?:html?|vue|svelte)$/.test(file.path)
    ? pageScripts(file)
    : [{ text: file.text, start: 0, plugins: pluginsOf(file.path) }]
  const programs: Node[] = []
  // Something else than Node runs it.
  if (programPath.test(file.path) && !/^#!.*\bnode\b/.test(file.text)) return { file, programs }
  for (const { text, start, plugins } of scripts) {
    const program = parseScript(text, start, file, plugins)
    if ('file' in program) return program as Unparsed
    programs.push(program)
  }
  return { file, programs }
}

/** Goes over what a file's code says; code that is nested deeper than the engine's stack reaches counts as not parsed. */
export function overParsed<T>(file: SourceFile, go: (parsed: Parsed) => T): T | Unparsed {
  const parsed = parseFile(file)
  if ('line' in parsed) return parsed
  try {
    return go(parsed)
  } catch (error) {
    if (error instanceof RangeError) return tooDeep(file)
    throw error
  }
}

function tooDeep(file: SourceFile): Unparsed {
  return { file, line: 1, column: 1 }
}

interface PageScript {
  readonly text: string
  readonly start: number
  readonly plugins: ParserPlugin[]
}

function pluginsOf(path: string): ParserPlugin[] {
  if (/\.[cm]?ts$/.test(path)) return ['typescript', 'decorators']
  return path.endsWith('.tsx') ? ['typescript', 'jsx', 'decorators'] : ['jsx', 'decorators']
}

function parseScript(text: string, start: number, file: SourceFile, plugins: ParserPlugin[]): Node | Unparsed {
  try {
    const tree = parse(text, {
      sourceType: 'unambiguous',
      plugins,
      startIndex: start,
      // Positions are in the whole file; lines are computed where one is reported.
      allowReturnOutsideFunction: true,
      allowAwaitOutsideFunction: true,
      allowUndeclaredExports: true,
      allowSuperOutsideMethod: true,
      errorRecovery: true,
      attachComment: false,
    })
    return tree as unknown as Node
  } catch (error) {
    const { pos } = error as { pos?: number }
    if (error instanceof RangeError) return tooDeep(file)
    if (pos === undefined) throw error
    const before = file.text.slice(0, pos)
    const line = before.split('\n').length
    return { file, line, column: pos - before.lastIndexOf('\n') }
  }
}

/** The scripts of a page or a component. Those of a Svelte component are found one by one: its markup is not HTML. */
function pageScripts({ path, text }: SourceFile): PageScript[] {
  const raw = path.endsWith('.svelte') ? svelteScripts(text) : pagePartsOf(text).raw
  return raw.flatMap(({ tag, start, end }) => {
    const word = (name: string) => tag.attributes.find((each) => each.name === name)?.value
    if (tag.name !== 'script' || word('src') !== undefined) return []
    const type = word('type')?.trim().toLowerCase()
    if (type && !/^(?:module|(?:text|application)\/(?:java|ecma)script)$/.test(type)) return []
    const isTyped = /^tsx?$/i.test(word('lang') ?? '')
    return [{ text: text.slice(start, end), start, plugins: isTyped ? ['typescript', 'jsx'] : ['jsx'] }]
  })
}

function svelteScripts(text: string): RawText[] {
  const found: RawText[] = []
  const open = /<script\b/gi
  for (let match = open.exec(text); match; match = open.exec(text)) {
    const element = rawTextAt(text, match.index)
    if (!element) break
    found.push(element)
    open.lastIndex = element.end
  }
  return found
}

const skipped: ReadonlySet<string> = new Set([
  'loc',
  'extra',
  'errors',
  'comments',
  'tokens',
  'leadingComments',
  'trailingComments',
  'innerComments',
])

/** Looks at a node, and at those that it is in, the root first. */
export type Visit = (node: Node, parents: readonly Node[]) => void

/** Members that hold nodes, of the commonest kinds of nodes: most of a tree needs no looking for them. A type says nothing about values. */
const nodeMembers: ReadonlyMap<string, readonly string[]> = new Map(
  Object.entries({
    ArrayExpression: ['elements'],
    ArrowFunctionExpression: ['id', 'params', 'body'],
    AssignmentExpression: ['left', 'right'],
    AssignmentPattern: ['left', 'right'],
    BinaryExpression: ['left', 'right'],
    BlockStatement: ['directives', 'body'],
    BooleanLiteral: [],
    CallExpression: ['callee', 'arguments'],
    ConditionalExpression: ['test', 'consequent', 'alternate'],
    EmptyStatement: [],
    ExpressionStatement: ['expression'],
    FunctionDeclaration: ['id', 'params', 'body'],
    FunctionExpression: ['id', 'params', 'body'],
    Identifier: [],
    IfStatement: ['test', 'consequent', 'alternate'],
    LogicalExpression: ['left', 'right'],
    MemberExpression: ['object', 'property'],
    NewExpression: ['callee', 'arguments'],
    NullLiteral: [],
    NumericLiteral: [],
    ObjectExpression: ['properties'],
    ObjectProperty: ['key', 'value'],
    RegExpLiteral: [],
    ReturnStatement: ['argument'],
    SpreadElement: ['argument'],
    StringLiteral: [],
    Super: [],
    TemplateElement: [],
    TemplateLiteral: ['expressions', 'quasis'],
    ThisExpression: [],
    UnaryExpression: ['argument'],
    VariableDeclaration: ['declarations'],
    VariableDeclarator: ['id', 'init'],
  }),
)

/** Visits every node of a tree, outermost first, with those that it is in: the root first. The list is reused. */
export function walk(root: Node, visit: Visit): void {
  const parents: Node[] = []
  const within = (value: unknown) => {
    if (Array.isArray(value)) {
      for (const each of value) if (isNode(each)) step(each)
    } else if (isNode(value)) step(value)
  }
  const step = (node: Node) => {
    visit(node, parents)
    const members = nodeMembers.get(node.type)
    if (members?.length === 0) return
    parents.push(node)
    if (members) {
      for (const member of members) within(node[member])
    } else {
      const keys = Object.keys(node)
      // A node's kind and place come first, and hold no node.
      for (let at = keys[3] === 'loc' ? 4 : 0; at < keys.length; at++) {
        const key = keys[at] as string
        const value = node[key]
        // Most members are texts and numbers, and some repeat what is in the tree.
        if (typeof value === 'object' && value !== null && !skipped.has(key)) within(value)
      }
    }
    parents.pop()
  }
  step(root)
}

export function isNode(value: unknown): value is Node {
  return typeof value === 'object' && value !== null && typeof (value as Node).type === 'string'
}

/** The same answer for the same node, computed once: a table of thousands of members is asked about for each of them. */
export function oncePerNode<T>(answer: (node: Node) => T): (node: Node) => T {
  const known = new WeakMap<Node, { readonly answer: T }>()
  return (node) => {
    const found = known.get(node) ?? { answer: answer(node) }
    known.set(node, found)
    return found.answer
  }
}

/** The nodes of a list, which may hold gaps. */
export function nodesIn(list: unknown): Node[] {
  return Array.isArray(list) ? list.filter(isNode) : []
}

/** The range of an expression with the brackets around it, if there are any. */
export function withBrackets(
  { start, end, extra }: Node,
  text: string,
): { readonly start: number; readonly end: number } {
  const { parenthesized, parenStart } = (extra ?? {}) as { parenthesized?: boolean; parenStart?: number }
  const close = parenthesized && parenStart !== undefined ? /^\s*\)/.exec(text.slice(end, end + 100)) : null
  return close && parenStart !== undefined ? { start: parenStart, end: end + close[0].length } : { start, end }
}
