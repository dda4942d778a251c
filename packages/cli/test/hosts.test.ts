// What a deployment asks of a host: its settings service, in whatever state it is, and what a change asks of it.
import assert from 'node:assert/strict'
import { spawn, spawnSync } from 'node:child_process'
import { readFileSync, rmSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import test, { after } from 'node:test'
import { mappa, mappaProcess, node, project, token, top } from '../../../test/helpers.js'
import { unlikeDocument } from './documents.js'

const hostToken = 'host_clover_and_sainfoin'
const tokens = [token, hostToken, 'sms_test_heather_lime_bramble', 'key_borage_phacelia']

const declared = (entries: string) => `import { legend } from 'mappa'
export default legend({
  HOST: { type: 'string', optional: true },
  HOST_TOKEN: { type: 'string', secret: true, optional: true },
${entries}}, { remotes: [{ name: 'the hive host', url: 'HOST', token: 'HOST_TOKEN' }] })
`
const entries = `  READINGS_KEPT: { type: 'integer', minimum: 1, default: 100 },
  FEED_URL: { type: 'string', format: 'uri' },
  ALERT_TOKEN: { type: 'string', secret: true, obtain: 'https://wiki.fennelhill.example/alerts' },
`

function hives(): string {
  return project({
    'mappa.legend.mjs': declared(entries),
    '.env': 'FEED_URL=https://feed.fennelhill.example\n',
    '.env.staging.local': `ALERT_TOKEN=${token}\n`,
    'start.mjs': `import { settleAsync } from 'mappa/node'
import definition from './mappa.legend.mjs'
const settings = await settleAsync(definition, { from: import.meta.url }).catch((error) => console.log(error.message))
if (settings) console.log(settings.READINGS_KEPT)
`,
  })
}

/** A settings service on this machine, as it is in the examples. */
async function settingsHost() {
  const file = join(
    project({ 'settings.json': '{ "staging": { "READINGS_KEPT": "5000" }, "production": {} }' }),
    'settings.json',
  )
  const child = spawn(process.execPath, [join(top, 'examples/settings-host/server.mjs'), '0', file], {
    env: { PATH: process.env.PATH, HOST_TOKEN: hostToken },
    stdio: ['ignore', 'pipe', 'inherit'],
  })
  after(() => child.kill())
  const [, port] = await new Promise<RegExpMatchArray>((resolve) => {
    let text = ''
    child.stdout.on('data', (data) => {
      text += data
      const ready = /port (\d+)/.exec(text)
      if (ready) resolve(ready)
    })
  })
  const url = `http://127.0.0.1:${port}`
  const misbehave = (fault: string | null) =>
    fetch(`${url}/fault`, {
      method: 'PUT',
      body: JSON.stringify({ fault }),
      headers: { authorization: `Bearer ${hostToken}` },
    })
  return { url, misbehave, settings: () => JSON.parse(readFileSync(file, 'utf8')) }
}

test('the settings service asks for its token, loses no update, and takes neither odd stages nor large bodies', async () => {
  const server = join(top, 'examples/settings-host/server.mjs')
  const bare = await node([server, '0', 'settings.json'], { cwd: project({}), env: { HOST_TOKEN: '' } })
  assert.deepEqual([bare.code, bare.stderr], [1, 'HOST_TOKEN must be set, to 16 characters at least.\n'])
  const host = await settingsHost()
  const ask = async (path: string, method = 'GET', body?: string, bearer = hostToken) => {
    const headers = { authorization: `Bearer ${bearer}` }
    return (await fetch(`${host.url}${path}`, { method, headers, ...(body !== undefined && { body }) })).status
  }
  for (const wrong of ['', 'undefined', 'null', hostToken.slice(1)])
    assert.equal(await ask('/staging', 'GET', undefined, wrong), 401)
  for (const stage of ['__proto__', 'constructor', 'toString', 'none']) {
    assert.equal(await ask(`/${stage}`), 404, stage)
    assert.equal(await ask(`/${stage}`, 'PATCH', '{"A":"1"}'), 404, stage)
  }
  for (const body of ['', '[]', 'null', '"a"', '{"A":1}', '{"a b":"1"}', '{"__proto__":"1"}'])
    assert.equal(await ask('/staging', 'PATCH', body), 400, body)
  assert.equal(await ask('/staging', 'PATCH', JSON.stringify({ A: 'x'.repeat(70_000) })), 413)
  const names = Array.from({ length: 20 }, (_, at) => `HIVE_${at}`)
  await Promise.all(names.map((name) => ask('/production', 'PATCH', JSON.stringify({ [name]: '1' }))))
  assert.deepEqual(Object.keys(host.settings().production).sort(), [...names].sort())
})

/** What is said of the service in each state; of its values, where they are read as a layer, and where it is asked as a host. */
const states: readonly (readonly [fault: string | null, said: RegExp | undefined])[] = [
  [null, undefined],
  ['slow', /it did not answer within 5 s\.[\s\S]*Try again/],
  ['failing', /it answered with status 500\./],
  ['busy', /it answered with status 429\./],
  ['wrong-token', /it rejected the token \(status 401\)[\s\S]*Correct the token\./],
  ['half', /it (?:cannot be reached \([A-Z_]+\)|stopped in the middle of its answer)\./],
  ['no-json', /it returned invalid JSON|The host's variables must be JSON or layer text/],
  ['page', /it returned neither JSON nor layer text|The host's variables must be JSON or layer text/],
  ['elsewhere', /it redirects to another origin\./],
]

test('whatever a settings service does is told in a sentence, soon, and its token never', async () => {
  const host = await settingsHost()
  const cwd = hives()
  const env = { HOST: `${host.url}/staging`, HOST_TOKEN: hostToken, MAPPA_STAGE: 'staging' }
  const own = ['--token-from', 'HOST_TOKEN']
  for (const [fault, said] of states) {
    await host.misbehave(fault)
    const from = Date.now()
    // Those that wait do so at once; the others share a process.
    const run = fault === 'slow' ? mappaProcess : mappa
    const ended = await Promise.all([
      run(['check', 'staging'], { cwd, env }),
      run(['compare', 'staging', '--host', env.HOST, ...own], { cwd, env: { HOST_TOKEN: hostToken } }),
      run(['emit', '--to', env.HOST, ...own, '--stage', 'staging', '--apply'], { cwd, env: { HOST_TOKEN: hostToken } }),
      node(['start.mjs'], { cwd, env }),
    ])
    assert.ok(Date.now() - from < 30_000, `${fault} takes ${Date.now() - from} ms`)
    for (const [at, { code, stdout, stderr }] of ended.entries()) {
      const text = stdout + stderr
      const flat = text.replace(/\s+/g, ' ')
      for (const secret of tokens) assert.ok(!text.includes(secret), text)
      assert.doesNotMatch(text, /127\.0\.0\.1|\bat .*\.js:/)
      if (said) assert.match(flat, said, `${fault} ${at}`)
      // The host may or may not have got its token by the time it is asked.
      if (at < 3 && (said || at !== 1)) assert.equal(code, said ? 1 : 0, `${fault} ${at} ${text}`)
    }
    if (!said) {
      assert.equal(ended[3].stdout, '5000\n')
      assert.equal(host.settings().staging.ALERT_TOKEN, token)
    }
  }
})

test('a host gets what it must have, after a look at the names, and nothing else', async () => {
  const host = await settingsHost()
  const cwd = hives()
  const hand = (...args: string[]) =>
    mappa(['emit', '--to', `${host.url}/staging`, '--token-from', 'HOST_TOKEN', '--stage', 'staging', ...args], {
      cwd,
      env: { HOST_TOKEN: hostToken },
    })
  const before = host.settings()
  const dry = await hand()
  assert.equal(
    dry.stdout,
    'Stage staging, to the host:\n\n  ALERT_TOKEN  new, secret\n\nNothing was sent. To send, add: --apply\n',
  )
  assert.deepEqual([dry.code, host.settings()], [0, before])
  const json = JSON.parse((await hand('--json')).stdout)
  assert.equal(unlikeDocument('delivered', json), undefined)
  assert.deepEqual(json, {
    version: 2,
    ok: true,
    faults: [],
    notices: [],
    stage: { name: 'staging', from: '--stage' },
    sent: false,
    values: [{ name: 'ALERT_TOKEN', secret: true, replaces: false }],
  })
  assert.match((await hand('--apply')).stdout, /\nSent 1 value\.\n$/)
  assert.deepEqual(host.settings(), { ...before, staging: { ...before.staging, ALERT_TOKEN: token } })
  assert.match((await hand('--apply')).stdout, /Nothing: the host or a committed layer already has every value/)
  assert.match(
    (await hand('--only', 'FEED_URL,READINGS_KEPT')).stdout,
    /READINGS_KEPT {2,}replaces its value\n {2}FEED_URL {2,}new\n/,
  )
  assert.doesNotMatch((await hand('--only', 'FEED_URL,ALERT_TOKEN', '--no-secrets')).stdout, /ALERT_TOKEN/)
  rmSync(join(cwd, '.env.staging.local'))
  const lacking = await hand('--apply')
  assert.equal(lacking.code, 1)
  assert.match(lacking.stderr, /ALERT_TOKEN is required \(text\), but no layer sets it[\s\S]*Nothing was sent/)
  for (const url of ['http://host.example/staging', 'ftp://127.0.0.1/', 'host.json'])
    assert.equal((await mappa(['emit', '--to', url, '--stage', 'staging'], { cwd })).code, 2, url)
})

test("a host's values are compared, those of secrets never shown", async () => {
  const host = await settingsHost()
  const cwd = hives()
  const compared = (path: string, ...args: string[]) =>
    mappa(['compare', 'staging', '--host', host.url + path, '--token-from', 'HOST_TOKEN', ...args], {
      cwd,
      env: { HOST_TOKEN: hostToken },
    })
  const lacking = await compared('/staging', '--values')
  assert.match(lacking.stdout, /ALERT_TOKEN is not set on the host, and only this machine has a value\./)
  assert.match(lacking.stdout, /READINGS_KEPT is 5000 on the host, but 100 here \(default in the legend\)\./)
  await fetch(`${host.url}/staging`, {
    method: 'PATCH',
    body: JSON.stringify({ READINGS_KEPT: '0', ALERT_TOKEN: tokens[2] }),
    headers: { authorization: `Bearer ${hostToken}` },
  })
  const faulty = await compared('/staging', '--values')
  assert.deepEqual([lacking.code, faulty.code], [1, 1])
  assert.match(faulty.stdout, /READINGS_KEPT in the host's variables is 0, but must be at least 1/)
  assert.match((await compared('/staging')).stdout, /^Stage staging[\s\S]*no faults/i, 'names alone')
  const { values } = JSON.parse((await compared('/staging', '--values', '--json')).stdout)
  assert.ok(values.some(({ name }: { name: string }) => name === 'READINGS_KEPT'))
  assert.match((await compared('/staging/names', '--values')).stderr, /lists only names[\s\S]*Omit --values/)
  for (const { stdout, stderr } of [lacking, faulty])
    for (const secret of tokens) assert.ok(!(stdout + stderr).includes(secret))
})

test('what has changed since a commit is told by stage, and what each host must be given', async () => {
  const cwd = hives()
  const git = (...args: string[]) => {
    const { status, stderr } = spawnSync(
      'git',
      ['-c', 'user.name=Keeper', '-c', 'user.email=k@fennelhill.example', ...args],
      { cwd },
    )
    assert.equal(status, 0, String(stderr))
  }
  git('init', '-q')
  writeFileSync(join(cwd, '.gitignore'), 'node_modules\n.env*.local\n')
  writeFileSync(join(cwd, '.env.production'), 'READINGS_KEPT=900\n')
  git('add', '.')
  git('commit', '-qm', 'Before')
  const fresh = `  HIVES_KEPT: { type: 'integer', minimum: 1, default: 100, formerly: ['READINGS_KEPT'] },
  FEED_URL: { type: 'string', format: 'uri' },
  STORE_KEY: { type: 'string', secret: true, generate: { bytes: 32, text: 'hex' } },
  PAUSE: { type: 'duration', default: '5s' },
`
  writeFileSync(join(cwd, 'mappa.legend.mjs'), declared(fresh))
  writeFileSync(join(cwd, '.env.production'), 'HIVES_KEPT=900\nFEED_URL=https://live.fennelhill.example\n')
  const since = (...args: string[]) => mappa(['compare', '--since', 'HEAD', ...args], { cwd })
  const text = await since('staging', 'production')
  assert.equal(text.code, 0, text.stderr)
  const flat = text.stdout.replace(/\s+/g, ' ')
  for (const said of [
    /Stage staging renamed READINGS_KEPT → HIVES_KEPT added STORE_KEY: text, secret; no value added PAUSE/,
    /PAUSE: a duration such as 90s or 1\.5h, 5s by default removed ALERT_TOKEN Set on the host before you deploy: STORE_KEY, as a secret: /,
    /Stage production .*revalued FEED_URL: https:\/\/feed\.fennelhill\.example → https:\/\/live\.fennelhill\.example/,
    /Remove from the host: ALERT_TOKEN is no longer used/,
  ])
    assert.match(flat, said)
  const { stages } = JSON.parse((await since('staging', '--json')).stdout)
  assert.deepEqual(
    stages[0].changes.map(({ kind, name }: Record<string, string>) => `${kind} ${name}`),
    ['renamed HIVES_KEPT', 'added STORE_KEY', 'added PAUSE', 'removed ALERT_TOKEN'],
  )
  const markdown = (await since('--as', 'markdown')).stdout
  assert.match(
    markdown,
    /^## Settings since [0-9a-f]{7,} \(HEAD\)\n[\s\S]*\n- \[ \] `STORE_KEY`, as a secret[\s\S]*\| --- \| --- \| --- \| --- \|/,
  )
  const on = async (names: string) => {
    writeFileSync(join(cwd, 'host.json'), names)
    return (await since('staging', '--host', 'host.json')).code
  }
  assert.deepEqual([await on('["ALERT_TOKEN"]'), await on('["STORE_KEY"]')], [1, 0])
  for (const args of [
    ['--since', 'nowhere'],
    ['--since', 'HEAD', '--json', '--as', 'markdown'],
    ['--as', 'markdown'],
  ])
    assert.equal((await mappa(['compare', ...args], { cwd })).code, 2, args.join(' '))
  git('add', '.')
  git('commit', '-qm', 'After')
  assert.match((await since('staging')).stdout, /No changes/)
})
