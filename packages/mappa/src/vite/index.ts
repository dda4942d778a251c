import type { Plugin } from 'vite'
import { leaksIn } from '../bundle/leaks.js'
import { refusedModule } from '../bundle/refuse.js'
import { browserModule, serverModule } from '../bundle/settings-module.js'
import { graphOf, refusedAssets, refusedIn, withPageTexts } from './page.js'
import { denyFiles, nameStage, watchProject } from './serve.js'
import { resolvedModule, Session, serverEntries } from './session.js'

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
  return {
    name: 'mappa',
    // Before the others, a component or a page is no JavaScript yet.
    enforce: 'post',

    config(config, { command }) {
      // Assigned, not returned: what is returned is merged with the user's own, and prefixes would add up.
      config.envDir = false
      config.envPrefix = noPrefix
      // What is bundled ahead has another name, under which it could not be kept from pages.
      config.optimizeDeps ??= {}
      config.optimizeDeps.exclude = [
        ...(config.optimizeDeps.exclude ?? []),
        'mappa',
        ...serverEntries.map((each) => `mappa/${each}`),
      ]
      session = new Session(config, options, command)
    },

    async configResolved() {
      if (session.command !== 'build') return
      await session.project.read()
      session.stopOnFaults()
    },

    async buildStart() {
      if (this.environment.mode !== 'build') return
      // Again for each round of `vite build --watch`.
      if (this.meta.watchMode) await session.project.read()
      session.stopOnFaults()
      for (const file of session.project.files) this.addWatchFile(file)
    },

    resolveId: {
      filter: { id: /^virtual:mappa\/settings$/ },
      handler: () => resolvedModule,
    },

    load: {
      // Before whatever gives a file's text to a page.
      order: 'pre',
      async handler(id) {
        if (id !== resolvedModule) {
          if (this.environment.config.consumer !== 'client') return
          const why = session.keptFromPages(id)
          if (why === undefined) return
          const { input } = this.environment.config.build.rolldownOptions
          const resolve = async (path: string, importer: string) => (await this.resolve(path, importer))?.id
          const fault = await refusedModule(id, why, graphOf(session, input, resolve))
          this.error({ message: session.report([fault]), stack: '' })
        }
        const { sound } = session.project
        if (!sound) throw session.error()
        const { definition, legendPath, survey } = sound
        if (this.environment.config.consumer === 'client') return browserModule(definition, survey)
        const servedAt = session.command === 'serve' ? session.project.root : undefined
        return serverModule(definition, legendPath, survey.stage.name, servedAt)
      },
    },

    transform: {
      // What was asked for with new URL is put in, or called by another name, by now.
      filter: {
        code: /virtual:mappa\/settings|import\.meta\.env|data:|__VITE_ASSET__|new URL/,
        id: { exclude: /^\0/ },
      },
      async handler(code, id) {
        if (!session.project.sound) return
        const program = this.parse(code)
        const { consumer, build } = this.environment.config
        if (consumer === 'client') {
          const resolve = async (path: string, importer: string) => (await this.resolve(path, importer))?.id
          const { input } = build.rolldownOptions
          const assets = await refusedAssets(session, id, graphOf(session, input, resolve))
          const faults = [...assets, ...(await refusedIn(session, program, id, input, resolve))]
          if (faults.length > 0) this.error({ message: session.report(faults), stack: '' })
        }
        // On a server, too: a page that it renders must be the one that the browser goes on with.
        return withPageTexts(session, program, code, id)
      },
    },

    generateBundle: {
      // Behind all that adds or changes a file.
      order: 'post',
      handler(_, bundle) {
        const { sound } = session.project
        if (!sound || this.environment.config.consumer !== 'client') return
        const outputs = Object.values(bundle).map((each) =>
          each.type === 'asset'
            ? { name: each.fileName, content: each.source }
            : { name: each.fileName, content: each.code, map: each.map?.toString() },
        )
        const leaks = leaksIn(outputs, sound.survey)
        if (leaks.length > 0) this.error({ message: session.report(leaks), stack: '' })
      },
    },

    async configureServer(server) {
      await session.project.read()
      session.stopOnFaults()
      nameStage(session, server)
      denyFiles(session, server)
      watchProject(session, server)
      session.started = true
    },
  }
}
