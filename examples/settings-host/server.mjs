// Stands in for a hosting platform's settings service: node server.mjs PORT FILE keeps settings by stage in the JSON file,
// for anyone who brings the token of HOST_TOKEN.
//
//   GET    /<stage>         the texts of a stage, by name
//   GET    /<stage>/names   their names alone, as hosts say that never give a value back
//   PATCH  /<stage>         a JSON merge patch (RFC 7396): sets names, and with null takes them away
//   PUT    /fault           { "fault": "slow" }: from now on it misbehaves; null: no longer
import { chmodSync, readFileSync, renameSync, writeFileSync } from 'node:fs'
import { setTimeout as wait } from 'node:timers/promises'
import { serve } from '@hono/node-server'
import { RESPONSE_ALREADY_SENT } from '@hono/node-server/utils/response'
import { Hono } from 'hono'
import { bodyLimit } from 'hono/body-limit'

const [port, file] = process.argv.slice(2)
const token = process.env.HOST_TOKEN ?? '' // mappa keep: the host's own, which no legend of ours declares
if (token.length < 16) {
  console.error('HOST_TOKEN must be set, to 16 characters at least.')
  process.exit(1)
}
/** Larger requests are refused. Bytes. */
const bodyMax = 64 * 1024
/** Services of this kind take their time. Milliseconds. */
const usualWait = 50
let fault = null

/** How it may misbehave. */
const faults = {
  slow: () => wait(60_000),
  failing: (context) => context.text('Something went wrong.', 500),
  // Its gateway's, say, with a page of its own.
  busy: (context) => context.text('Too many requests.', 429),
  'wrong-token': (context) => context.text('Unknown token.', 401),
  half: ({ env: { outgoing } }) => {
    outgoing.writeHead(200, { 'content-type': 'application/json', 'content-length': '1000' })
    outgoing.write('{ "READINGS_KEPT": "5')
    setTimeout(() => outgoing.destroy(), 20)
    return RESPONSE_ALREADY_SENT
  },
  'no-json': (context) => context.body('{ "READINGS_KEPT": ', 200, { 'content-type': 'application/json' }),
  page: (context) => context.html('<h1>Sign in</h1>'),
  elsewhere: (context) => context.redirect('http://elsewhere.example/'),
}

const app = new Hono()
app.use(async (context, next) => {
  await wait(usualWait)
  if (context.req.header('authorization') !== `Bearer ${token}`) return context.text('Unknown token.', 401)
  const misbehaves = context.req.path === '/fault' ? undefined : faults[fault]
  return (await misbehaves?.(context)) ?? next()
})
app.use(bodyLimit({ maxSize: bodyMax, onError: (context) => context.text('Too large.', 413) }))
app.put('/fault', async (context) => {
  fault = (await context.req.json()).fault
  return context.body(null, 204)
})
app.get('/:stage', (context) => {
  const texts = textsOf(all(), context)
  return texts ? context.json(texts) : context.text('Unknown stage.', 404)
})
app.get('/:stage/names', (context) => context.json(Object.keys(textsOf(all(), context) ?? {})))
app.patch('/:stage', async (context) => {
  const patch = await context.req.json().catch(() => undefined)
  if (!isPatch(patch)) return context.text('Send an object of texts.', 400)
  // Read when nothing is waited for any more: another request may have written meanwhile.
  const stages = all()
  const texts = textsOf(stages, context)
  if (!texts) return context.text('Unknown stage.', 404)
  const merged = Object.entries({ ...texts, ...patch }).filter(([, text]) => text !== null)
  keep({ ...stages, [context.req.param('stage')]: Object.fromEntries(merged) })
  return context.json(merged.map(([name]) => name))
})

const server = serve({ fetch: app.fetch, port: Number(port), hostname: '127.0.0.1' }, ({ port }) =>
  console.log(`ready on port ${port}`),
)
process.on('SIGTERM', () => {
  server.close(() => process.exit(0))
  server.closeAllConnections()
})

/** The texts of a stage that the file has; undefined for `__proto__` and the like. */
function textsOf(stages, context) {
  const stage = context.req.param('stage')
  return Object.hasOwn(stages, stage) ? stages[stage] : undefined
}

function isPatch(value) {
  return (
    typeof value === 'object' &&
    value !== null &&
    !Array.isArray(value) &&
    Object.entries(value).every(
      ([name, text]) =>
        /^[A-Za-z_]\w*$/.test(name) && name !== '__proto__' && (text === null || typeof text === 'string'),
    )
  )
}

function all() {
  return JSON.parse(readFileSync(file, 'utf8'))
}

/** Anyone who reads it meanwhile finds the old settings or the new ones. */
function keep(stages) {
  writeFileSync(`${file}.new`, `${JSON.stringify(stages, null, 2)}\n`, { mode: 0o600 })
  chmodSync(`${file}.new`, 0o600)
  renameSync(`${file}.new`, file)
}
