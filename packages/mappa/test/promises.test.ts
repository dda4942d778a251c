// What a promise comes to at its edges: the last value that it still holds for, and the first for which it does not.
import assert from 'node:assert/strict'
import { mkdirSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import test from 'node:test'
import { layerFromText, layerFromValues, legend, mask, readLayer, surveyLayers } from 'mappa'
import { settle, watch } from 'mappa/node'
import { pageBlock, pageValues } from 'mappa/page'
import { node, project, until } from '../../../test/helpers.js'

test('a mask shows what the pattern fixes, at most twelve characters, never more than a third, and nothing uncertain', () => {
  const long = (prefix: string, length = 60) => prefix.padEnd(length, 'z')
  for (const [pattern, value, shown = ''] of [
    ['^tile_test_', long('tile_test_', 30), 'tile_test_…'],
    ['^tile_test_', long('tile_test_', 29)],
    ['^tile_test_', long('tile_live_')],
    ['^hive_meadow_', long('hive_meadow_', 36), 'hive_meadow_…'],
    ['^hive_meadows_', long('hive_meadows_', 90)],
    ...['x*', 'x+', 'x?', 'x{2}', '[a-z]', '[a-z]+'].map((end) => [`^sms_${end}`, long('sms_xx'), 'sms_…'] as const),
    ...['^(?:sms)_', '^sms_|^tel_', 'sms_', 'xsms_', '^'].map((pattern) => [pattern, long('sms_')] as const),
  ] as const)
    assert.equal(mask(value, { pattern }), `${shown}(secret)`, `${pattern} ${value.length}`)
  assert.equal(mask(long('a')), '(secret)')
})

test('each unit is worth what its standard says', () => {
  const amounts = legend({ SIZE: { type: 'bytes', optional: true }, PAUSE: { type: 'duration', optional: true } })
  const read = (values: Record<string, string>) =>
    surveyLayers(amounts, { stage: 'test', layers: [layerFromValues('given', values)] }).settings
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
    const places = surveyLayers(definition, { stage: 'test', layers }).faults.map(
      ({ place }) => `${place?.line}:${place?.column}`,
    )
    assert.deepEqual(places, ['1:7', '2:8'], JSON.stringify(start))
  }
})

test('a line of a value that looks like an assignment is noticed, and the last line of a key is not one', () => {
  const assigned = ['\nHIVES=c', '\nexport  HIVES=c\n', '\n\texport HIVES = c\n', '\nHIVES= c\n', '\nHIVES==c']
  const plain = ['\nHI-VES=c', '\nHIVES=\n', '\nHIVES==\ny', '\nHIVES==', '\nHIVES=\r\ny', 'HIVES=c']
  for (const value of [...assigned, ...plain]) {
    const layers = [layerFromText('.env', `A='x${value}'\n`)]
    const { notices } = surveyLayers(undefined, { stage: 'test', layers })
    const found = notices.some(({ message }) => message.includes('looks like an assignment'))
    assert.equal(found, assigned.includes(value), JSON.stringify(value))
  }
})

test('stages are named in small letters, digits and hyphens, a letter first', () => {
  const right = ['preview', 'a', 'eu-2', 'a-']
  for (const name of [...right, '2eu', '-a', 'Eu', 'eU', 'e_u', 'e.u', 'e u', '', 'a\n']) {
    const found = surveyLayers(legend({}, { stages: [name] }), { stage: 'test', layers: [] })
    assert.equal(found.ok, right.includes(name), JSON.stringify(name))
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
  // Some hosts and images have the application in the home directory.
  for (const [dependencies, expected] of [
    ['{ "mappa": "1.0.0" }', 'home\n'],
    ['{}', 'undefined\n'],
  ] as const) {
    writeFileSync(join(home, 'package.json'), `{ "name": "hives", "dependencies": ${dependencies} }`)
    const { stdout, stderr } = await run({ HOME: home, USERPROFILE: home })
    assert.equal(stdout, expected, stderr)
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
