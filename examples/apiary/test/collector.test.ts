import assert from 'node:assert/strict'
import { existsSync, rmSync } from 'node:fs'
import { createServer } from 'node:http'
import type { AddressInfo } from 'node:net'
import { join } from 'node:path'
import test from 'node:test'
import { node, until } from '../../../test/helpers.js'
import { apiary, freePort, whileRunning } from './apiary.js'

/** Runs the server, talks to it once it listens, and stops it. */
const serve = (
  args: readonly string[],
  env: Record<string, string>,
  cwd: string,
  talk: (url: string) => Promise<void>,
) => whileRunning(args, { cwd, env, ready: 'collector started' }, () => talk(`http://127.0.0.1:${env.COLLECTOR_PORT}`))

const post = (url: string, body: unknown) => fetch(`${url}/readings`, { method: 'POST', body: JSON.stringify(body) })
const reading = { hive: 'meadow', weight: 41.8, temperature: 22.5, time: 1_000 }

test('the collector keeps and serves readings in the stage it is started for, and stops gracefully', async () => {
  const cwd = apiary()
  const port = String(await freePort())
  const answers: unknown[] = []
  const { code, stdout, stderr } = await serve(
    ['with', 'staging', '--', 'node', 'collector/dist/server.js'],
    { COLLECTOR_PORT: port },
    cwd,
    async (url) => {
      for (const body of [reading, { ...reading, time: 2_000, weight: 39 }, { hive: 'Ä' }, 'x'])
        answers.push((await post(url, body)).status)
      answers.push(
        await (await fetch(`${url}/hives`)).json(),
        await (await fetch(`${url}/hives/meadow/readings`)).json(),
      )
      const allowed = await fetch(`${url}/health`, { headers: { origin: 'https://staging.fennelhill.example' } })
      answers.push(await allowed.json(), allowed.headers.get('access-control-allow-origin'))
    },
  )
  assert.deepEqual(answers, [
    201,
    201,
    400,
    400,
    [{ ...reading, time: 2_000, weight: 39, east: 0, north: 0 }],
    [reading, { ...reading, time: 2_000, weight: 39 }],
    { stage: 'staging', hives: 1 },
    'https://staging.fennelhill.example',
  ])
  assert.deepEqual([code, stderr], [0, ''])
  const lines = stdout
    .trim()
    .split('\n')
    .map((line) => JSON.parse(line))
  assert.equal(lines[0].stage, 'staging')
  assert.equal(lines[0].settings.store.file, 'data/staging.sqlite')
  assert.match(stdout, /sms_test_…\(secret\)/)
  assert.doesNotMatch(stdout, /buckwheat/)
  assert.deepEqual(
    lines.slice(1).map(({ message, level }) => `${level} ${message}`),
    ['warn swarm', 'info stopping', 'undefined collector stopped'],
  )
  assert.ok(existsSync(join(cwd, 'data/staging.sqlite')))
})

test('in production a swarm sends a text message through the gateway, with the token', async () => {
  const cwd = apiary()
  const asked: unknown[] = []
  const gateway = createServer((request, response) => {
    let body = ''
    request
      .on('data', (data) => (body += data))
      .on('end', () => {
        asked.push(request.headers.authorization, JSON.parse(body).to)
        response.end()
      })
  }).listen(0)
  const env = {
    MAPPA_STAGE: 'production',
    COLLECTOR_PORT: String(await freePort()),
    ALERT_GATEWAY: `http://127.0.0.1:${(gateway.address() as AddressInfo).port}/`,
  }
  // By itself, without the command: the server settles its settings on import.
  const { code, stdout } = await serve(['collector/dist/server.js'], env, cwd, async (url) => {
    await post(url, reading)
    assert.deepEqual(await (await post(url, { ...reading, time: 2_000, weight: 38 })).json(), { swarm: true })
    await until(() => asked.length > 0, 'the gateway is asked')
  })
  gateway.close()
  assert.deepEqual(asked, ['Bearer sms_live_acacia_sunflower_lime', '+15550100'])
  assert.equal(code, 0)
  assert.match(stdout, /"port":\d+,"settings"/)

  rmSync(join(cwd, '.env.production.local'))
  const failed = await node(['collector/dist/server.js'], { cwd, env })
  assert.equal(failed.code, 1)
  assert.match(failed.stderr, /SettleError: the settings have faults\.[\s\S]*ALERT_TOKEN must match \^sms_live_\./)
  assert.doesNotMatch(failed.stderr, /buckwheat/)
})
