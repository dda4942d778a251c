import fs from 'node:fs'
import { createRequire } from 'node:module'
import path from 'node:path'
import { parse } from 'acorn'
import { loadLegendFile } from 'mappa/node'
import { failedLegend, isTypeScript, keepCompiled, legendAbove, legendFault, legendOf, textAt } from 'mappa/plugin'
import { legendImports, libraryAddress } from './bundle/library.js'
import type { LoadLegend } from './bundle/project.js'
import { eachNode, type Node, nodeWord } from './bundle/syntax.js'

/**
 * A legend for a builder that runs no modules itself. What it is made of is read anew each time, since builds go on when files
 * change; types are taken away by Node, or by whatever the project has that can.
 */
export const loadLegendWithoutBuilder: LoadLegend = async (directory, file) => {
  if (file === undefined) return { loaded: { fault: noLegendIn(directory) }, dependencies: [] }
  const legendPath = path.join(directory, file)
  if (file.endsWith('.json')) return { loaded: loadLegendFile(legendPath), dependencies: [] }
  const linked = new Map<string, string>()
  const text = textAt(legendPath)
  try {
    const address = isCommonJs(legendPath) ? undefined : await addressOf(legendPath, linked, [])
    const module = address === undefined ? requiredAnew(legendPath, linked) : await import(address)
    const loaded = legendOf(module, file)
    if ('definition' in loaded && address !== undefined && isTypeScript(file)) keep(legendPath, text, address, linked)
    return { loaded, dependencies: [...linked.keys()] }
  } catch (cause) {
    if (cause instanceof NoCompiler) return { loaded: { fault: cause.fault }, dependencies: [] }
    return { loaded: failedLegend(file, cause), dependencies: [...linked.keys()] }
  }
}

/** Keeps a copy for starts where nothing but the legend's own text decides what it is. */
function keep(
  legendPath: string,
  text: string | undefined,
  address: string,
  linked: ReadonlyMap<string, string>,
): void {
  const code = decodeURIComponent(address.slice(address.indexOf(',') + 1))
  // The sources were read after the text: both must be of one state.
  const isSame = text !== undefined && text === textAt(legendPath)
  if (isSame && linked.size === 1 && !code.includes('"data:')) keepCompiled(legendPath, text, code)
}

function noLegendIn(directory: string) {
  const other = legendAbove(directory)
  return legendFault(
    'the legend',
    `No legend in ${directory}.${other === undefined ? '' : ` ${other} is above it, but the layer files here make this the root.`}`,
    other === undefined ? 'Write mappa.legend.ts there.' : 'Name the root: MAPPA_ROOT, or the option root of mappa().',
  )
}

/** Tells whether Node takes a file for CommonJS: by its ending, or by its package and what it says. */
function isCommonJs(file: string): boolean {
  if (/\.c[jt]s$/.test(file)) return true
  return file.endsWith('.js') && !/^\s*(?:import|export)\b/m.test(textAt(file) ?? '')
}

/** A CommonJS module's exports, with the project's own files read again. */
function requiredAnew(file: string, linked: Map<string, string>): unknown {
  const require = createRequire(file)
  const own = (id: string) => !/[\\/]node_modules[\\/]/.test(id)
  for (const id of Object.keys(require.cache)) if (own(id) && linkedBefore.has(id)) delete require.cache[id]
  const before = new Set(Object.keys(require.cache))
  const module = isTypeScript(file) ? compiledCommonJs(file) : require(file)
  for (const id of [file, ...Object.keys(require.cache).filter((each) => own(each) && !before.has(each))]) {
    linkedBefore.add(id)
    linked.set(id, '')
  }
  return module
}

/** Files that were loaded for a legend, and may have changed when they are again. */
const linkedBefore = new Set<string>()

function compiledCommonJs(file: string): unknown {
  const module = { exports: {} as unknown }
  const text = withoutTypes(file, (textAt(file) ?? '').replace(/^export\s*=\s*/m, 'module.exports = '))
  // Written as a module, as most are who take the ending for a matter of types.
  if (/^(?:import|export)\b/m.test(text)) throw new SyntaxError('it is an ES module: call it mappa.legend.mts')
  new Function('module', 'exports', 'require', text)(module, module.exports, createRequire(file))
  return module.exports
}

/** The address of a module with all that it imports from the project, each as a `data:` URL (RFC 2397). */
async function addressOf(file: string, linked: Map<string, string>, above: readonly string[]): Promise<string> {
  const known = linked.get(file)
  if (known !== undefined) return known
  if (above.includes(file)) throw new Error(`${path.basename(file)} imports itself through other files`)
  const text = textAt(file)
  if (text === undefined) throw new Error(`${path.basename(file)} cannot be read`)
  linked.set(file, '')
  const code = isTypeScript(file) ? withoutTypes(file, text) : text
  const edits: { readonly start: number; readonly end: number; readonly text: string }[] = []
  const sources: Node[] = []
  eachNode(parse(code, { ecmaVersion: 'latest', sourceType: 'module' }) as unknown as Node, (node) => {
    if (/^(?:Import|Export(?:Named|All))(?:Declaration|Expression)$/.test(node.type) && node.source)
      sources.push(node.source as Node)
    if (node.type === 'MetaProperty') edits.push({ ...spanOf(node), text: metaOf(file) })
  })
  for (const source of sources) {
    const asked = nodeWord(source)
    if (asked === undefined) continue
    edits.push({ ...spanOf(source), text: JSON.stringify(await addressFor(asked, file, linked, [...above, file])) })
  }
  let [whole, last] = ['', 0]
  for (const { start, end, text: put } of edits.sort((a, b) => a.start - b.start)) {
    whole += code.slice(last, start) + put
    last = end
  }
  const address = `data:text/javascript,${encodeURIComponent(whole + code.slice(last))}`
  linked.set(file, address)
  return address
}

function spanOf({ start, end }: Node) {
  return { start, end }
}

/** `import.meta` as it is where the file lies. */
function metaOf(file: string): string {
  const url = fileUrl(file)
  return `({ url: ${JSON.stringify(url)}, filename: ${JSON.stringify(file)}, dirname: ${JSON.stringify(path.dirname(file))} })`
}

function fileUrl(file: string): string {
  return process.getBuiltinModule('node:url').pathToFileURL(file).href
}

async function addressFor(
  asked: string,
  importer: string,
  linked: Map<string, string>,
  above: readonly string[],
): Promise<string> {
  if (legendImports.has(asked)) return libraryAddress(asked)
  if (process.getBuiltinModule('node:module').isBuiltin(asked)) return asked
  if (/^\.\.?\//.test(asked)) {
    const target = fileAt(path.resolve(path.dirname(importer), asked))
    if (target.endsWith('.json')) return `data:application/json,${encodeURIComponent(textAt(target) ?? '')}`
    if (!isCommonJs(target)) return addressOf(target, linked, above)
    linked.set(target, '')
    return fileUrl(target)
  }
  return fileUrl(createRequire(importer).resolve(asked))
}

/** The file that an import means: TypeScript says `.js` for what it is compiled to. */
function fileAt(asked: string): string {
  const ts = asked.replace(/\.([cm]?)js$/, '.$1ts')
  const all = [asked, ts, ...['.ts', '.mts', '.js', '.mjs', '/index.ts', '/index.js'].map((each) => asked + each)]
  return all.find((each) => fs.statSync(each, { throwIfNoEntry: false })?.isFile()) ?? asked
}

/** Why no types could be taken away. */
class NoCompiler extends Error {
  constructor(readonly fault: ReturnType<typeof legendFault>) {
    super(fault.message)
  }
}

/** TypeScript without its types: by Node (22.13 and later), else by what the project has installed. */
function withoutTypes(file: string, text: string): string {
  const { stripTypeScriptTypes } = process.getBuiltinModule('node:module') as unknown as {
    readonly stripTypeScriptTypes?: (code: string, options: object) => string
  }
  if (stripTypeScriptTypes) return quietly(() => stripTypeScriptTypes(text, { mode: 'transform' }))
  for (const [name, strip] of Object.entries(compilers)) {
    const compiler = required(name, file)
    const code = compiler === undefined ? undefined : strip(compiler, text, file)
    if (code !== undefined) return code
  }
  const name = path.basename(file)
  throw new NoCompiler(
    legendFault(
      name,
      `${name} is TypeScript, but neither Node ${process.versions.node} nor a package of the project can strip its types.`,
      'Run: npm install --save-dev esbuild. Or: mappa emit --as legend > mappa.legend.json',
    ),
  )
}

/** Node says once that taking types away is experimental, which helps no one. */
function quietly<T>(action: () => T): T {
  const { emitWarning } = process
  process.emitWarning = () => {}
  try {
    return action()
  } finally {
    process.emitWarning = emitWarning
  }
}

// biome-ignore lint/suspicious/noExplicitAny: what a package that may be there has to offer.
type Compiler = any

/** Packages that take types away, in the order in which they are asked for. */
const compilers: Readonly<Record<string, (compiler: Compiler, text: string, file: string) => string | undefined>> = {
  esbuild: ({ transformSync }, text) => transformSync?.(text, { loader: 'ts', target: 'node20' }).code,
  'rolldown/utils': ({ transformSync }, text, file) => transformSync?.(file, text, { lang: 'ts' }).code,
  '@swc/core': ({ transformSync }, text) =>
    transformSync?.(text, { jsc: { parser: { syntax: 'typescript' }, target: 'es2022' }, isModule: true }).code,
  typescript: ({ transpileModule }, text) =>
    transpileModule?.(text, { compilerOptions: { module: 99, target: 99, verbatimModuleSyntax: true } }).outputText,
}

function required(name: string, from: string): Compiler | undefined {
  for (const start of [from, path.join(process.cwd(), '_')])
    try {
      return createRequire(start)(name)
    } catch {
      // Not installed there.
    }
  return undefined
}
