import type { ViteDevServer } from 'vite'
import { path } from '../node/builtins.js'
import { realOf } from '../node/files.js'
import { changesBetween } from '../settle/changes.js'
import { nameHere } from './build-stage.js'
import { isKeptName, type Session } from './session.js'

/** Serves no layer file and no one-value file, whatever the server is told to allow. */
export function denyFiles(session: Session, server: ViteDevServer): void {
  const { publicDir } = server.config
  server.middlewares.use((request, response, next) => {
    const files = askedFor(request.url ?? '').flatMap((asked) =>
      [asked, ...[session.pageRoot, publicDir].filter((each) => each !== '').map((each) => path.join(each, asked))].map(
        realOf,
      ),
    )
    if (!files.some((file) => isKeptName(file) || session.isOneValueFile(file))) return next()
    response.statusCode = 403
    response.end('Layer files and files of one value are not served.')
  })
}

/** Code of a server that settles by itself while it is worked on gets the stage of the page, as long as it is served. */
export function nameStage({ project }: Session, server: ViteDevServer): void {
  const forget = nameHere(project.survey.stage.name)
  const close = server.close.bind(server)
  server.close = async () => {
    forget()
    await close()
  }
}

/** The paths that an address may stand for. */
function askedFor(url: string): readonly string[] {
  const [asked = ''] = url.split(/[?#]/, 1)
  try {
    return [path.normalize(decodeURIComponent(asked).replace(/^\/@fs(?=\/)/, ''))]
  } catch {
    return [asked]
  }
}

/** Reads the settings again whenever a file of theirs changes, as long as the server runs. */
export function watchProject(session: Session, server: ViteDevServer): void {
  const { project } = session
  const watch = () => server.watcher.add([...project.files])
  watch()
  const changed = async (file: string) => {
    if (!project.files.includes(path.resolve(file))) return
    await reload(session, server)
    watch()
  }
  for (const event of ['change', 'add', 'unlink'] as const) server.watcher.on(event, changed)
}

/** Reads the settings again, says what changed, and reloads the page; with faults it stays as it is, and they are shown. */
async function reload(session: Session, server: ViteDevServer): Promise<void> {
  const { project, filled } = session
  const before = project.survey
  const beforeFaults = project.faults.length
  await project.read()
  const { logger } = server.config
  const client = server.environments.client
  if (project.faults.length > 0) {
    const message = session.report(project.faults).trimStart()
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
