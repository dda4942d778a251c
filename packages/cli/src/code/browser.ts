import { lastName } from './context.js'
import { grouped } from './grouped.js'
import { pagePartsOf } from './page-parts.js'
import { isNode, type Node, nodesIn, type SourceFile, type Visit, walk } from './parse.js'
import { isTestFile } from './test-files.js'

/** Imports of a file, and its characters of running only in a page or only on a server. */
export interface Standing {
  readonly path: string
  readonly imports: readonly string[]
  readonly browser: boolean
  readonly server: boolean
}

const pageGlobals = new Set([
  'window',
  'document',
  'localStorage',
  'sessionStorage',
  'navigator',
  'customElements',
  'requestAnimationFrame',
  'self',
  'importScripts',
  'chrome',
  'indexedDB',
])
const serverPackages =
  /^(?:node:|fs$|path$|http$|https$|net$|os$|child_process$|crypto$|cluster$|worker_threads$|express$|fastify$|koa$|hono|@hono\/|pg$|mysql2?$|mongodb$|mongoose$|redis$|ioredis$|nodemailer$|amqplib$|ws$)/

/** Collects where a file stands, as far as it tells itself, as its trees are visited. */
export function standingIn({ path, text }: SourceFile): { readonly visit: Visit; readonly standing: () => Standing } {
  const imports: string[] = []
  let browser = /\.(?:html?|vue|svelte)$/.test(path)
  let server = false
  const used = new Set<string>()
  const own = new Set<string>()
  if (/\.html?$/.test(path))
    for (const { name, attributes } of pagePartsOf(text).tags) {
      const source = name === 'script' ? attributes.find((each) => each.name === 'src')?.value : undefined
      if (source) imports.push(`./${source.replace(/^\.?\//, '')}`)
    }
  const visit: Visit = (node, parents) => {
    const source = sourceOf(node)
    if (source !== undefined) {
      // As a text of its own: a piece would keep the whole file in memory.
      imports.push(JSON.parse(JSON.stringify(source)))
      server ||= serverPackages.test(source)
    } else if (!browser && node.type === 'MetaProperty') {
      // Only bundlers of pages put something there.
      const parent = parents.at(-1)
      browser = parent !== undefined && lastName(parent) === 'env'
    } else if (node.type === 'Identifier' && pageGlobals.has(node.name as string)) {
      const parent = parents.at(-1)
      // A name of the file's own: a database has documents, too.
      if (parent && givesName(parent, node)) own.add(node.name as string)
      const isProperty = parent !== undefined && 'property' in parent && parent.property === node && !parent.computed
      const isKey = parent?.type === 'ObjectProperty' && parent.key === node
      if (!isProperty && !isKey && !parent?.type.startsWith('TS')) used.add(node.name as string)
    }
  }
  const isBrowser = () => browser || [...used].some((name) => !own.has(name))
  return { visit, standing: () => ({ path, imports, browser: isBrowser(), server }) }
}

/** Tells whether a node gives a name to something: a variable, a parameter, an import, or what is taken apart. */
function givesName(parent: Node, node: Node): boolean {
  if (parent.type === 'VariableDeclarator') return parent.id === node
  if (/^Import.*Specifier$|^AssignmentPattern$|^ArrayPattern$|^RestElement$/.test(parent.type)) return true
  return /Function|Method/.test(parent.type) && Array.isArray(parent.params) && parent.params.includes(node)
}

const importing: ReadonlySet<string> = new Set([
  'ImportDeclaration',
  'ExportNamedDeclaration',
  'ExportAllDeclaration',
  'ImportExpression',
])

function sourceOf(node: Node): string | undefined {
  if (node.type !== 'CallExpression' && !importing.has(node.type)) return undefined
  const isImport = importing.has(node.type)
  const callee = node.type === 'CallExpression' ? (node.callee as Node) : undefined
  const called = callee?.type === 'Import' || (callee?.type === 'Identifier' && callee.name === 'require')
  const source = isImport ? node.source : called ? (node.arguments as Node[])[0] : undefined
  return (source as Node | undefined)?.type === 'StringLiteral' ? ((source as Node).value as string) : undefined
}

/** Aliases in front of the paths from the root that they stand for: `@/` for `src/`. */
export type Aliases = readonly (readonly [alias: string, path: string])[]

/** Tells whether a file of this name may tell a bundler aliases. */
export function isBundlerConfig(path: string): boolean {
  return /^[\w-]+(?:\.[\w-]+)*\.config\.[cm]?[jt]s$/.test(path)
}

/** Collects the aliases that a bundler's configuration gives, as its tree is visited: an object of them, or a list of pairs. */
export function bundlerAliases(): { readonly visit: Visit; readonly aliases: Aliases } {
  const aliases: [string, string][] = []
  const add = (alias: unknown, target: unknown) => {
    const path = pathTexts(target)
      .join('/')
      .replace(/^(?:\.?\/)+/, '')
    if (typeof alias === 'string' && alias !== '' && !path.includes('..')) aliases.push([alias, path])
  }
  const visit: Visit = (node) => {
    if (node.type !== 'ObjectProperty' || lastName(node.key) !== 'alias') return
    const { properties, elements } = node.value as Node
    for (const each of nodesIn(properties)) add(lastName(each.key) ?? (each.key as Node | undefined)?.value, each.value)
    for (const { properties: pair } of nodesIn(elements)) {
      const member = (name: string) =>
        nodesIn(pair).find(({ key }) => lastName(key) === name)?.value as Node | undefined
      add(member('find')?.value, member('replacement'))
    }
  }
  return { visit, aliases }
}

/** The texts of an expression, in their order: a path is resolved of them. */
function pathTexts(value: unknown): string[] {
  const texts: string[] = []
  if (isNode(value)) walk(value, (node) => void (node.type === 'StringLiteral' && texts.push(String(node.value))))
  return texts
}

/**
 * The files that run in a page: what pages load, what uses what only a page has, and what lies beside it in its folder; not
 * what uses what only a server has.
 */
export function browserFiles(standings: readonly Standing[], aliases: Aliases = []): ReadonlySet<string> {
  const byPath = new Map(standings.map((each) => [each.path, each]))
  const found = new Set<string>()
  const open = standings.filter(({ browser, server }) => browser && !server)
  while (open.length > 0) {
    const { path, imports } = open.pop() as Standing
    if (found.has(path)) continue
    found.add(path)
    for (const source of imports) {
      const target = resolved(path, source, byPath, aliases)
      if (target && !target.server) open.push(target)
    }
  }
  // In a folder of a page's sources, what nothing imports is not a server's.
  const folders = grouped(standings, ({ path }) => /^([^/]+)\//.exec(path)?.[1])
  const hasPages = standings.some(({ path }) => /\.(?:html?|vue|svelte|[jt]sx)$/.test(path))
  for (const own of folders.values())
    if (hasPages && own.some(({ path }) => found.has(path)) && !own.some(({ server }) => server))
      for (const { path } of own) found.add(path)
  return found
}

/** A folder whose files are copied elsewhere, rather than run here. */
const templateFolder = /^(?:.*\/)?(?:templates?|_templates|skeletons?|scaffold(?:s|ing)?|boilerplates?|blueprints?)\//

/** Folders of templates, those from which nothing outside imports: generators copy them into other projects. */
export function templateFolders(standings: readonly Standing[]): readonly string[] {
  const byPath = new Map(standings.map((each) => [each.path, each]))
  const folders = new Set(standings.flatMap(({ path }) => templateFolder.exec(path)?.[0] ?? []))
  // A test of a template does not make it run here.
  for (const { path, imports } of standings)
    for (const source of isTestFile(path) ? [] : imports) {
      const target = resolved(path, source, byPath, [])
      const folder = target && templateFolder.exec(target.path)?.[0]
      if (folder !== undefined && !path.startsWith(folder)) folders.delete(folder)
    }
  return [...folders]
}

/** The file of the project that an import leads to, by its path or by an alias; undefined for a package's. */
function resolved(
  from: string,
  source: string,
  byPath: ReadonlyMap<string, Standing>,
  aliases: Aliases,
): Standing | undefined {
  if (source.startsWith('.')) return fileAt([...from.split('/').slice(0, -1), ...source.split('/')], byPath)
  const usual: Aliases = [
    ['@/', 'src/'],
    ['~/', 'src/'],
    ['@/', ''],
    ['~/', ''],
    ['/', ''],
  ]
  for (const [alias, path] of [...aliases, ...usual]) {
    const found = source.startsWith(alias) ? fileAt((path + source.slice(alias.length)).split('/'), byPath) : undefined
    if (found) return found
  }
  return undefined
}

function fileAt(path: readonly string[], byPath: ReadonlyMap<string, Standing>): Standing | undefined {
  const steps: string[] = []
  for (const step of path) {
    if (step === '..') steps.pop()
    else if (step !== '.' && step !== '') steps.push(step)
  }
  const base = steps.join('/')
  const stem = base.replace(/\.[cm]?jsx?$/, '')
  for (const ending of [
    '',
    '.ts',
    '.tsx',
    '.js',
    '.jsx',
    '.mjs',
    '.vue',
    '.svelte',
    '/index.ts',
    '/index.js',
    '/index.tsx',
    '/index.jsx',
  ])
    for (const each of [base, stem]) {
      const found = byPath.get(each + ending)
      if (found) return found
    }
  return undefined
}
