import type { Server } from 'node:http'
import { serve } from '@hono/node-server'
import { stageOf } from 'mappa/node'
import { createApp } from './app.js'
import { createLog } from './log.js'
import { settings } from './settings.js'
import { openStore } from './store.js'

const stage = stageOf(settings).name
const log = createLog(settings.logLevel, (line) => process.stdout.write(line))
const store = openStore(settings.store.file, settings.store.readingsKept)
const { alert, collector } = settings
const app = createApp({
  stage,
  store,
  log,
  alert,
  tileKey: settings.map.tileKey,
  allowedOrigins: collector.allowedOrigins,
})

const server = serve({ fetch: app.fetch, hostname: collector.host, port: collector.port }, ({ port }) => {
  // Said in every stage, whatever the log level: it is how a person sees that the right stage runs.
  process.stdout.write(`${JSON.stringify({ message: 'collector started', stage, port, settings })}\n`)
})
server.on('error', (error) => {
  process.stderr.write(`The collector cannot listen on ${collector.host}:${collector.port}: ${error.message}\n`)
  process.exitCode = 1
  store.close()
})

for (const signal of ['SIGINT', 'SIGTERM'] as const) process.once(signal, stop)

/** Milliseconds that connections get to end by themselves: a browser opens some in advance and never uses them. */
const graceMax = 1000

/** Answers what has been asked, closes the store, and lets the process end. */
function stop(signal: string): void {
  log.info('stopping', { signal })
  server.close(() => {
    store.close()
    process.stdout.write(`${JSON.stringify({ message: 'collector stopped', stage })}\n`)
  })
  setTimeout(() => (server as Server).closeAllConnections(), graceMax).unref()
}
