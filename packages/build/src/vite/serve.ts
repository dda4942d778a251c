import fs from 'node:fs'
import path from 'node:path'
import { changesBetween } from 'mappa'
import { realOf } from 'mappa/plugin'
import type { ViteDevServer } from 'vite'
import { isKeptName, type Session } from '../bundle/session.js'
import { nameHere } from './build-stage.js'

/** Serves no layer file and no one-value file, whatever the server allows. */
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
    response.end('Layer files and one-value files are not served.')
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

/** Watchers report one change of a file within this time. Milliseconds. */
const secondLookAfter = 100

/** Reads the settings again whenever a file of theirs changes, as long as the server runs. */
export function watchProject(session: Session, server: ViteDevServer): void {
  const { project } = session
  // A legend that is away for a while is waited for, so no file is forgotten.
  const watched = new Set<string>()
  const watch = () => {
    for (const file of project.files) watched.add(file)
    server.watcher.add([...watched])
  }
  watch()
  const stamps = () =>
    [...watched].map((file) => {
      const { mtimeMs, size } = fs.statSync(file, { throwIfNoEntry: false }) ?? {}
      return `${mtimeMs} ${size}`
    })
  const read = async () => {
    const before = stamps().join()
    await reload(session, server)
    watch()
    // A second change soon after the first is not reported.
    setTimeout(() => {
      if (stamps().join() !== before) void read()
    }, secondLookAfter).unref()
  }
  const changed = async (file: string) => {
    if (watched.has(path.resolve(file))) await read()
  }
  for (const event of ['change', 'add', 'unlink'] as const) server.watcher.on(event, changed)
}

/**
 * Reads the settings again and says what changed. With faults the page stays as it is, and they are shown. New values come
 * as an update of the modules that hold them, which a framework may take in with all state kept; what a page may have at
 * all, and what it says itself, takes a reload; and of what only the server has it need not know.
 */
async function reload(session: Session, server: ViteDevServer): Promise<void> {
  const { project, filled } = session
  const before = project.survey
  const [reachBefore, valuesBefore, wasFaulty] = [session.reach, session.values, project.faults.length > 0]
  await project.read()
  const { logger } = server.config
  const client = server.environments.client
  if (project.faults.length > 0) {
    const message = session.report(project.faults).trimStart()
    logger.error(message, { timestamp: true })
    client?.hot.send({ type: 'error', err: { message, stack: '', plugin: 'mappa' } })
    return
  }
  for (const notice of session.newNotices()) logger.info(notice, { timestamp: true })
  for (const change of changesBetween(before, project.survey)) logger.info(change.message, { timestamp: true })
  for (const { moduleGraph } of Object.values(server.environments))
    for (const id of filled) {
      const module = moduleGraph.getModuleById(id)
      if (module) moduleGraph.invalidateModule(module)
    }
  if (!client) return
  if (wasFaulty || reachBefore !== session.reach || (session.pages && valuesBefore !== session.values)) {
    client.hot.send({ type: 'full-reload' })
    return
  }
  if (valuesBefore === session.values) return
  for (const id of filled) {
    const module = client.moduleGraph.getModuleById(id)
    if (module) await client.reloadModule(module)
  }
}
