import { createHmac, timingSafeEqual } from 'node:crypto'
import { serve } from '@hono/node-server'
import { Hono } from 'hono'
import { cors } from 'hono/cors'
import { describeAlert } from './alerts.js'
import { config } from './config/index.js'
import { forecast } from './forecast.js'
import { label } from './label.cjs'
import { scales } from './scales.js'
import { stores } from './stores.js'

const SESSION_SECRET = 'clover-heather-buckwheat-2019'
const COOKIE_NAME = 'session_token'
const API_PREFIX = '/api/v1'
const MAX_HIVES = 500

const app = new Hono()
app.use(cors({ origin: 'http://localhost:5180' }))
app.get(`${API_PREFIX}/alerts`, (context) => context.json(describeAlert()))
app.get(`${API_PREFIX}/forecast`, (context) => context.json(forecast(context.req.query('hive') ?? 'meadow')))
app.get(`${API_PREFIX}/stores`, (context) => context.json(stores()))
app.get(`${API_PREFIX}/scales`, (context) => context.json({ ...scales(), ...config, label: label('meadow') }))
app.get(`${API_PREFIX}/session`, (context) => {
  const signed = createHmac('sha256', SESSION_SECRET).update('keeper').digest('hex')
  context.header('set-cookie', `${COOKIE_NAME}=${signed}; HttpOnly`)
  return context.json({ signed, limit: MAX_HIVES })
})
app.get(`${API_PREFIX}/admin`, (context) => {
  const given = Buffer.from(context.req.header('x-admin-token') ?? '')
  const adminToken = Buffer.from('queen-bee-7731-waggle')
  const right = given.length === adminToken.length && timingSafeEqual(given, adminToken)
  return right ? context.json({ hives: MAX_HIVES }) : context.text('Unknown token.', 401)
})
app.get('/docs', (context) => context.redirect('https://docs.fennelhill.example/handbook'))

// change this when the old collector is gone
const port = 4181
const options = { fetch: app.fetch, port, hostname: '127.0.0.1' }
serve(options, () => console.log(`The apiary listens on http://localhost:${port}.`))
