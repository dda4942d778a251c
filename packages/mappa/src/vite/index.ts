import type { Plugin, ViteDevServer } from 'vite'
import { ViteProject } from '../bundle/project.js'
import { type ModuleGraph, pageNames, refusedNames } from '../bundle/refuse.js'
import { browserModule, pageTexts, serverModule } from '../bundle/settings-module.js'
import { path } from '../node/builtins.js'
import { reportText } from '../report/text.js'
import { changesBetween } from '../settle/changes.js'
import type { Fault } from '../settle/faults.js'
import type { Stage } from '../settle/stage.js'

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

type Command = 'build' | 'serve'
const resolvedModule = '\0virtual:mappa/settings'
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
  let project: ViteProject
  let command: Command = 'build'
  let pageRoot = ''
  let started = false
  /** Modules that hold values of their own, beside the settings module. */
  const filled = new Set([resolvedModule])
  const report = (faults: readonly Fault[]) =>
    reportText(
      { stage: project.survey.stage, faults, notices: [] },
      {
        consequence:
          command === 'build'
            ? 'Nothing was built.'
            : started
              ? 'The page keeps its old values.'
              : 'Nothing was served.',
      },
    )
  const stopOnFaults = () => {
    if (project.faults.length > 0) throw plainError(report(project.faults))
  }
  return {
    name: 'mappa',
    // Before the others, a component or a page is no JavaScript yet.
    enforce: 'post',

    config(config, env) {
      // Assigned, not returned: what is returned is merged with the user's own, and prefixes would add up.
      config.envDir = false
      config.envPrefix = noPrefix
      command = env.command
      pageRoot = path.resolve(config.root ?? '.')
      project = new ViteProject(pageRoot, options.root, chooseBuildStage(options.stage, config.mode, command), command)
    },

    async configResolved() {
      if (command !== 'build') return
      await project.read()
      stopOnFaults()
    },

    async buildStart() {
      if (this.environment.mode !== 'build') return
      // Again for each round of `vite build --watch`.
      if (this.meta.watchMode) await project.read()
      stopOnFaults()
      for (const file of project.files) this.addWatchFile(file)
    },

    resolveId: {
      filter: { id: /^virtual:mappa\/settings$/ },
      handler: () => resolvedModule,
    },

    load: {
      filter: { id: /^\0virtual:mappa\/settings$/ },
      handler() {
        const { definition, legendPath, survey } = project
        if (!definition || !legendPath) throw plainError(report(project.faults))
        if (this.environment.config.consumer === 'client') return browserModule(definition, survey)
        return serverModule(definition, legendPath, survey.stage.name)
      },
    },

    transform: {
      filter: { code: /virtual:mappa\/settings|import\.meta\.env/, id: { exclude: /^\0/ } },
      async handler(code, id) {
        const { definition, survey } = project
        if (!definition) return
        const program = this.parse(code)
        const { consumer, build } = this.environment.config
        if (consumer === 'client') {
          const input = build.rolldownOptions.input ?? path.join(pageRoot, 'index.html')
          const graph: ModuleGraph = {
            entries: (typeof input === 'string' ? [input] : Object.values(input)).map((each) =>
              path.resolve(pageRoot, each),
            ),
            resolve: async (path, importer) => (await this.resolve(path, importer))?.id,
            nameOf: (id) => shownPath(id, pageRoot),
          }
          const faults = await refusedNames(program, id, definition, graph)
          if (faults.length > 0) this.error({ message: plainText(report(faults)), stack: '' })
        }
        // On a server, too: a page that it renders must be the one that the browser goes on with.
        const define = pageTexts(definition, survey, pageNames(program))
        if (Object.keys(define).length === 0) return
        const { transformWithOxc } = await import('vite')
        filled.add(id)
        const { code: text, map } = await transformWithOxc(code, id, {
          lang: 'js',
          define,
          sourcemap: true,
          tsconfig: false,
        })
        return { code: text, map: map ?? null }
      },
    },

    async configureServer(server) {
      await project.read()
      stopOnFaults()
      const watch = () => server.watcher.add([...project.files])
      watch()
      started = true
      const changed = async (file: string) => {
        if (!project.files.includes(path.resolve(file))) return
        await reload(project, server, filled, report)
        watch()
      }
      for (const event of ['change', 'add', 'unlink'] as const) server.watcher.on(event, changed)
    },
  }
}

/** Vite sets `NODE_ENV` itself, so unlike at a start that names no stage here. */
function chooseBuildStage(named: string | undefined, mode: string | undefined, command: Command): Stage {
  if (named !== undefined) return { name: named, from: 'the plugin' }
  if (mode !== undefined) return { name: mode, from: '--mode' }
  if (process.env.MAPPA_STAGE) return { name: process.env.MAPPA_STAGE, from: 'MAPPA_STAGE' }
  return { name: command === 'build' ? 'production' : 'development', from: `vite ${command}` }
}

/** Reads the settings again, says what changed, and reloads the page; with faults it stays as it is, and they are shown. */
async function reload(
  project: ViteProject,
  server: ViteDevServer,
  filled: ReadonlySet<string>,
  report: (faults: readonly Fault[]) => string,
) {
  const before = project.survey
  const beforeFaults = project.faults.length
  await project.read()
  const { logger } = server.config
  const client = server.environments.client
  if (project.faults.length > 0) {
    const message = report(project.faults)
    logger.error(message, { timestamp: true })
    client?.hot.send({ type: 'error', err: { message, stack: '', plugin: 'mappa' } })
    return
  }
  const changes = changesBetween(before, project.survey)
  if (changes.length === 0 && beforeFaults === 0) return
  for (const change of changes) logger.info(change.message, { timestamp: true })
  for (const { moduleGraph } of Object.values(server.environments))
    for (const id of filled) {
      const module = moduleGraph.getModuleById(id)
      if (module) moduleGraph.invalidateModule(module)
    }
  client?.hot.send({ type: 'full-reload' })
}

/** The report is the whole message: where in Vite it was raised helps nobody. */
function plainError(message: string): Error {
  const error = new Error(plainText(message))
  // Vite prints the stack; without a line that starts so, it would put brackets round it.
  error.stack = `${error.message}\n    at mappa, the plugin for Vite`
  return error
}

function plainText(message: string): string {
  return `\n${message.trimEnd()}`
}

function shownPath(id: string, root: string): string {
  const file = id.split('?', 1)[0] as string
  const relative = path.relative(root, file)
  return (relative.startsWith('..') ? file : relative).replaceAll('\\', '/')
}
