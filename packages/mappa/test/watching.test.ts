// Values that change while a program runs: on volumes, in a store, at a service, and the legend's own.
import assert from 'node:assert/strict'
import { mkdirSync, readlinkSync, renameSync, rmSync, symlinkSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { after, describe, test } from 'node:test'
import { type Legend, legend } from 'mappa'
import { etcdSource } from 'mappa/etcd'
import { type WatchOptions, watch, watchAsync } from 'mappa/node'
import { prefix, startFleet } from '../../../examples/fleet/run.mjs'
import { hasStore, startStore } from '../../../examples/fleet/store.mjs'
import { project, until } from '../../../test/helpers.js'

const noStore = !hasStore && process.env.CI !== 'true' && 'etcd is not installed: Debian has it as etcd-server'
/** No output may hold it. */
const token = 'sms_live_buckwheat_clover_thyme'
const hives = legend({
  HIVES: { type: 'integer', minimum: 1 },
  NOTE: { type: 'string', optional: true },
  ALERT_TOKEN: { type: 'string', secret: true, optional: true, file: true },
})
type Told = { readonly has?: number; readonly said: string }

/** Follows, and keeps what was told; closed when the tests are over. */
async function following(definition: Legend<{ HIVES: number }>, options: WatchOptions) {
  const told: Told[] = []
  const lost: string[] = []
  const watching = await watchAsync(
    definition,
    {
      environment: {},
      stage: 'production',
      onLost: (faults) => lost.push(faults.map(({ message }) => message).join(' ')),
      ...options,
    },
    (found, changes) =>
      told.push(
        found.ok
          ? { has: found.settings.HIVES, said: changes.map(({ message }) => message).join() }
          : { said: found.faults.map(({ message }) => message).join(' ') },
      ),
  )
  after(() => watching.close())
  const kept = setInterval(() => {}, 1000)
  after(() => clearInterval(kept))
  return { watching, told, lost, has: (hives: number) => until(() => told.at(-1)?.has === hives, `${hives} hives`) }
}

/** A volume as clusters mount it: what is read are links through one that is swapped as a whole. */
function volume(path: string) {
  let count = 0
  return (files: Readonly<Record<string, string>>) => {
    const fresh = `..2026_${count++}`
    mkdirSync(join(path, fresh), { recursive: true })
    for (const [name, text] of Object.entries(files)) writeFileSync(join(path, fresh, name), text)
    const data = join(path, '..data')
    const old = count > 1 && readlinkSync(data)
    symlinkSync(fresh, join(path, '..data_tmp'))
    renameSync(join(path, '..data_tmp'), data)
    if (old) rmSync(join(path, old), { recursive: true })
    else for (const name of Object.keys(files)) symlinkSync(join('..data', name), join(path, name))
  }
}

// They mostly wait for others, and so do it at once.
describe('watching', { concurrency: true }, () => {
  test('what is mounted changes by a swap of links: one-value files, layer files, files that NAME_FILE names', async () => {
    const root = project({ '.env': 'ALERT_TOKEN_FILE=keys/token\n' })
    const [values, layer, secrets] = ['values', 'config', 'keys'].map((name) => volume(join(root, name)))
    values?.({ NOTE: 'a' })
    layer?.({ env: 'HIVES=1\n' })
    secrets?.({ token: 'x' })
    symlinkSync('config/env', join(root, '.env.production'))
    const definition = legend(hives.entries, { directories: ['values'] })
    const options = { root, environment: {}, stage: 'production' }
    const seen: string[] = []
    const plain = watch(definition, options, (found) => {
      if (found.ok) seen.push(`${found.settings.HIVES} ${found.settings.NOTE} ${found.settings.ALERT_TOKEN}`)
    })
    after(() => plain.close())
    const { told, watching } = await following(definition as never, options)
    for (const [change, expected] of [
      [() => values?.({ NOTE: 'b' }), '1 b x'],
      [() => layer?.({ env: 'HIVES=2\n' }), '2 b x'],
      [() => secrets?.({ token }), `2 b ${token}`],
      [() => layer?.({ env: 'HIVES=3\n' }), `3 b ${token}`],
    ] as const) {
      change()
      await until(() => seen.at(-1) === expected, expected)
      const asTold = () => {
        const { HIVES, NOTE, ALERT_TOKEN } = watching.settings as unknown as Record<string, unknown>
        return `${HIVES} ${NOTE} ${ALERT_TOKEN}` === expected
      }
      await until(asTold, `${expected}, with remote sources`)
    }
    assert.ok(!JSON.stringify(told).includes(token))
  })

  test('a legend that changes is read again, and a faulty one changes nothing', async () => {
    const entry = (least: number) => ({ type: 'integer', minimum: least })
    const asJson = (least: number) => JSON.stringify({ type: 'object', properties: { HIVES: entry(least) } })
    const asModule = (least: number) =>
      `import { legend } from 'mappa'\nexport default legend({ HIVES: ${JSON.stringify(entry(least))} })`
    for (const [legendFile, text, broken] of [
      ['mappa.legend.json', asJson, '{'],
      ['mappa.legend.mjs', asModule, 'export default {'],
    ] as const) {
      const root = project({ '.env': 'HIVES=4\n', [legendFile]: text(1) })
      const { told, watching } = await following(hives as never, { root, legendFile })
      for (const [content, said] of [
        [text(5), /^HIVES is 4, but must be at least 5/],
        [broken, new RegExp(`^${legendFile}`)],
        [text(2), /^$/],
      ] as const) {
        writeFileSync(join(root, legendFile), content)
        await until(() => said.test(told.at(-1)?.said ?? 'nothing'), `${legendFile} ${said}`)
        assert.equal(watching.settings?.HIVES, 4)
      }
    }
  })

  test('a store is followed: what is faulty is refused, and nothing that happens to it loses a value', {
    skip: noStore,
  }, async () => {
    const store = await startStore(3)
    after(() => store.end())
    const put = (name: string, text: string) => store.put(`apiary/${name}`, text)
    const source = etcdSource({ name: 'the store', url: store.url, prefix: 'apiary/' })
    await put('HIVES', '1')
    for (const key of ['apiaryx/HIVES', 'apiary', 'apiary/HIVES/x', 'apiary/a b', 'b']) await store.put(key, '99')
    const root = project({ '.env': 'NOTE=from a file\n' })
    const { told, lost, has, watching } = await following(hives as never, { root, remotes: [source] })
    assert.equal(watching.settings?.HIVES, 1)
    await put('HIVES', '2')
    await has(2)
    for (const wrong of ['none', '0', 'a\0b']) {
      const from = told.length + lost.length
      await put('HIVES', wrong)
      await until(() => told.length + lost.length > from, `that ${wrong} is refused`)
      assert.equal(watching.settings?.HIVES, 2)
    }
    await put('HIVES', '3')
    await has(3)
    await store.remove('apiary/HIVES')
    await until(() => told.at(-1)?.said.startsWith('HIVES is required'), 'that it is missing')
    await put('ALERT_TOKEN', token)
    await put('HIVES', '4')
    await has(4)
    await store.killLeader()
    await put('HIVES', '5')
    await has(5)
    await store.start()
    // A history that nobody can have any longer who was away meanwhile.
    store.signal('SIGSTOP')
    await until(() => watching.lost.length > 0, 'that it does not answer')
    store.signal('SIGCONT')
    for (let hives = 6; hives < 10; hives++) await put('HIVES', String(hives))
    await store.compact()
    await put('HIVES', '10')
    await has(10)
    await store.kill()
    await until(() => lost.at(-1), 'that it is gone')
    assert.match(lost.at(-1) ?? '', /^No new values from the store: it .*Its last values are kept\.$/)
    await store.start()
    await put('HIVES', '11')
    await has(11)
    await until(() => watching.lost.length === 0, 'that it is back')
    assert.ok(!JSON.stringify([told, lost]).includes(token))
  })

  test('a store that asks who somebody is: tokens are made again, and neither name nor password is told', {
    skip: noStore,
  }, async () => {
    const store = await startStore()
    after(() => store.end())
    await store.put('apiary/HIVES', '1')
    for (const [path, body] of [
      ['auth/user/add', { name: 'root', password: token }],
      ['auth/role/add', { name: 'root' }],
      ['auth/user/grant', { user: 'root', role: 'root' }],
      ['auth/enable', {}],
    ] as const)
      await store.post(path, body)
    const root = project({ '.env': `STORE=${store.url}\nSTORE_KEY=root:${token}\n` })
    const definition = legend(
      { ...hives.entries, STORE: { type: 'string' }, STORE_KEY: { type: 'string', secret: true } },
      { remotes: [{ name: 'the store', url: 'STORE', token: 'STORE_KEY', etcd: '' }] },
    )
    const denied = await following(definition as never, { root, environment: { STORE_KEY: 'root:wrong-heather' } })
    assert.match(
      denied.watching.survey.faults[0]?.message ?? '',
      /^No values from the store: it rejected the user or password/,
    )
    const { watching } = await following(definition as never, { root, stage: 'production' })
    assert.match(watching.survey.faults[0]?.message ?? '', /^HIVES is required/, 'nothing lies under production/')
    assert.ok(!JSON.stringify([denied.watching.survey.faults, watching.survey.faults]).includes(token))
  })

  test('a store is killed and started again under load: no collector stops, and all soon have the last value', {
    skip: noStore,
  }, async () => {
    const count = 6
    const fleet = await startFleet(count, { token })
    after(() => fleet.end())
    const set = (pause: number) => fleet.store.put(`${prefix}SCALE_PAUSE`, `${pause}s`)
    const has = (pause: number) => (said: { kind: string; pause?: number }) =>
      said.kind === 'has' && said.pause === pause * 1000
    let at = 100
    let isLoaded = true
    const load = (async () => {
      while (isLoaded) await set(at++).catch(() => new Promise((resolve) => setTimeout(resolve, 5)))
    })()
    for (let round = 0; round < 3; round++) {
      await new Promise((resolve) => setTimeout(resolve, 300))
      await fleet.store.kill()
      await fleet.store.start()
    }
    isLoaded = false
    await load
    const times = await fleet.measure(() => set(7), has(7), 10_000)
    assert.equal(times.length, count, 'within ten seconds after it is back')
    const refused = await fleet.measure(
      () => set(0),
      ({ kind, pause }: never) => kind === 'refused' && pause === 7000,
    )
    assert.equal(refused.length, count)
    for (const { exited } of fleet.collectors) assert.equal(exited, undefined)
    const plain = (_: string, value: unknown) => (typeof value === 'bigint' ? 0 : value)
    const said = JSON.stringify([fleet.output, fleet.collectors.map(({ said }: { said: object[] }) => said)], plain)
    assert.match(said, /must be (?:a duration|at )/)
    assert.ok(!said.includes(token))
  })
})
