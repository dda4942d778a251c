// Stands in for a host's settings service: node host-settings.mjs PORT FILE answers GET /<stage> with the texts that the
// JSON file holds for it, to whoever brings the token of HOST_TOKEN, and takes its time as such services do.
import { readFileSync } from 'node:fs'
import { setTimeout as wait } from 'node:timers/promises'
import { serve } from '@hono/node-server'
import { Hono } from 'hono'

const [port, file] = process.argv.slice(2)
const app = new Hono()
app.get('/:stage', async (context) => {
  await wait(250)
  const token = process.env.HOST_TOKEN // mappa keep: the host's own, which no legend of ours declares
  if (context.req.header('authorization') !== `Bearer ${token}`) return context.text('Unknown token.', 401)
  const texts = JSON.parse(readFileSync(file, 'utf8'))[context.req.param('stage')]
  return texts ? context.json(texts) : context.text('Unknown stage.', 404)
})
const server = serve({ fetch: app.fetch, port: Number(port), hostname: '127.0.0.1' }, () => console.log('ready'))
process.on('SIGTERM', () => server.close(() => process.exit(0)))
