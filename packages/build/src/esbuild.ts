import fs from 'node:fs'
import path from 'node:path'
import { bytesAt, leaksOf, textAt } from 'mappa/plugin'
import { noteSearched } from './bundle/on-disk.js'
import { graphOf, type Input, isOwnModule } from './bundle/page-graph.js'
import { pathFrom } from './bundle/paths.js'
import { refusedModule, refusedNames } from './bundle/refuse.js'
import { isKeptName, type Session } from './bundle/session.js'
import { refusedStyleImport } from './bundle/style-imports.js'
import { readsEnv } from './bundle/suspect.js'
import { settingsId } from './bundle/taken.js'
import { type BuilderOptions, sessionFor } from './options.js'
import { programOf } from './program.js'

export type { BuilderOptions }

interface Message {
  readonly text: string
}

interface Resolved {
  readonly path?: string
  readonly namespace?: string
  readonly watchFiles?: string[]
  readonly errors?: Message[]
}

interface Loaded {
  readonly contents?: string
  readonly loader?: 'js' | 'jsx'
  readonly resolveDir?: string
  readonly watchFiles?: string[]
  readonly errors?: Message[]
}

interface TransformOptions {
  readonly loader: 'js' | 'jsx' | 'ts' | 'tsx'
  jsx?: 'preserve'
  sourcemap?: 'inline'
  sourcefile?: string
  tsconfigRaw?: string
  define?: { [name: string]: string }
}

/** The part of esbuild that the plugin uses. */
export interface EsbuildHost {
  readonly initialOptions: {
    absWorkingDir?: string | undefined
    readonly outdir?: string | undefined
    readonly outfile?: string | undefined
    platform?: string | undefined
    metafile?: boolean | undefined
    readonly sourcemap?: unknown
    readonly format?: string | undefined
    readonly entryPoints?: unknown
  }
  readonly esbuild: {
    transform(code: string, options: TransformOptions): Promise<{ code: string }>
  }
  onStart(callback: () => Promise<{ warnings?: Message[] }>): void
  onResolve(options: { filter: RegExp }, callback: (args: { path: string; kind: string }) => Resolved | undefined): void
  onLoad(
    options: { filter: RegExp; namespace?: string },
    callback: (args: { path: string; suffix?: string }) => Promise<Loaded | undefined>,
  ): void
  onEnd(
    callback: (result: {
      outputFiles?: { path: string; contents: Uint8Array }[] | undefined
      metafile?: { outputs: { [file: string]: unknown } } | undefined
    }) => { errors?: Message[] } | undefined,
  ): void
}

/** A plugin as esbuild takes it. */
export interface EsbuildPlugin {
  readonly name: string
  setup(build: EsbuildHost): Promise<void>
}

/**
 * The plugin for esbuild: settings through `import { NAME } from 'virtual:mappa/settings'`, with the guarantees of
 * `@mappa/build/vite`. It stands first, so that it sees every file.
 *
 * ```js
 * await build({ entryPoints: ['src/main.ts'], bundle: true, outdir: 'dist', plugins: [mappa()] })
 * ```
 */
export function mappa(options: BuilderOptions = {}): EsbuildPlugin {
  return {
    name: 'mappa',
    async setup(build) {
      const { initialOptions } = build
      const folder = path.resolve(initialOptions.absWorkingDir ?? '.')
      const isClient = (options.reach ?? (initialOptions.platform === 'node' ? 'server' : 'browser')) === 'browser'
      const session = sessionFor(options, { folder, develops: false, builder: 'the build' })
      const { outdir, outfile } = initialOptions
      const written = outdir ?? (outfile === undefined ? undefined : path.dirname(outfile))
      const output = written === undefined ? undefined : path.resolve(folder, written)
      const asked = initialOptions.metafile
      // Output files are searched later, so they must be found again.
      initialOptions.metafile = true
      const graph = graphOf(session, entryFiles(initialOptions.entryPoints), async (from, importer) =>
        /^\.\.?\//.test(from) ? besideOf(from, importer) : undefined,
      )
      // A faulty build reports its watched files, too, so that a correction is noticed.
      const refused = (faults: Parameters<Session['report']>[0], ...files: readonly string[]): Loaded => ({
        errors: [{ text: session.report(faults).trimStart() }],
        watchFiles: [...files, ...session.project.files],
      })

      build.onStart(async () => {
        await session.project.read()
        return { warnings: session.newNotices().map((text) => ({ text })) }
      })
      // Faults come in place of what the build begins with.
      build.onResolve({ filter: /./ }, ({ kind, path: asked }) =>
        kind === 'entry-point' && session.project.faults.length > 0
          ? { path: asked, namespace: 'mappa-faults' }
          : undefined,
      )
      build.onLoad({ filter: /./, namespace: 'mappa-faults' }, async () => refused(session.project.faults))
      build.onResolve({ filter: /^virtual:mappa\/settings$/ }, () => ({ path: settingsId, namespace: 'mappa' }))
      build.onLoad({ filter: /./, namespace: 'mappa' }, async () => ({
        contents: session.project.sound
          ? session.settingsModule(isClient, output, initialOptions.format === 'esm' ? 'import.meta.url' : '__dirname')
          : '',
        loader: 'js',
        resolveDir: session.project.root,
        watchFiles: [...session.project.files],
      }))
      if (!isClient) return

      build.onLoad({ filter: /./ }, async ({ path: file, suffix = '' }) => {
        const why = session.keptFromPages(file)
        if (why !== undefined) return refused([await refusedModule(file, why, graph)], file)
        const style = refusedStyleImport(file, session)
        if (style) return refused([style], file)
        const loader = loaders[path.extname(file)]
        const { sound } = session.project
        if (!loader || !sound) return undefined
        const code = textAt(file)
        if (code === undefined) return undefined
        const isOwn = isOwnModule(file)
        const { suspicion } = session
        if (!suspicion.ofSettings(code) && !suspicion.ofEnv(code, isOwn) && !(isOwn && readsEnvironment(code)))
          return undefined
        const [only, isFilled] = [loader === 'js' ? 'jsx' : loader, isOwn && readsEnvironment(code)]
        const plain = await build.esbuild.transform(code, { loader: only }).then(
          (made) => made.code,
          () => undefined,
        )
        // Of what does not parse, esbuild itself has more to say.
        if (plain === undefined) return undefined
        const module = { id: file + suffix, code: plain, isOwn, parse: () => programOf(plain) }
        const faults = await refusedNames(module, sound.definition, suspicion, graph)
        if (faults.length > 0) return refused(faults, file)
        if (!isFilled) return undefined
        const sourcemap = initialOptions.sourcemap ? ('inline' as const) : undefined
        const { code: contents } = await build.esbuild.transform(code, {
          loader: only,
          jsx: 'preserve',
          sourcefile: path.basename(file),
          tsconfigRaw: tsconfigFor(file),
          ...(sourcemap && { sourcemap }),
          define: definitionsOf(session),
        })
        return { contents, loader: 'jsx', resolveDir: path.dirname(file), watchFiles: [file, ...session.project.files] }
      })

      build.onEnd((result) => {
        const { sound } = session.project
        const { outputFiles, metafile } = result
        if (asked === undefined) delete result.metafile
        if (!sound) return undefined
        const written = Object.keys(metafile?.outputs ?? {}).map((name) => path.resolve(folder, name))
        const outputs = outputFiles
          ? outputFiles.map((file) => ({ name: pathFrom(folder, file.path), content: file.contents }))
          : written.map((file) => ({ name: pathFrom(folder, file), content: bytesAt(file) ?? '' }))
        const own = leaksOf(outputs, sound.survey)
        const { outdir } = initialOptions
        if (!outputFiles && outdir !== undefined) {
          const output = path.resolve(folder, outdir)
          noteSearched(session.searchedIn(output), output, outputsBelow(output, folder, outputs))
        }
        const leaks = [...own, ...session.leaksOnDisk(sound.survey)]
        if (leaks.length === 0) return undefined
        // It has been written by now, and must not be served.
        for (const file of outputFiles || own.length === 0 ? [] : written) fs.rmSync(file, { force: true })
        if (own.length > 0) outputFiles?.splice(0)
        return { errors: [{ text: session.report(leaks).trimStart() }] }
      })
    },
  }
}

const loaders: Readonly<Record<string, 'js' | 'jsx' | 'ts' | 'tsx'>> = {
  '.js': 'js',
  '.mjs': 'js',
  '.cjs': 'js',
  '.jsx': 'jsx',
  '.ts': 'ts',
  '.mts': 'ts',
  '.cts': 'ts',
  '.tsx': 'tsx',
}

function outputsBelow(
  output: string,
  folder: string,
  outputs: readonly { readonly name: string; readonly content: string | Uint8Array }[],
) {
  return outputs.map(({ name, content }) => ({ name: path.relative(output, path.resolve(folder, name)), content }))
}

function readsEnvironment(code: string): boolean {
  return readsEnv(code) || /\bprocess\b[\s\S]{0,40}?\benv\b/.test(code)
}

/** Replacements for an environment, as a whole and by name. */
function definitionsOf({ texts }: Session): { [name: string]: string } {
  const known = [...texts].filter(([, text]) => text !== 'undefined')
  const whole = `{${known.map(([variable, text]) => `${JSON.stringify(variable)}:${text}`).join()}}`
  const each = (of: string) => [...texts].map(([variable, text]) => [`${of}.${variable}`, text])
  return Object.fromEntries([['import.meta.env', whole], ...each('import.meta.env'), ...each('process.env')])
}

/** Tells how the project has a file compiled. */
function tsconfigFor(file: string): string {
  for (let at = path.dirname(file); ; at = path.dirname(at)) {
    const text = textAt(path.join(at, 'tsconfig.json'))
    if (text !== undefined || at === path.dirname(at)) return text ?? '{}'
  }
}

/** Entry points may have names of their own. */
function entryFiles(given: unknown): Input {
  if (!Array.isArray(given)) return (given ?? []) as Input
  return given.map((each) => (typeof each === 'string' ? each : (each as { in: string }).in))
}

/** The file that an import beside another means, whatever ending it leaves out. */
function besideOf(from: string, importer: string): string | undefined {
  const base = path.resolve(path.dirname(importer), from)
  const all = [base, ...Object.keys(loaders).flatMap((each) => [base + each, base.replace(/\.[cm]?js$/, '') + each])]
  return all.find((each) => !isKeptName(each) && fs.statSync(each, { throwIfNoEntry: false })?.isFile())
}
