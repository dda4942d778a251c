import path from 'node:path'
import type { Fault } from 'mappa'
import { leaksOf } from 'mappa/plugin'
import type { Plugin, PluginOption, ResolvedConfig, Rolldown } from 'vite'
import { withPercentNames } from '../bundle/fill.js'
import { serverEntries } from '../bundle/library.js'
import { noteSearched } from '../bundle/on-disk.js'
import { graphOf, moduleOf, refusedAssets } from '../bundle/page-graph.js'
import { pathFrom } from '../bundle/paths.js'
import { refusedInPage, refusedModule, refusedNames } from '../bundle/refuse.js'
import { resolvedModule, Session } from '../bundle/session.js'
import { refusedStyleImport } from '../bundle/style-imports.js'
import { chooseBuildStage } from './build-stage.js'
import { loadLegend } from './load-legend.js'
import { finishPages } from './pages.js'
import { denyFiles, nameStage, watchProject } from './serve.js'

/** Options of the plugin. */
export interface MappaPluginOptions {
  /**
   * The stage; unless said, an explicit `--mode`, else `MAPPA_STAGE`, else `development` when serving and `production`
   * when building.
   */
  readonly stage?: string
  /** The directory that holds the legend and the layer files; searched for upwards from Vite's root unless said. */
  readonly root?: string
}

/** No variable of an environment can have an equals sign behind letters in its name, so this prefix matches none. */
const noPrefix = 'mappa='

/**
 * A folder that is not there, instead of `false`: other plugins read layer files in the root of the page where there is none, and
 * put them into the process environment.
 */
const noLayers = path.join(import.meta.dirname, 'no-layers')

/** Names that frameworks set in the environment themselves, and list where a prefix is asked for. */
function wholeNames(prefixes: readonly string[], session: Session): readonly string[] {
  const all = [...Object.keys(process.env), ...Object.keys(session.project.definition?.entries ?? {})]
  return prefixes.filter((prefix) => {
    const named = all.filter((name) => name.startsWith(prefix))
    return named.length === 1 && named[0] === prefix && process.env[prefix] !== undefined
  })
}

/**
 * The plugin for Vite: settings through `import { NAME } from 'virtual:mappa/settings'`. Browser code gets the values
 * of reach `browser`, fixed at build; taking any other name fails there, with the way the import took. Server code gets
 * all values, settled when the server starts. `import.meta.env.NAME` is the text of a value of reach `browser`. Faults
 * fail the build; while serving, an edited layer or legend is read again and the page reloads.
 *
 * Vite's own reading of `.env` files and of prefixed variables is switched off.
 *
 * ```ts
 * export default defineConfig({ plugins: [mappa()] })
 * ```
 */
export function mappa(options: MappaPluginOptions = {}): Plugin {
  let session: Session
  const hooks = hooksFor(() => session)
  const ofWorkers = hooksFor(() => session, true)
  return {
    name: 'mappa',
    // Before the others, a component or a page is not a JavaScript yet.
    enforce: 'post',

    async config(config, { command, isPreview }) {
      checkVersion((this as { readonly meta?: { readonly viteVersion?: string } } | undefined)?.meta?.viteVersion)
      // Assigned, not returned: what is returned is merged with the user's own, and prefixes would add up.
      config.envDir = noLayers
      const prefixes = [config.envPrefix ?? []].flat()
      config.envPrefix = noPrefix
      // A prebundled module has another name, under which it could not be kept from pages.
      config.optimizeDeps ??= {}
      config.optimizeDeps.exclude = [...(config.optimizeDeps.exclude ?? []), 'mappa', ...serverEntries]
      const pageRoot = path.resolve(config.root ?? '.')
      const stage = chooseBuildStage(options.stage, config.mode, command)
      session = new Session(pageRoot, options.root, stage, command, loadLegend, command === 'serve')
      // A build that bundles workers does so with plugins of their own.
      const { plugins } = (config.worker ??= {})
      config.worker.plugins = () => [
        ...withoutMappa(plugins?.() ?? []),
        {
          name: 'mappa:bundle',
          enforce: 'post',
          ...ofWorkers,
          configResolved({ plugins: own }) {
            if (this.meta.viteVersion.startsWith('7.')) beforeReplacing(own as Plugin[], 'mappa:bundle')
          },
        } satisfies Plugin,
      ]
      if (isPreview) return
      await session.project.read()
      config.envPrefix = [noPrefix, ...wholeNames(prefixes, session)]
      // A build that goes on when a file changes puts other values in later.
      if (config.build?.watch || !session.project.sound) return
      session.defineIn((config.define ??= {}))
      if (command !== 'build') return
      narrow(hooks, session)
      narrow(ofWorkers, session, true)
    },

    configResolved({ plugins }) {
      if (session.command !== 'build') return
      session.stopOnFaults()
      if (this.meta.viteVersion.startsWith('7.')) beforeReplacing(plugins as Plugin[], 'mappa')
    },

    async buildStart() {
      if (this.environment.mode !== 'build') return
      // Again for each round of `vite build --watch`.
      if (this.meta.watchMode) await session.project.read()
      session.stopOnFaults()
      for (const file of session.project.files) this.addWatchFile(file)
      for (const notice of session.newNotices()) this.info(notice)
    },

    ...hooks,

    transformIndexHtml: {
      // Before Vite puts anything there.
      order: 'pre',
      handler(html, { filename }) {
        const { sound } = session.project
        if (!sound) return html
        const graph = graphOf(session, undefined, async () => undefined)
        const faults = refusedInPage(html, filename, sound.definition, graph)
        if (faults.length > 0) throw session.errorOf(faults)
        const page = withPercentNames(html, session.texts)
        session.pages ||= page !== html
        return page
      },
    },

    configureServer(server) {
      session.stopOnFaults()
      nameStage(session, server)
      denyFiles(session, server)
      watchProject(session, server)
      for (const notice of session.newNotices()) server.config.logger.info(notice, { timestamp: true })
      session.started = true
    },
  }
}

/** Vite 7 replaces what is defined in a plugin of its own: behind that, names would be gone before they could be refused. */
function beforeReplacing(plugins: Plugin[], name: string): void {
  const [own, replaces] = [name, 'vite:define'].map((named) => plugins.findIndex((each) => each.name === named))
  if (own === undefined || replaces === undefined || replaces < 0 || own < replaces) return
  plugins.splice(replaces, 0, ...plugins.splice(own, 1))
}

/** @throws {Error} for a Vite that has no environments with plugins of their own. */
function checkVersion(version: string | undefined): void {
  if (version !== undefined && Number.parseInt(version, 10) >= viteVersionMin) return
  const found = version === undefined ? 'an older version' : `Vite ${version}`
  throw new Error(
    `@mappa/build/vite needs Vite ${viteVersionMin} or later, but this is ${found}. Run: npm install --save-dev vite@${viteVersionMin}`,
  )
}

const viteVersionMin = 7

/** Plugins without this one, which somebody may have named for workers, too. */
function withoutMappa(plugins: readonly PluginOption[]): readonly PluginOption[] {
  return plugins.filter((each) => !(each && 'name' in each && each.name === 'mappa'))
}

/** Has the bundler itself tell which modules are looked at: to be asked about each costs as much as bundling it. */
function narrow({ load, transform }: Hooks, session: Session, isWorker = false): void {
  load.filter = { id: session.concerningIds() }
  transform.filter = {
    code: { include: [...session.suspicionOf(isWorker).patterns(), /data:|__VITE_ASSET__|new URL/] },
    id: { exclude: /^\0/ },
  }
}

/** Those of the plugin's hooks that are objects, whose filters come to be known later. */
type Hooks = {
  readonly [Name in 'resolveId' | 'load' | 'transform' | 'generateBundle' | 'closeBundle']: Extract<
    NonNullable<Plugin[Name]>,
    { readonly handler: unknown }
  >
}

/** Hooks for each module and each bundle, the same under every bundler. */
function hooksFor(session: () => Session, isWorker = false): Hooks {
  return {
    resolveId: {
      filter: { id: /^virtual:mappa\/settings$/ },
      handler: () => resolvedModule,
    },

    load: {
      // Before whatever gives a file's text to a page.
      order: 'pre',
      async handler(id) {
        const own = session()
        if (id !== resolvedModule) {
          if (this.environment.config.consumer !== 'client') return
          const [file] = id.split('?', 1) as [string]
          const fault = refusedStyleImport(file, own)
          if (fault) this.error(refusalOf(own, [fault]))
          const why = own.keptFromPages(id)
          if (why === undefined) return
          const resolve = async (path: string, importer: string) => (await this.resolve(path, importer))?.id
          const refused = await refusedModule(id, why, graphOf(own, inputOf(this.environment.config), resolve))
          this.error(refusalOf(own, [refused]))
        }
        const { root, build, consumer } = this.environment.config
        return own.settingsModule(consumer === 'client', path.resolve(root, build.outDir))
      },
    },

    transform: {
      // By now, `new URL` imports are inlined or renamed.
      filter: {
        code: /virtual:mappa\/settings|(?:import\s*\.\s*meta|__vite_ssr_import_meta__)\s*\??\.\s*env|process[\s\S]{0,40}env|data:|__VITE_ASSET__|new URL/,
        id: { exclude: /^\0/ },
      },
      async handler(code, id) {
        const own = session()
        const { sound } = own.project
        if (!sound) return
        const isClient = this.environment.config.consumer === 'client'
        // The legend has changed, so each module is judged again.
        if (own.command === 'serve') own.filled.add(id)
        const module = moduleOf(id, code, () => this.parse(code))
        if (isClient) {
          const resolve = async (path: string, importer: string) => (await this.resolve(path, importer))?.id
          const graph = graphOf(own, inputOf(this.environment.config), resolve)
          const faults = [
            ...(await refusedAssets(own, id, code, graph)),
            ...(await refusedNames(module, sound.definition, own.suspicionOf(isWorker), graph)),
          ]
          if (faults.length > 0) this.error(refusalOf(own, faults))
        }
        // On a server, too: a page that it renders must be the one that the browser goes on with.
        const text = own.filledIn(module, isClient)
        return text === undefined ? undefined : { code: text, map: null }
      },
    },

    generateBundle: {
      // Behind all that adds or changes a file.
      order: 'post',
      handler({ dir }, bundle) {
        const own = session()
        const { sound } = own.project
        if (!sound || this.environment.config.consumer !== 'client') return
        const outputs = Object.values(bundle).map((each) =>
          each.type === 'asset'
            ? { name: each.fileName, content: each.source }
            : { name: each.fileName, content: each.code, map: each.map ? mapTexts(each.map) : undefined },
        )
        const leaks = leaksOf(outputs, sound.survey)
        if (leaks.length > 0) this.error({ message: own.report(leaks), stack: '' })
        const { root, build } = this.environment.config
        const folder = pathFrom(process.cwd(), path.resolve(root, build.outDir)) || '.'
        const said = finishPages(bundle as Rolldown.OutputBundle, own, folder)
        for (const line of said) this.info(line)
        const output = dir ?? path.resolve(root, build.outDir)
        if (build.write && !isWorker) noteSearched(own.searchedIn(output), output, outputs)
      },
    },

    closeBundle: {
      // Behind all that copies or writes a file.
      order: 'post',
      sequential: true,
      handler() {
        const own = session()
        const { sound } = own.project
        if (!sound || this.environment.config.consumer !== 'client') return
        const leaks = own.leaksOnDisk(sound.survey)
        if (leaks.length > 0) this.error({ message: own.report(leaks), stack: '' })
      },
    },
  }
}

/** The error for a refused module. */
function refusalOf(session: Session, faults: readonly Fault[]) {
  return { message: session.report(faults, true), stack: '' }
}

/** The source texts in a source map; the rest of it is places. */
function mapTexts({ sources, sourcesContent = [], names }: Rolldown.SourceMap): string {
  return [...sources, ...sourcesContent, ...names].join('\n')
}

/** The entry points of a page. Older versions of Vite name the option after their bundler. */
function inputOf({ build }: { readonly build: ResolvedConfig['build'] }): Rolldown.InputOption | undefined {
  return (build.rolldownOptions ?? build.rollupOptions)?.input
}
