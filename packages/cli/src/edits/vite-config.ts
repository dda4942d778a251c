import { parseExpression } from '@babel/parser'
import MagicString from 'magic-string'
import { isNode, type Node, nodesIn, overParsed, walk } from '../code/parse.js'

/** Names that a bundler's settings may have. */
const bundlerConfigs = ['vite.config.ts', 'vite.config.js', 'vite.config.mjs', 'vite.config.mts'] as const

/** Facts that decide the plugin's place. */
export interface BundledProject {
  /** The text of a file, by its path from the root; undefined if it is not there. */
  readonly read: (path: string) => string | undefined
  /** True if files ending in .js are modules of ECMAScript. */
  readonly isModule: boolean
}

/** The bundler's settings before and after; null if they are not there yet. */
interface PluginChange {
  readonly path: string
  readonly before: string | null
  readonly after: string
  readonly secret: false
}

/** The plugin in the bundler's settings: without it a page cannot take settings. Nothing if it is there. */
export function pluginChange(target: BundledProject): PluginChange[] {
  const path = bundlerConfigs.find((name) => target.read(name) !== undefined)
  if (path === undefined) {
    const after =
      "import { mappa } from '@mappa/build/vite'\nimport { defineConfig } from 'vite'\n\nexport default defineConfig({ plugins: [mappa()] })\n"
    return [{ path: target.isModule ? 'vite.config.js' : 'vite.config.mjs', before: null, after, secret: false }]
  }
  const before = target.read(path) as string
  if (/@mappa\/build\/vite\b/.test(before)) return []
  const config = configIn(path, before)
  if (!config) return []
  const code = new MagicString(before)
  const plugins = nodesIn(config.properties).find(
    ({ key, value }) => isNode(key) && key.name === 'plugins' && isNode(value) && value.type === 'ArrayExpression',
  )
  if (plugins) {
    const list = plugins.value as Node
    code.appendLeft(list.start + 1, nodesIn(list.elements).length > 0 ? 'mappa(), ' : 'mappa()')
  } else {
    const [first] = nodesIn(config.properties)
    const gap = first ? before.slice(config.start + 1, first.start) : ' '
    code.appendLeft(config.start + 1, `${gap}plugins: [mappa()]${first ? ',' : ' '}`)
  }
  const quote = before.includes("'") || !before.includes('"') ? "'" : '"'
  const end = /;[ \t]*\r?\n/.test(before) ? ';' : ''
  code.prepend(
    `import { mappa } from ${quote}@mappa/build/vite${quote}${end}\n${/^\s*import\b/.test(before) ? '' : '\n'}`,
  )
  return [{ path, before, after: code.toString(), secret: false }]
}

/** Tells whether the bundler's settings are there and the plugin can be put in, or is; or are not there at all. */
export function takesPlugin(target: Pick<BundledProject, 'read'>): boolean {
  const path = bundlerConfigs.find((name) => target.read(name) !== undefined)
  if (path === undefined) return hasBundler(target)
  const text = target.read(path) as string
  return /@mappa\/build\/vite\b/.test(text) || configIn(path, text) !== undefined
}

function hasBundler({ read }: Pick<BundledProject, 'read'>): boolean {
  try {
    const manifest = parseExpression(read('package.json') ?? '') as unknown as Node
    return nodesIn(manifest.properties).some(
      ({ key, value }) =>
        /^(?:devD|d)ependencies$/.test(String((key as Node).value)) &&
        nodesIn((value as Node).properties).some((each) => (each.key as Node).value === 'vite'),
    )
  } catch {
    return false
  }
}

/** The object that a bundler's settings are: what is exported, or given to a function that is, or what that gives back. */
function configIn(path: string, text: string): Node | undefined {
  let found: Node | undefined
  overParsed({ path, text }, ({ programs }) => {
    for (const program of programs)
      walk(program, (node) => {
        if (node.type !== 'ExportDefaultDeclaration') return
        let inner = node.declaration as Node | undefined
        if (inner?.type === 'CallExpression') [inner] = nodesIn(inner.arguments)
        if (inner?.type === 'ArrowFunctionExpression') inner = inner.body as Node
        if (inner?.type === 'ObjectExpression') found = inner
      })
  })
  return found
}
