import path from 'node:path'
import { leaksOf, withEmptyBlock } from 'mappa/plugin'
import { noteSearched } from './bundle/on-disk.js'
import { graphOf, type Input, moduleOf } from './bundle/page-graph.js'
import { refusedModule, refusedNames } from './bundle/refuse.js'
import { resolvedModule, type Session } from './bundle/session.js'
import { refusedStyleImport } from './bundle/style-imports.js'
import { settingsId } from './bundle/taken.js'
import { type BuilderOptions, sessionFor } from './options.js'

export type { BuilderOptions }

/** The part of a builder's context that the plugin uses. */
interface Context {
  readonly meta: { readonly watchMode?: boolean }
  parse(code: string): unknown
  resolve(source: string, importer?: string): Promise<{ readonly id: string } | null>
  addWatchFile(file: string): void
  info(message: string): void
  error(error: { message: string; stack: string }): never
}

interface OutputFile {
  readonly type: string
  readonly fileName: string
  readonly code?: string
  source?: string | Uint8Array
  readonly modules?: object
  readonly map?: { toString(): string } | null
}

/** A plugin as Rollup and Rolldown take it. */
export interface RollupPlugin {
  readonly name: string
  options(this: unknown, options: { readonly input?: unknown; readonly platform?: unknown }): null
  buildStart(this: Context): Promise<void>
  readonly resolveId: (this: unknown, source: string) => string | null
  readonly load: { readonly order: 'pre'; handler(this: Context, id: string): Promise<string | null> }
  readonly transform: {
    readonly order: 'post'
    handler(this: Context, code: string, id: string): Promise<{ code: string; map: null } | null>
  }
  renderChunk(
    this: unknown,
    code: string,
    chunk: unknown,
    options: { readonly dir?: string | undefined; readonly file?: string | undefined },
  ): { code: string; map: null } | null
  readonly generateBundle: {
    readonly order: 'post'
    handler(
      this: Context,
      options: { readonly dir?: string | undefined; readonly file?: string | undefined },
      bundle: { readonly [file: string]: OutputFile },
      isWrite: boolean,
    ): void
  }
  readonly closeBundle: { readonly order: 'post'; readonly sequential: true; handler(this: Context): void }
}

/** It stands in the settings module for the directory that is written to. */
const outputMark = 'mappa-output-directory'
const markPattern = new RegExp(`(["'\`])${outputMark}\\1`)

/**
 * The plugin for Rollup and Rolldown: settings through `import { NAME } from 'virtual:mappa/settings'`, with the guarantees of
 * `@mappa/build/vite`. Code that other plugins make is looked at as it comes from them, wherever this one stands.
 *
 * ```js
 * export default { input: 'src/main.js', plugins: [mappa()] }
 * ```
 */
export function mappa(options: BuilderOptions = {}): RollupPlugin {
  let session: Session | undefined
  let input: Input | undefined
  let isClient = options.reach !== 'server'
  const own = () => session as Session
  return {
    name: 'mappa',

    options(given) {
      input = given.input as Input | undefined
      // Rolldown knows what it builds for.
      if (options.reach === undefined) isClient = given.platform !== 'node'
      return null
    },

    async buildStart() {
      session ??= sessionFor(options, {
        folder: process.cwd(),
        develops: this.meta.watchMode === true,
        builder: this.meta.watchMode ? 'the watching build' : 'the build',
      })
      await session.project.read()
      // A watching build waits for these even if this one fails.
      for (const file of session.project.files) this.addWatchFile(file)
      session.stopOnFaults()
      for (const notice of session.newNotices()) this.info(notice)
    },

    resolveId: (source) => (source === settingsId ? resolvedModule : null),

    load: {
      order: 'pre',
      async handler(id) {
        if (id === resolvedModule) return own().settingsModule(isClient, path.join(own().project.root, outputMark))
        if (!isClient) return null
        const why = own().keptFromPages(id)
        const style = refusedStyleImport(id.split('?', 1)[0] as string, own())
        if (why === undefined && !style) return null
        const fault = style ?? (await refusedModule(id, why ?? '', graphOf(own(), input, resolving(this))))
        return this.error({ message: own().report([fault]), stack: '' })
      },
    },

    transform: {
      // As late as can be, so that it is JavaScript by then.
      order: 'post',
      async handler(code, id) {
        const { sound } = own().project
        if (!sound || id.startsWith('\0')) return null
        const module = moduleOf(id, code, () => this.parse(code))
        if (isClient) {
          const graph = graphOf(own(), input, resolving(this))
          const faults = await refusedNames(module, sound.definition, own().suspicion, graph)
          if (faults.length > 0) this.error({ message: own().report(faults), stack: '' })
        }
        const text = own().filledIn(module, isClient)
        if (text === undefined) return null
        // A result is kept until its file, or one of these, changes.
        for (const file of own().project.files) this.addWatchFile(file)
        return { code: text, map: null }
      },
    },

    // Where the output goes is known only now.
    renderChunk(code, _chunk, { dir, file }) {
      if (isClient || !code.includes(outputMark)) return null
      const output = dir ?? (file === undefined ? undefined : path.dirname(file))
      const at = output === undefined ? undefined : own().outputAt(path.resolve(output))
      return { code: code.replace(markPattern, JSON.stringify(at ?? '')), map: null }
    },

    generateBundle: {
      order: 'post',
      handler({ dir, file }, bundle, isWrite) {
        const { sound } = own().project
        if (!sound || !isClient) return
        const outputs = Object.values(bundle).map(({ fileName, code, source = '', map }) => ({
          name: fileName,
          content: code ?? source,
          ...(map && { map: map.toString() }),
        }))
        const leaks = leaksOf(outputs, sound.survey)
        if (leaks.length > 0) this.error({ message: own().report(leaks), stack: '' })
        // A single file may lie anywhere, so that what is beside it is not a part of the output.
        if (isWrite && dir !== undefined && file === undefined) {
          const output = path.resolve(dir)
          noteSearched(own().searchedIn(output), output, outputs)
        }
        const files = Object.values(bundle)
        const takes = files.some(({ modules }) => modules && resolvedModule in modules)
        if (own().command !== 'build' || own().atStart.length === 0 || !takes) return
        for (const file of files)
          if (file.fileName.endsWith('.html') && typeof file.source === 'string')
            file.source = withEmptyBlock(file.source, sound.survey.stage.name)
      },
    },

    closeBundle: {
      // Behind all that copies or writes a file.
      order: 'post',
      sequential: true,
      handler() {
        const { sound } = session?.project ?? {}
        if (!session || !sound || !isClient) return
        const leaks = session.leaksOnDisk(sound.survey)
        if (leaks.length > 0) this.error({ message: session.report(leaks), stack: '' })
      },
    },
  }
}

function resolving(context: Context): (path: string, importer: string) => Promise<string | undefined> {
  return async (path, importer) => (await context.resolve(path, importer))?.id
}
