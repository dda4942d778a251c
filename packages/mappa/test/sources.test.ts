import assert from 'node:assert/strict'
import { chmodSync, mkdirSync, renameSync, rmSync, symlinkSync, writeFileSync } from 'node:fs'
import { createServer, type IncomingMessage, type ServerResponse } from 'node:http'
import type { AddressInfo } from 'node:net'
import { join } from 'node:path'
import test from 'node:test'
import { type Legend, type LegendOptions, legend, reportText } from 'mappa'
import { childEnvironment } from 'mappa/command'
import * as machine from 'mappa/node'
import { hangMax, node, project, token } from '../../../test/helpers.js'

const { survey, surveyAsync, settle } = machine

const entries = {
  HIVES: { type: 'string', default: 'meadow', stages: { staging: { default: 'orchard' } } },
  ALERT_TOKEN: { type: 'string', secret: true, file: true },
} as const
const scales = (options: LegendOptions = {}) => legend(entries, options)

/** Texts, where each stands, and the faults, in one comparable line each. */
function told(definition: Legend, options: machine.MachineOptions, names: readonly string[] = Object.keys(entries)) {
  const found = survey(definition, { environment: {}, stage: 'staging', ...options })
  const lines = names.map((name) => {
    const { winner } = found.trail(name)
    return `${name}=${found.texts.get(name)} from ${winner?.layer}${winner?.place ? ` at ${winner.place.file}` : ''}`
  })
  return [...lines, ...found.faults.map(({ kind, message }) => `${kind}: ${message}`)]
}

const flagged = legend({
  LISTEN_PORT: { type: 'port', default: 4100, description: 'Where it listens' },
  SWARM_ALERTS: { type: 'boolean', default: true },
  NO_WINTER: { type: 'boolean', default: false },
  ALERT_TOKEN: { type: 'string', secret: true, optional: true },
})

test('what a command line leaves to the program', () => {
  assert.deepEqual(machine.layerFromFlags(flagged, ['a', '--no-winter', 'b']).rest, ['a', 'b'])
})

test('a program that takes flags answers --help from its legend', async () => {
  const root = project({
    '.env': '',
    'app.mjs': `import { settle } from 'mappa/node'; import definition from './mappa.legend.mjs'
      console.log(settle(definition, { commandLine: process.argv.slice(2) }).LISTEN_PORT)`,
    'mappa.legend.mjs': `import { legend } from 'mappa/legend'; export default legend(${JSON.stringify(flagged.entries)})`,
  })
  assert.equal((await node(['app.mjs', '--listen-port', '5000'], { cwd: root })).stdout, '5000\n')
  const { code, stdout } = await node(['app.mjs', '--help', '--listen-port', 'oops'], { cwd: root })
  assert.equal(code, 0)
  assert.match(stdout, /^Usage: node app\.mjs \[flags\]\n/)
  assert.match(
    stdout,
    / {2}--listen-port PORT\n {8}Where it listens\. LISTEN_PORT: a port from 1 to 65535, default 4100\.\n/,
  )
  assert.match(stdout, / {2}--swarm-alerts, --no-swarm-alerts\n[\s\S]*Secrets are not flags, .*:\sALERT_TOKEN\.\n$/)
})

/** A settings service; `answer` says what it says. */
async function service(answer: (request: IncomingMessage, response: ServerResponse) => void) {
  const server = createServer(answer).listen(0, '127.0.0.1')
  await new Promise((resolve) => server.once('listening', resolve))
  const url = `http://127.0.0.1:${(server.address() as AddressInfo).port}/?key=${token}`
  return { url, close: () => server.closeAllConnections() ?? server.close() }
}

test('a remote source that a legend names: what it gives is a layer, and a fault names neither its address nor its token', async () => {
  const json = (texts: unknown) => (_: IncomingMessage, response: ServerResponse) =>
    void response.setHeader('content-type', 'application/json').end(JSON.stringify(texts))
  const rows: readonly [answer: Parameters<typeof service>[0], message: string | undefined][] = [
    [json({ HIVES: 'far', COUNT: 3 }), undefined],
    [
      ({ headers }, response) => response.writeHead(headers.authorization === `Bearer ${token}` ? 401 : 200).end(token),
      'rejected the token (status 401)',
    ],
    [json({ HIVES: { a: token } }), 'returned a value for HIVES that is not text'],
    [() => undefined, 'did not answer within 1 s'],
    [(request) => request.socket.destroy(), 'cannot be reached (UND_ERR_SOCKET)'],
  ]
  const definition = legend(
    {
      ...entries,
      SERVICE: { type: 'string', optional: true },
      SERVICE_TOKEN: { type: 'string', secret: true, optional: true },
    },
    { remotes: [{ name: "the host's settings", url: 'SERVICE', token: 'SERVICE_TOKEN' }] },
  )
  const root = project({ '.env': `ALERT_TOKEN=x\nSERVICE_TOKEN=${token}`, '.env.local': '' })
  const ask = (SERVICE: string, timeout = hangMax) =>
    surveyAsync(definition, { root, stage: 'test', environment: { SERVICE }, timeout })
  for (const [answer, message] of rows) {
    const asked = await service(answer)
    const found = await ask(asked.url, message?.startsWith('did not answer') ? 1000 : hangMax)
    asked.close()
    if (message)
      assert.deepEqual(
        found.faults.map((fault) => fault.message),
        [`No values from the host's settings: it ${message}.`],
      )
    else assert.equal(found.settings?.HIVES, 'far')
    assert.ok(!reportText(found).includes(token))
    if (!message) assert.equal(found.trail('HIVES').winner?.layer, "the host's settings")
  }
  const gone = await service(() => undefined)
  gone.close()
  assert.match((await ask(gone.url)).faults[0]?.message ?? '', /nothing listens at its address/)
  assert.equal((await surveyAsync(definition, { root, stage: 'test', environment: {} })).ok, true)
  assert.match(
    survey(definition, { root, stage: 'test', environment: { SERVICE: 'x' } }).faults[0]?.message ?? '',
    /settle cannot wait/,
  )
  const own = [{ name: 'the store', load: () => Promise.reject(new Error(token)) }]
  const failed = await surveyAsync(definition, { root, stage: 'test', environment: {}, remotes: own })
  assert.deepEqual(
    failed.faults.map(({ message }) => message),
    ['No values from the store: it failed with Error.'],
  )
  await assert.rejects(
    machine.settleAsync(definition, { root, stage: 'test', environment: {}, remotes: own }),
    /No values from the store/,
  )
})

test('a run inside another reads unchanged values from its own layers again, and must be for the same stage', () => {
  const root = project({ '.env': 'HIVES=a\nALERT_TOKEN=x\nEXTRA=1', '.env.local': '', elsewhere: '' })
  const definition = scales()
  const start = (host: Record<string, string>, options: machine.MachineOptions = {}) => {
    const found = survey(definition, { root, stage: 'staging', environment: host, ...options })
    return childEnvironment(found, host, root) as Record<string, string>
  }
  const outer = start({ HOME: '/home/bee', HIVES: 'host' }, { commandLine: { HIVES: 'told' } })
  assert.deepEqual([outer.HIVES, outer.ALERT_TOKEN, outer.HOME], ['told', 'x', '/home/bee'])
  assert.ok(!(outer.MAPPA_SET ?? '').includes('HIVES'), 'what cannot be read again is not marked')
  const child = start({})
  writeFileSync(join(root, '.env'), 'HIVES=b\nALERT_TOKEN=x')
  const inner = (host: Record<string, string>) => survey(definition, { root, environment: host })
  assert.equal(inner(child).trail('HIVES').winner?.layer, '.env')
  assert.equal(inner({ ...child, HIVES: 'between' }).settings?.HIVES, 'between')
  assert.equal(inner(outer).settings?.HIVES, 'told')
  const again = childEnvironment(inner(child), child, root)
  assert.deepEqual([again.HIVES, 'EXTRA' in again], ['b', false], 'what no layer sets any more is gone')
  const other = survey(definition, { root: join(root, '..'), stage: 'staging', environment: child })
  assert.equal(other.settings?.HIVES, 'a', 'for another root the outer run is the host')
  assert.deepEqual(told(definition, { root, environment: child, stage: 'production' }).slice(2), [
    'nested-stage: This asks for stage production, but runs inside stage staging and has its values.',
  ])
})

test('workers and forks of a program under the preload read the layers again', async () => {
  const root = project({
    '.env': 'HIVES=a',
    'app.mjs': `import { fork } from 'node:child_process'; import { writeFileSync } from 'node:fs'; import { Worker } from 'node:worker_threads'
      console.log(process.env.HIVES)
      writeFileSync('.env', 'HIVES=b')
      new Worker('./inner.mjs').on('exit', () => fork('inner.mjs', { env: { ...process.env, HIVES: 'c' } }))`,
    'inner.mjs': 'console.log(process.env.HIVES, process.env.MAPPA_STAGE)',
  })
  const { stdout, stderr } = await node(['--import', 'mappa/preload', 'app.mjs'], { cwd: root })
  assert.deepEqual([stdout, stderr], ['a\nb development\nc development\n', ''])
})

test('what everyone may write to is pointed out', {
  skip: process.platform === 'win32',
}, () => {
  const open = project({ '.env': '' })
  chmodSync(join(open, '.env'), 0o666)
  chmodSync(open, 0o777)
  const messages = () =>
    survey(scales(), { root: open, environment: {}, stage: 'test' }).notices.map(({ message }) => message.slice(0, 20))
  assert.deepEqual(messages(), ['Every user of this m', 'Every user of this m'])
  chmodSync(open, 0o1777)
  assert.deepEqual(messages(), ['Every user of this m'])
})

test('a change is told once for a burst, masked, also when files are replaced, deleted and made again', async () => {
  const root = project({ '.env': 'HIVES=a\nALERT_TOKEN=x', 'secrets/x': '' })
  const told: string[] = []
  let wake = () => {}
  const watching = machine.watch(
    scales({ directories: ['secrets'] }),
    { root, stage: 'test', environment: {} },
    (found, changes) => {
      told.push(found.ok ? changes.map(({ message }) => message).join() : (found.faults[0]?.kind ?? ''))
      wake()
    },
  )
  const after = async (change: () => void) => {
    const next = new Promise<void>((resolve, reject) => {
      // Watching does not keep a process alive; this does.
      const late = setTimeout(() => reject(new Error(`nothing was told after ${told.length} changes`)), hangMax)
      wake = () => resolve(clearTimeout(late))
    })
    change()
    await next
  }
  const write = (text: string) => writeFileSync(join(root, '.env'), text)
  await after(() => {
    for (const text of ['', 'HIVES=b', 'HIVES=b\nALERT_TOKEN=x']) write(text)
  })
  await after(() => {
    writeFileSync(join(root, 'new'), `HIVES=b\nALERT_TOKEN=${token}`)
    renameSync(join(root, 'new'), join(root, '.env'))
  })
  await after(() => rmSync(join(root, '.env')))
  await after(() => write('HIVES=c\nALERT_TOKEN=x'))
  await after(() => writeFileSync(join(root, 'secrets/HIVES'), 'd'))
  await after(() => {
    rmSync(join(root, 'secrets'), { recursive: true })
    mkdirSync(join(root, 'elsewhere'))
    writeFileSync(join(root, 'elsewhere/HIVES'), 'e')
    symlinkSync('elsewhere', join(root, 'secrets'))
  })
  watching.close()
  assert.equal(watching.survey.settings?.HIVES, 'e')
  assert.deepEqual(told, [
    'HIVES is now b (.env:1:7)',
    'ALERT_TOKEN is now (secret) (.env:2:13)',
    'missing',
    'HIVES is now c (.env:1:7),ALERT_TOKEN is now (secret) (.env:2:13)',
    'HIVES is now d (secrets/HIVES)',
    'HIVES is now e (secrets/HIVES)',
  ])
})

test('settle throws what survey reports, also when it is given no legend', () => {
  const wrong = { default: scales() } as unknown as Legend
  assert.throws(() => settle(wrong, { root: project({ '.env': '' }), commandLine: [] }), /must be a legend from legend/)
  assert.throws(
    () => settle(scales(), { root: project({ '.env': '' }), environment: {} }),
    /ALERT_TOKEN is required \(text\), but no layer sets it/,
  )
})
