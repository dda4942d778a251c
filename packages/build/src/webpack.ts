import { createHash } from 'node:crypto'
import fs from 'node:fs'
import { createRequire } from 'node:module'
import path from 'node:path'
import type { Fault } from 'mappa'
import { leaksOf, withEmptyBlock } from 'mappa/plugin'
import { noteSearched } from './bundle/on-disk.js'
import { graphOf, isOwnModule } from './bundle/page-graph.js'
import { pathFrom } from './bundle/paths.js'
import { refusedModule, refusedNames } from './bundle/refuse.js'
import type { Session } from './bundle/session.js'
import { refusedStyleImport } from './bundle/style-imports.js'
import { settingsId } from './bundle/taken.js'
import { type BuilderOptions, sessionFor } from './options.js'
import { programOf } from './program.js'
import { loaderInputs } from './webpack-loader.js'

export type { BuilderOptions }

/** A module of a compilation, as far as the plugin looks at it. */
interface BuiltModule {
  readonly resource?: string | undefined
  readonly type?: string
  originalSource?(): { source(): string | Uint8Array } | null
}

interface Asset {
  readonly name: string
  readonly source: { source(): string | Uint8Array; map?(options?: object): { toString(): string } | null }
}

interface Tap<Call> {
  tap(options: string | { name: string; stage?: number }, call: Call): void
}
interface Waiting<Call> {
  tapPromise(options: string | { name: string; stage?: number }, call: Call): void
}

interface Compilation {
  readonly errors: unknown[]
  readonly warnings: unknown[]
  readonly modules: Iterable<BuiltModule>
  readonly fileDependencies: { add(file: string): void }
  readonly missingDependencies: { add(file: string): void }
  getAssets(): readonly Asset[]
  updateAsset(file: string, source: unknown): void
  readonly hooks: {
    readonly finishModules: Waiting<(modules: Iterable<BuiltModule>) => Promise<void>>
    readonly processAssets: Tap<() => void>
  }
}

/** The part of webpack and Rspack that the plugin uses. */
export interface WebpackHost {
  readonly context: string
  readonly outputPath: string
  readonly watching?: unknown
  readonly rspack?: unknown
  readonly options: {
    readonly mode?: string | undefined
    readonly output?: { readonly path?: string | undefined }
    readonly target?: unknown
    readonly entry?: unknown
    readonly module: { readonly rules: unknown[] }
    readonly externalsPresets?: { readonly node?: boolean }
  }
  readonly webpack: {
    readonly DefinePlugin: new (definitions: Record<string, unknown>) => { apply(compiler: never): void }
    readonly NormalModuleReplacementPlugin: new (
      asked: RegExp,
      replace: (resource: { request: string }) => void,
    ) => { apply(compiler: never): void }
    readonly sources: { readonly RawSource: new (text: string) => unknown }
    readonly Compilation: {
      readonly PROCESS_ASSETS_STAGE_OPTIMIZE_HASH: number
      readonly PROCESS_ASSETS_STAGE_REPORT: number
    }
  }
  readonly hooks: {
    readonly beforeRun: Waiting<() => Promise<void>>
    readonly watchRun: Waiting<() => Promise<void>>
    readonly thisCompilation: Tap<(compilation: never) => void>
    readonly compilation: Tap<(compilation: never) => void>
    readonly normalModuleFactory: Tap<
      (factory: {
        readonly hooks: {
          readonly afterResolve: Tap<(asked: { readonly createData?: { readonly resource?: string } }) => void>
        }
      }) => void
    >
    readonly done: Tap<(stats: { readonly compilation: Compilation }) => void>
    readonly shouldEmit: Tap<(compilation: never) => boolean | undefined>
  }
}

/** A plugin as webpack and Rspack take it. */
export interface WebpackPlugin {
  // biome-ignore lint/suspicious/noExplicitAny: the compilers' own types would must be installed.
  apply(compiler: any): void
}

/**
 * The plugin for webpack and Rspack: settings through `import { NAME } from 'virtual:mappa/settings'`, with the guarantees of
 * `@mappa/build/vite`.
 *
 * ```js
 * export default { entry: './src/main.js', plugins: [mappa()] }
 * ```
 */
export function mappa(options: BuilderOptions = {}): WebpackPlugin {
  return { apply: (compiler: WebpackHost) => applyTo(compiler, options) }
}

const ownName = 'mappa'
let count = 0

function applyTo(compiler: WebpackHost, options: BuilderOptions): void {
  const { mode, target, externalsPresets } = compiler.options
  const isNode = externalsPresets?.node === true || [target].flat().some((each) => /node/.test(String(each)))
  const isClient = (options.reach ?? (isNode ? 'server' : 'browser')) === 'browser'
  const develops = mode === 'development'
  const session = sessionFor(options, { folder: compiler.context, develops, builder: `mode ${mode ?? 'production'}` })
  const id = String(count++)
  const definitions: Record<string, unknown> = {}
  const faulty = new WeakSet<object>()

  const { DefinePlugin, NormalModuleReplacementPlugin, Compilation: stages } = compiler.webpack
  let isDefined = false
  const read = async () => {
    await session.project.read()
    const code = session.project.sound
      ? session.settingsModule(isClient, compiler.options.output?.path, '__dirname')
      : ''
    loaderInputs.set(id, { code, files: session.project.files, fill: (text, file) => filled(session, text, file) })
    if (!isClient) return
    define(definitions, session)
    if (isDefined) return
    isDefined = true
    // webpack takes them anew for each compilation, and Rspack as they are the first time.
    if (!compiler.rspack || !compiler.watching) new DefinePlugin(definitions).apply(compiler as never)
    else
      compiler.options.module.rules.push({
        test: /\.[cm]?[jt]sx?$/,
        enforce: 'post',
        loader: `${loaderFile}?${id}&fill`,
      })
  }
  compiler.hooks.beforeRun.tapPromise(ownName, read)
  compiler.hooks.watchRun.tapPromise(ownName, read)
  new NormalModuleReplacementPlugin(/^virtual:mappa\/settings$/, (resource) => {
    // Kept modules are told apart by what is asked for, so the values have a part in it.
    const { code = '' } = loaderInputs.get(id) ?? {}
    resource.request = `!!${loaderFile}?${id}&${createHash('sha256').update(code).digest('hex').slice(0, 16)}!${emptyModule}`
  }).apply(compiler as never)

  /** While a page is worked on it goes on with what it has, unless that must not be there. */
  const fail = (compilation: Compilation, faults: readonly Fault[]) => {
    if (!develops || faults.some(isInside)) faulty.add(compilation)
    compilation.errors.push(Object.assign(new Error(session.report(faults)), { name: 'mappa', stack: '' }))
  }
  compiler.hooks.thisCompilation.tap(ownName, (given) => {
    const compilation = given as Compilation
    for (const file of session.project.files)
      compilation[fs.existsSync(file) ? 'fileDependencies' : 'missingDependencies'].add(file)
    if (session.project.faults.length > 0) fail(compilation, session.project.faults)
    for (const notice of session.newNotices())
      compilation.warnings.push(Object.assign(new Error(notice), { name: 'mappa', stack: '' }))
  })
  compiler.hooks.shouldEmit.tap(ownName, (compilation) => (faulty.has(compilation) ? false : undefined))
  if (!isClient) return
  // Refused before anything reads it: what cannot be parsed is printed.
  const kept = new Map<string, string>()
  const styles = new Map<string, Fault>()
  compiler.hooks.normalModuleFactory.tap(ownName, ({ hooks }) =>
    hooks.afterResolve.tap(ownName, ({ createData }) => {
      const file = createData?.resource?.split('?', 1)[0]
      const why = file ? session.keptFromPages(file) : undefined
      const style = file ? refusedStyleImport(file, session) : undefined
      if (!file || (why === undefined && !style)) return
      if (why !== undefined) kept.set(file, why)
      if (style) styles.set(file, style)
      const text = style?.message ?? `${pathFrom(session.project.root, file)} ${why}.`
      throw Object.assign(new Error(text), { stack: '' })
    }),
  )
  compiler.hooks.compilation.tap(ownName, (given) => {
    const compilation = given as Compilation
    compilation.hooks.finishModules.tapPromise(ownName, async (modules) => {
      const faults = [...styles.values(), ...(await refusedIn(modules, kept, session, compiler))]
      kept.clear()
      styles.clear()
      if (faults.length > 0) fail(compilation, faults)
    })
    compilation.hooks.processAssets.tap({ name: ownName, stage: stages.PROCESS_ASSETS_STAGE_OPTIMIZE_HASH }, () => {
      const { atStart, command, project } = session
      const takes = [...compilation.modules].some(({ resource }) => resource?.split('?', 1)[0] === emptyModule)
      if (command !== 'build' || atStart.length === 0 || !takes) return
      for (const { name: file, source } of compilation.getAssets())
        if (file.endsWith('.html')) {
          const html = withEmptyBlock(asText(source.source()), project.survey.stage.name)
          compilation.updateAsset(file, new compiler.webpack.sources.RawSource(html))
        }
    })
    compilation.hooks.processAssets.tap({ name: ownName, stage: stages.PROCESS_ASSETS_STAGE_REPORT }, () => {
      const { sound } = session.project
      if (!sound) return
      const outputs = compilation
        .getAssets()
        .map(({ name: file, source }) => ({ name: file, content: source.source() }))
      const leaks = leaksOf(outputs, sound.survey)
      if (leaks.length > 0) fail(compilation, leaks)
      if (!develops) noteSearched(session.searchedIn(compiler.outputPath), compiler.outputPath, outputs)
    })
  })
  // Behind all that copies or writes a file.
  compiler.hooks.done.tap({ name: ownName, stage: Number.MAX_SAFE_INTEGER }, ({ compilation }) => {
    const { sound } = session.project
    const leaks = sound ? session.leaksOnDisk(sound.survey) : []
    if (leaks.length > 0) fail(compilation, leaks)
  })
}

/** Tells whether what is at fault would be in the page, rather than only be asked for there: a leak, a file or all settings. */
function isInside({ kind, name }: Fault): boolean {
  return kind === 'leak' || name === undefined
}

/** The loader that gives the settings module, and the file that it is put in the place of. */
const loaderFile = path.join(import.meta.dirname, 'webpack-loader.cjs')
const emptyModule = path.join(import.meta.dirname, 'webpack-module.mjs')

/** Replacements for reads of an environment. The builder asks again for each compilation. */
function define(definitions: Record<string, unknown>, session: Session): void {
  for (const key of Object.keys(definitions)) delete definitions[key]
  definitions['import.meta.env'] = Object.fromEntries(session.texts)
  for (const [variable, text] of session.texts) definitions[`process.env.${variable}`] = text
}

/** A module with what it reads of its environment put in, as each compilation of Rspack needs it anew. */
function filled(session: Session, code: string, file: string): string | undefined {
  return session.filledIn({ id: file, code, isOwn: isOwnModule(file), parse: () => programOf(code) }, true)
}

/** Forbidden imports and reads in a page's modules, in the form that loaders gave them. */
async function refusedIn(
  modules: Iterable<BuiltModule>,
  kept: ReadonlyMap<string, string>,
  session: Session,
  compiler: WebpackHost,
): Promise<Fault[]> {
  const { sound } = session.project
  if (!sound) return []
  const graph = graphOf(session, entriesIn(compiler.options.entry), async (from, importer) => resolved(from, importer))
  const faults: Fault[] = []
  for (const [file, why] of kept) faults.push(await refusedModule(file, why, graph))
  for (const module of modules) {
    const file = module.resource?.split('?', 1)[0]
    if (!file || file === emptyModule) continue
    const why = session.keptFromPages(file)
    if (why !== undefined) {
      if (!kept.has(file)) faults.push(await refusedModule(file, why, graph))
      continue
    }
    if (!module.type?.startsWith('javascript/')) continue
    const source = module.originalSource?.()?.source()
    if (source === undefined) continue
    const code = asText(source)
    const isOwn = isOwnModule(file)
    const parse = () => programOf(code)
    for (const each of await refusedNames({ id: file, code, isOwn, parse }, sound.definition, session.suspicion, graph))
      faults.push(each)
  }
  return faults
}

function asText(source: string | Uint8Array): string {
  return typeof source === 'string' ? source : new TextDecoder().decode(source)
}

/** Files that a build begins with, however they are written. */
function entriesIn(entry: unknown): string[] {
  if (typeof entry === 'string') return [entry]
  if (typeof entry !== 'object' || entry === null) return []
  return Object.values(entry).flatMap((each) =>
    typeof each === 'string' ? [each] : entriesIn((each as { import?: unknown })?.import ?? each),
  )
}

function resolved(from: string, importer: string): string | undefined {
  const base = path.resolve(path.dirname(importer), from)
  const endings = ['', '.js', '.mjs', '.ts', '.tsx', '.jsx', '/index.js', '/index.ts']
  const found = /^\.\.?\//.test(from)
    ? endings.map((each) => base + each).find((each) => fs.statSync(each, { throwIfNoEntry: false })?.isFile())
    : undefined
  if (found !== undefined || from === settingsId) return found
  try {
    return createRequire(importer).resolve(from)
  } catch {
    return undefined
  }
}
