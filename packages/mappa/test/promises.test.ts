// What a promise comes to at its edges: the last value that it still holds for, and the first for which it does not.
import assert from 'node:assert/strict'
import { mkdirSync, writeFileSync } from 'node:fs'
import { createServer } from 'node:http'
import type { AddressInfo } from 'node:net'
import { join } from 'node:path'
import test, { after } from 'node:test'
import { layerFromText, layerFromValues, legend, mask, pageBlock, pageValues, readLayer, survey } from 'mappa'
import { settle, surveyAsync, watch } from 'mappa/node'
import { node, project, until } from '../../../test/helpers.js'

test('a mask shows what the pattern fixes, at most twelve characters, never more than a third, and nothing uncertain', () => {
  const long = (prefix: string, length: number) => prefix.padEnd(length, 'z')
  for (const [pattern, value, shown] of [
    ['^tile_test_', long('tile_test_', 30), 'tile_test_…(secret)'],
    ['^tile_test_', long('tile_test_', 29), '(secret)'],
    ['^tile_test_', long('tile_live_', 60), '(secret)'],
    ['^hive_meadow_', long('hive_meadow_', 36), 'hive_meadow_…(secret)'],
    ['^hive_meadows_', long('hive_meadows_', 90), '(secret)'],
    ['^sms_x*', long('sms_xx', 60), 'sms_…(secret)'],
    ['^sms_x+', long('sms_xx', 60), 'sms_…(secret)'],
    ['^sms_x?', long('sms_xx', 60), 'sms_…(secret)'],
    ['^sms_x{2}', long('sms_xx', 60), 'sms_…(secret)'],
    ['^sms_[a-z]', long('sms_xx', 60), 'sms_…(secret)'],
    ['^(?:sms)_', long('sms_xx', 60), '(secret)'],
    ['^sms_|^tel_', long('sms_', 60), '(secret)'],
    ['^sms_[a-z]+', long('sms_xx', 60), 'sms_…(secret)'],
    ['sms_', long('sms_', 60), '(secret)'],
    ['xsms_', long('sms_', 60), '(secret)'],
    ['^', long('sms_', 60), '(secret)'],
  ] as const)
    assert.equal(mask(value, { pattern }), shown, `${pattern} ${value.length}`)
  assert.equal(mask(long('a', 90)), '(secret)')
})

test('each unit is worth what its standard says', () => {
  const amounts = legend({ SIZE: { type: 'bytes', optional: true }, PAUSE: { type: 'duration', optional: true } })
  const read = (values: Record<string, string>) =>
    survey(amounts, { stage: 'test', layers: [layerFromValues('given', values)] }).settings
  const sizes = { '512': 512, '1B': 1, '1kB': 1e3, '1MB': 1e6, '1GB': 1e9, '1TB': 1e12 }
  const powers = { '1KiB': 1024, '1MiB': 1024 ** 2, '1GiB': 1024 ** 3, '1TiB': 1024 ** 4, '1.5 kib': 1536 }
  for (const [SIZE, bytes] of Object.entries({ ...sizes, ...powers })) assert.equal(read({ SIZE })?.SIZE, bytes, SIZE)
  const short = { '1ms': 1, '1s': 1e3, '1m': 6e4, '1min': 6e4, '1h': 36e5, '1d': 864e5, '1w': 6048e5, '1h30m': 54e5 }
  const iso = { P1W: 6048e5, P1D: 864e5, PT1H: 36e5, PT1M: 6e4, PT1S: 1e3, P1DT2H3M4S: 93784e3, '0': 0 }
  for (const [PAUSE, ms] of Object.entries({ ...short, ...iso })) assert.equal(read({ PAUSE })?.PAUSE, ms, PAUSE)
  for (const PAUSE of ['1m1h', '1s1s', '1', '-1s', '1y', 'P1Y', 'P', 'PT', '1e3s'])
    assert.equal(read({ PAUSE }), undefined, PAUSE)
})

test('a place is where an editor says it is, also behind a byte order mark', () => {
  const definition = legend({ HIVES: { type: 'integer' }, SCALES: { type: 'integer' } })
  for (const start of ['', '\ufeff']) {
    const layers = [layerFromText('.env', `${start}HIVES=some\nSCALES=many\n`)]
    const places = survey(definition, { stage: 'test', layers }).faults.map(
      ({ place }) => `${place?.line}:${place?.column}`,
    )
    assert.deepEqual(places, ['1:7', '2:8'], JSON.stringify(start))
  }
})

test('a line of a value that looks like an assignment is noticed, and the last line of a key is none', () => {
  for (const [value, isNoticed] of [
    ['x\nHIVES=c', true],
    ['x\nexport  HIVES=c\n', true],
    ['x\n\texport HIVES = c\n', true],
    ['x\nHIVES= c\n', true],
    ['x\nHIVES==c', true],
    ['x\nHI-VES=c', false],
    ['x\nHIVES=\n', false],
    ['x\nHIVES==\ny', false],
    ['x\nHIVES==', false],
    ['x\nHIVES=\r\ny', false],
    ['HIVES=c', false],
  ] as const) {
    const layers = [layerFromText('.env', `A='${value}'\n`)]
    const { notices } = survey(undefined, { stage: 'test', layers })
    const found = notices.some(({ message }) => message.includes('looks like an assignment'))
    assert.equal(found, isNoticed, JSON.stringify(value))
  }
})

test('stages are named in small letters, digits and hyphens, a letter first', () => {
  for (const [name, isRight] of [
    ['preview', true],
    ['a', true],
    ['eu-2', true],
    ['a-', true],
    ['2eu', false],
    ['-a', false],
    ['Eu', false],
    ['eU', false],
    ['e_u', false],
    ['e.u', false],
    ['e u', false],
    ['', false],
    ['a\n', false],
  ] as const) {
    const found = survey(legend({}, { stages: [name] }), { stage: 'test', layers: [] })
    assert.equal(found.ok, isRight, JSON.stringify(name))
  }
})

test('a value that is written in front of a comment does not become one, and keeps it', () => {
  for (const [text, value, written] of [
    ['A= # note\n', 'b', 'A=b # note\n'],
    ['A=a # note\n', 'b', 'A=b # note\n'],
    ['A=a # note\n', '', /^A=(?:''|"")? +# note\n$/],
    ['A=a\n', 'b # c', /^A=(['"])b # c\1\n$/],
  ] as const) {
    const document = readLayer(text)
    document.set('A', value)
    const fresh = document.toString()
    if (typeof written === 'string') assert.equal(fresh, written, text)
    else assert.match(fresh, written, text)
    assert.equal(readLayer(fresh).get('A'), value)
  }
})

test('no value of a page ends its element or begins a comment in it, whatever it holds', () => {
  const definition = legend({ NOTE: { type: 'string', reach: 'browser', fixed: 'start' } })
  for (const note of ['</script><script>x', '<!--<script>', 'a<b', '\u2028\u2029', '</SCRIPT >']) {
    const settings = settle(definition, { root: project({}), stage: 'test', environment: { NOTE: note } })
    const json = pageValues(settings)
    assert.doesNotMatch(json, /[<\u2028\u2029]/, note)
    assert.deepEqual(JSON.parse(json), { NOTE: note })
    assert.equal(pageBlock(settings).match(/<\/script/gi)?.length, 1)
  }
})

test('the search for a root ends before the home directory', async () => {
  const home = project({ 'mappa.legend.json': '{ "type": "object", "properties": {} }', '.env': 'HIVES=home\n' })
  const inside = join(home, 'a/b')
  mkdirSync(inside, { recursive: true })
  const code =
    "import { survey } from 'mappa/node'; console.log(survey(undefined, { stage: 'test' }).texts.get('HIVES'))"
  const run = (env: Record<string, string>) =>
    node(['--input-type=module', '-e', code], { cwd: inside, env: { ...env, GIT_DIR: '' } })
  const [there, elsewhere] = [await run({ HOME: home, USERPROFILE: home }), await run({ HOME: '/', USERPROFILE: '/' })]
  assert.deepEqual([there.stdout, elsewhere.stdout], ['undefined\n', 'home\n'], there.stderr + elsewhere.stderr)
})

test('a service that has too much to do is asked once more, and one that refuses is not', async () => {
  for (const [status, asked] of [
    [429, 2],
    [500, 2],
    [503, 2],
    [404, 1],
    [403, 1],
  ] as const) {
    let count = 0
    const server = createServer((_, response) => {
      count++
      response.writeHead(count === 1 ? status : 200, { 'content-type': 'application/json' }).end('{ "HIVES": "5" }')
    })
    await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve))
    after(() => server.close())
    const definition = legend(
      { HIVES: { type: 'integer', optional: true }, HOST: { type: 'string', optional: true } },
      { remotes: [{ name: 'the host', url: 'HOST' }] },
    )
    const environment = { HOST: `http://127.0.0.1:${(server.address() as AddressInfo).port}/` }
    const found = await surveyAsync(definition, { root: project({}), stage: 'test', environment })
    assert.deepEqual(
      [count, found.settings?.HIVES, found.ok],
      [asked, asked === 2 ? 5 : undefined, asked === 2],
      String(status),
    )
  }
})

test('files that are written all the time are read all the same', async () => {
  const root = project({ '.env': 'HIVES=0\n' })
  const seen: number[] = []
  const watching = watch(legend({ HIVES: { type: 'integer' } }), { root, stage: 'test', environment: {} }, (found) => {
    if (found.ok) seen.push(found.settings.HIVES)
  })
  let hives = 0
  const writing = setInterval(() => writeFileSync(join(root, '.env'), `HIVES=${++hives}\n`), 15)
  await until(() => seen.length >= 2, 'that it is read while it is written').finally(() => clearInterval(writing))
  watching.close()
  // Patience ends twice in about 70 writes; to look at files now and then would take some 260.
  assert.ok(hives < 180, `${hives} writes`)
})
