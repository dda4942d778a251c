import { Hono } from 'hono'
import { cors } from 'hono/cors'
import { type AlertSettings, isSwarm, sendAlert } from './alert.js'
import type { Log } from './log.js'
import type { Reading, Store } from './store.js'

/** What the application is made of; handed in, so that it runs without a process around it. */
export interface Parts {
  readonly stage: string
  readonly store: Store
  readonly log: Log
  readonly alert: AlertSettings
  readonly allowedOrigins: readonly string[]
}

/** `POST /readings`, `GET /hives`, `GET /hives/:hive/readings`, `GET /health`. */
export function createApp({ stage, store, log, alert, allowedOrigins }: Parts): Hono {
  const app = new Hono()
  app.use(cors({ origin: [...allowedOrigins] }))
  app.get('/health', (context) => context.json({ stage, hives: store.latest().length }))
  app.get('/hives', (context) => context.json(store.latest()))
  app.get('/hives/:hive/readings', (context) => context.json(store.readings(context.req.param('hive'))))
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
