import { Hono } from 'hono'
import { cors } from 'hono/cors'
import { type AlertSettings, isSwarm, sendAlert } from './alert.js'
import type { Log } from './log.js'
import type { Reading, Store } from './store.js'
import { tileSvg } from './tiles.js'

/** What the application is made of; handed in, so that it runs without a process around it. */
export interface Parts {
  readonly stage: string
  readonly store: Store
  readonly log: Log
  readonly alert: AlertSettings
  readonly allowedOrigins: readonly string[]
  /** Pages must send it to get map tiles. */
  readonly tileKey: string
}

/** `POST /readings`, `PUT /hives/:hive/place`, `GET /hives`, `GET /hives/:hive/readings`, `GET /tiles/:x/:y`, `GET /health`. */
export function createApp({ stage, store, log, alert, allowedOrigins, tileKey }: Parts): Hono {
  const app = new Hono()
  app.use(cors({ origin: [...allowedOrigins] }))
  app.get('/health', (context) => context.json({ stage, hives: store.latest().length }))
  app.get('/hives', (context) => context.json(store.latest()))
  app.get('/hives/:hive/readings', (context) => context.json(store.readings(context.req.param('hive'))))
  app.get('/tiles/:x/:y', (context) => {
    if (context.req.query('key') !== tileKey) return context.text('Unknown key.', 403)
    const { x, y } = context.req.param()
    return context.body(tileSvg(Number.parseInt(x, 10), Number.parseInt(y, 10)), 200, {
      'content-type': 'image/svg+xml',
    })
  })
  app.put('/hives/:hive/place', async (context) => {
    const { east, north } = ((await context.req.json().catch(() => undefined)) ?? {}) as Record<string, unknown>
    if (!isBetween(east, -400, 400) || !isBetween(north, -240, 240))
      return context.json({ error: 'east and north must be metres from the farmhouse, at most 400 and 240.' }, 400)
    store.place(context.req.param('hive'), east, north)
    return context.body(null, 204)
  })
  app.post('/readings', async (context) => {
    const reading = parseReading(await context.req.json().catch(() => undefined))
    if (typeof reading === 'string') return context.json({ error: reading }, 400)
    const before = store.add(reading)
    log.debug('reading', { reading })
    const swarm = isSwarm(before, reading, alert.dropKg)
    if (swarm) void sendAlert(alert, reading, log)
    return context.json({ swarm }, 201)
  })
  return app
}

/** A reading, or a sentence that says what is wrong with it. */
function parseReading(body: unknown): Reading | string {
  if (typeof body !== 'object' || body === null) return 'A reading must be a JSON object.'
  const { hive, weight, temperature, time = Date.now() } = body as Record<string, unknown>
  if (typeof hive !== 'string' || !/^[a-z0-9-]{1,40}$/.test(hive))
    return 'hive must be 1 to 40 small letters, digits or hyphens.'
  if (!isBetween(weight, 0, 300)) return 'weight must be a number of kilograms from 0 to 300.'
  if (!isBetween(temperature, -60, 80)) return 'temperature must be a number of degrees Celsius from -60 to 80.'
  if (!isBetween(time, 0, 8.64e15)) return 'time must be a number of milliseconds since 1970.'
  return { hive, weight, temperature, time }
}

function isBetween(value: unknown, least: number, most: number): value is number {
  return typeof value === 'number' && value >= least && value <= most
}
