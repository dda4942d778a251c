// Stores and services that answer badly, and connections that are not safe: nothing freezes, nothing is asked without a pause, no
// token goes where others could read it, and what goes wrong is told with a remedy that helps.
import assert from 'node:assert/strict'
import { execFileSync } from 'node:child_process'
import { readFileSync } from 'node:fs'
import { createServer, type RequestListener } from 'node:http'
import { createServer as createSecureServer, type ServerOptions } from 'node:https'
import type { AddressInfo } from 'node:net'
import { join } from 'node:path'
import { after, before, describe, test } from 'node:test'
import { legend } from 'mappa'
import { etcdSource } from 'mappa/etcd'
import { layerFromRemote, settleAsync, watchAsync } from 'mappa/node'
import { project, token } from '../../../test/helpers.js'

/** A server on this machine, and its port. */
async function serving(listener: RequestListener, tls?: ServerOptions): Promise<number> {
  const server = tls ? createSecureServer(tls, listener) : createServer(listener)
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve))
  after(() => server.closeAllConnections())
  after(() => server.close())
  return (server.address() as AddressInfo).port
}

const key = Buffer.from('apiary/HIVES').toString('base64')
const value = Buffer.from('4').toString('base64')
const good = { header: { revision: '7' }, kvs: [{ key, value, mod_revision: '7' }] }
const legends = legend({ HIVES: { type: 'integer', optional: true } })

test('a store that gives anything at all is refused at once, and never freezes a program', async () => {
  const huge = '9'.repeat(4_000_000)
  const answers: Readonly<Record<string, unknown>> = {
    'a key that is an object': { ...good, kvs: [{ key: { length: 1e9 }, value }] },
    'a key that is a list': { ...good, kvs: [{ key: [1, 2], value }] },
    'a value that is an object': { ...good, kvs: [{ key, value: { length: 1e9 } }] },
    'a pair that is null': { ...good, kvs: [null] },
    'pairs that are a text': { ...good, kvs: 'abc' },
    'a revision of millions of digits': { ...good, header: { revision: huge } },
    'a revision of a pair of millions of digits': { ...good, kvs: [{ key, value, mod_revision: huge }] },
    'a revision that is an object': { ...good, header: { revision: {} } },
    'no revision': { kvs: [] },
    'a list': [],
    'a number': 7,
  }
  for (const [what, answer] of Object.entries(answers)) {
    const port = await serving((_, response) => response.end(JSON.stringify(answer)))
    // Its own work: what else the machine does is not counted.
    const began = process.cpuUsage()
    const source = etcdSource({ name: 'the store', url: `http://127.0.0.1:${port}`, prefix: 'apiary/' })
    const { faults = [] } = await layerFromRemote(source)
    assert.match(faults[0]?.message ?? 'no fault', /^No values from the store: it did not answer as etcd does\.$/, what)
    const { user, system } = process.cpuUsage(began)
    assert.ok(user + system < 1e6, `${what} took ${Math.round((user + system) / 1000)} ms`)
  }
})

test('a store that can be read and not followed is asked a few times a second, and that is told', async () => {
  const ways: Readonly<Record<string, (response: Parameters<RequestListener>[1]) => unknown>> = {
    'ends its watch': (response) => response.end('{"result":{"created":true}}\n'),
    'refuses it': (response) => response.writeHead(400).end('{"code":7,"message":"permission denied"}'),
    'breaks it off': (response) => response.destroy(),
    'gives an error': (response) => response.end('{"error":{"code":14,"message":"no leader"}}\n'),
    'gives something else': (response) => response.end('[]\n{"result":{"events":[{"kv":{"key":{}}}]}}\n'),
  }
  const warnings: string[] = []
  const warned = (warning: Error) => warnings.push(warning.name)
  process.on('warning', warned)
  await Promise.all(
    Object.entries(ways).map(async ([what, watchEnds]) => {
      let asked = 0
      const port = await serving((request, response) => {
        asked++
        if (request.url?.endsWith('watch')) watchEnds(response)
        else response.end(JSON.stringify(good))
      })
      const lost: string[] = []
      const source = etcdSource({ name: 'the store', url: `http://127.0.0.1:${port}`, prefix: 'apiary/' })
      const options = { root: project({ '.env': 'A=1\n' }), stage: 'production', environment: {}, remotes: [source] }
      const onLost = (faults: readonly { message: string }[]) => lost.push(...faults.map(({ message }) => message))
      const watching = await watchAsync(legends, { ...options, onLost }, () => {})
      await new Promise((resolve) => setTimeout(resolve, 2500))
      watching.close()
      assert.equal(watching.settings?.HIVES, 4, what)
      assert.ok(asked < 30, `${what}: asked ${asked} times`)
      assert.match(lost[0] ?? 'nothing', /^No new values from the store: it .* Its last values are kept\.$/, what)
    }),
  )
  process.off('warning', warned)
  assert.deepEqual(warnings, [])
})

test('a slow answer is waited for while it goes on', async () => {
  const port = await serving(async (_, response) => {
    for (const piece of JSON.stringify(good).match(/.{1,40}/g) ?? []) {
      response.write(piece)
      await new Promise((resolve) => setTimeout(resolve, 1600))
    }
    response.end()
  })
  const source = etcdSource({ name: 'the store', url: `http://127.0.0.1:${port}`, prefix: 'apiary/' })
  assert.deepEqual((await layerFromRemote(source, { timeout: 30_000 })).faults ?? [], [])
})

test('a duration outside of its limits is refused with them, by every call that takes one', async () => {
  const root = project({ '.env': 'A=1\n' })
  const source = { name: 'the host', load: async () => ({}) }
  const options = { root, stage: 'production', environment: {}, remotes: [source] }
  const month = 30 * 86_400_000
  for (const wrong of [0, -1, Number.NaN, Number.POSITIVE_INFINITY, month, '5s' as never]) {
    const timeout = /timeout must be 1 to 600000 milliseconds, but is /
    await assert.rejects(layerFromRemote(source, { timeout: wrong }), timeout)
    await assert.rejects(settleAsync(legends, { ...options, timeout: wrong }), timeout)
    await assert.rejects(
      watchAsync(legends, { ...options, timeout: wrong }, () => {}),
      timeout,
    )
    const every = /^every must be 100 to 86400000 milliseconds, but is /
    await assert.rejects(
      watchAsync(legends, { ...options, every: wrong }, () => {}),
      { name: 'TypeError', message: every },
    )
  }
})

test('a token goes to another machine only encrypted, whatever asks', async () => {
  const url = 'http://store.example:2379'
  const said = /has an\s+address\s+without\s+encryption/
  const store = etcdSource({ name: 'the store', url, prefix: '', user: 'root', password: token })
  assert.match((await layerFromRemote(store)).faults?.[0]?.message ?? '', said)
  const definition = legend(
    { URL: { type: 'string' }, KEY: { type: 'string', secret: true } },
    { remotes: [{ name: 'the host', url: 'URL', token: 'KEY' }] },
  )
  const root = project({ '.env.local': `URL=${url}\nKEY=${token}\n` })
  await assert.rejects(settleAsync(definition, { root, stage: 'development', environment: {} }), said)
})

describe('what goes wrong with certificates is told, with a remedy that helps', () => {
  let files: Readonly<Record<string, string>> = {}
  before(() => {
    const folder = project({ ext: 'subjectAltName=IP:127.0.0.1\n', other: 'subjectAltName=DNS:hives.example\n' })
    const openssl = (line: string) => execFileSync('openssl', line.split(' '), { cwd: folder, stdio: 'pipe' })
    for (const name of ['ca', 'foreign'])
      openssl(
        `req -x509 -newkey ec -pkeyopt ec_paramgen_curve:prime256v1 -nodes -days 30 -subj /CN=${name} -keyout ${name}.key -out ${name}.pem`,
      )
    for (const [name, authority, extension, days] of [
      ['server', 'ca', 'ext', 30],
      ['elsewhere', 'ca', 'other', 30],
      ['client', 'ca', 'ext', 30],
      ['stranger', 'foreign', 'ext', 30],
    ] as const) {
      openssl(
        `req -newkey ec -pkeyopt ec_paramgen_curve:prime256v1 -nodes -subj /CN=${name} -keyout ${name}.key -out ${name}.csr`,
      )
      openssl(
        `x509 -req -in ${name}.csr -CA ${authority}.pem -CAkey ${authority}.key -CAcreateserial -days ${days} -extfile ${extension} -out ${name}.pem`,
      )
    }
    const names = ['ca', 'foreign', 'server', 'elsewhere', 'client', 'stranger'].flatMap((name) => [
      `${name}.pem`,
      `${name}.key`,
    ])
    files = Object.fromEntries(names.map((name) => [name, readFileSync(join(folder, name), 'utf8')]))
  })
  const file = (name: string) => files[name] as string
  const pair = (name: string) => ({ cert: file(`${name}.pem`), key: file(`${name}.key`) })
  const demanding = () => ({ ...pair('server'), ca: file('ca.pem'), requestCert: true, rejectUnauthorized: true })

  type Row = readonly [
    tls: () => ServerOptions | undefined,
    given: () => object,
    said: RegExp,
    answer?: RequestListener,
  ]
  const refused =
    (status: number, body: string): RequestListener =>
    (_, response) =>
      response.writeHead(status).end(body)
  const rows: Readonly<Record<string, Row>> = {
    'all is well': [() => pair('server'), () => ({ ca: file('ca.pem') }), /^$/],
    'with a certificate of its own': [demanding, () => ({ ca: file('ca.pem'), ...pair('client') }), /^$/],
    'an authority that is not known': [
      () => pair('server'),
      () => ({}),
      /of an authority that this machine does not know.*NODE_EXTRA_CA_CERTS/,
    ],
    'another host name': [
      () => pair('elsewhere'),
      () => ({ ca: file('ca.pem') }),
      /certificate for another host name.*a name that/,
    ],
    'no certificate of its own': [
      demanding,
      () => ({ ca: file('ca.pem') }),
      /asks for a client's certificate.*tls\.cert/,
    ],
    'one of another authority': [
      demanding,
      () => ({ ca: file('ca.pem'), ...pair('stranger') }),
      /If it asks for a client's certificate, give one of an authority/,
    ],
    'a key of another certificate': [
      demanding,
      () => ({ ca: file('ca.pem'), cert: file('client.pem'), key: file('stranger.key') }),
      /the key of the client does not belong to its certificate/,
    ],
    'a certificate that is not PEM': [
      demanding,
      () => ({ ca: 'hives', cert: 'hives', key: 'hives' }),
      /not readable PEM/,
    ],
    'https where http is spoken': [() => undefined, () => ({}), /does not speak https at this address/],
  }
  for (const [what, [tls, given, said, answer]] of Object.entries(rows))
    test(what, async () => {
      const listener: RequestListener = answer ?? ((_, response) => response.end(JSON.stringify(good)))
      const port = await serving(listener, tls())
      const store = etcdSource({ name: 'the store', url: `https://127.0.0.1:${port}`, prefix: 'apiary/', tls: given() })
      const [fault] = (await layerFromRemote(store)).faults ?? []
      assert.match(fault ? `${fault.message} ${fault.remedy}` : '', said)
    })

  for (const [what, status, body, said] of [
    [
      'http where https is spoken',
      400,
      'Client sent an HTTP request to an HTTPS server.\n',
      /speaks only https.*https:/,
    ],
    [
      'authentication that is off',
      400,
      '{"code":9,"message":"etcdserver: authentication is not enabled"}',
      /authentication is off.*Remove the user/,
    ],
    [
      'limits of the gateway',
      429,
      '{"code":8,"message":"grpc: received message larger than max (9 vs. 4)"}',
      /more values than its gateway.*longer prefix/,
    ],
  ] as const)
    test(what, async () => {
      const port = await serving(refused(status, body))
      const user = what.includes('off') ? { user: 'root', password: token } : {}
      const store = etcdSource({ name: 'the store', url: `http://127.0.0.1:${port}`, prefix: 'apiary/', ...user })
      const [fault] = (await layerFromRemote(store)).faults ?? []
      assert.match(`${fault?.message} ${fault?.remedy}`, said)
      assert.ok(!JSON.stringify(fault).includes(token))
    })
})
