import assert from 'node:assert/strict'
import { readFileSync, rmSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import test from 'node:test'
import { type Legend, legendFromJsonSchema, surveyLayers } from 'mappa'
import { mappa, node, project } from '../../../test/helpers.js'

const typed = `import { legend } from 'mappa/legend'
const port: 'port' = 'port'
export default legend({
  COLLECTOR_PORT: { type: port, default: 4100 },
  SILENCE: { type: 'duration', default: '6h' },
  SINCE: { type: 'string', optional: true, read: (text: string) => new Date(text) },
}, { stages: ['harvest'], rules: { 'It holds.': () => true } })
`

test('emit writes a legend as JSON, which starts without TypeScript read until its source changes', async () => {
  const root = project({ 'mappa.legend.ts': typed, '.env': 'COLLECTOR_PORT=4200\n' })
  const { code, stdout, stderr } = await mappa(['emit', '--as', 'legend'], { cwd: root })
  assert.deepEqual(
    [code, stderr],
    [0, 'Notice: JSON has no functions, so these are left out: read of SINCE, the rules.\n'],
  )
  const document = JSON.parse(stdout)
  assert.equal(document['x-mappa-source'].file, 'mappa.legend.ts')
  const definition: Legend = legendFromJsonSchema(document)
  assert.equal(surveyLayers(definition, { stage: 'harvest', layers: [] }).texts.get('SILENCE'), '6h')

  const start = () =>
    node(['--import', 'mappa/preload', '-p', 'process.env.COLLECTOR_PORT + process.env.SILENCE'], { cwd: root })
  // Where Node reads TypeScript itself, the source is read and what was made of it is not asked.
  const reads = Boolean((process.features as { typescript?: unknown }).typescript)
  // The command has kept a compiled copy, which images drop.
  rmSync(join(root, 'node_modules/.cache'), { recursive: true })
  const before = await start()
  if (!reads) assert.match(before.stderr, /Run: mappa emit --as legend > mappa\.legend\.json/)
  writeFileSync(join(root, 'mappa.legend.json'), stdout)
  assert.equal((await start()).stdout, '42006h\n')
  writeFileSync(join(root, 'mappa.legend.ts'), typed.replace("'6h'", "'7h'"))
  const after = await start()
  if (reads) assert.equal(after.stdout, '42007h\n')
  else assert.match(after.stderr, /is stale: mappa\.legend\.ts has changed since it was made\./)
  const wrong = await mappa(['emit', '--as', 'poem'], { cwd: root })
  assert.deepEqual(
    [wrong.code, wrong.stderr],
    [2, '--as takes one of shell, layer, json, yaml, container, service, cluster, module, legend\n'],
  )
  writeFileSync(join(root, 'mappa.legend.ts'), typed.replace("'6h'", '-1'))
  const faulty = await mappa(['emit', '--as', 'legend'], { cwd: root })
  assert.deepEqual([faulty.code, faulty.stdout], [1, ''])
  assert.match(faulty.stderr, /The default of SILENCE must be a duration/)
})

test('code that imports the virtual module is tested with Node alone', async () => {
  const root = project({
    'mappa.legend.mjs':
      "import { legend } from 'mappa/legend'\nexport default legend({ TILE_KEY: { type: 'string', reach: 'browser' }, PORT: { type: 'port', as: 'collector.port' } })\n",
    '.env.test': 'TILE_KEY=tile_test_meadow\nPORT=4100\n',
    'map.mjs':
      "import settings, { PORT, TILE_KEY } from 'virtual:mappa/settings'\nexport const shown = [TILE_KEY, PORT, settings.collector.port]\n",
    'map.test.mjs':
      "import assert from 'node:assert'\nimport test from 'node:test'\nimport { shown } from './map.mjs'\nimport { settings } from './settings.mjs'\ntest('map', () => assert.deepEqual([...shown, settings.TILE_KEY], ['tile_test_meadow', 4100, 4100, 'tile_test_meadow']))\n",
    '.env.development': 'TILE_KEY=tile_test_orchard\nPORT=4200\n',
    'settings.mjs':
      "import { settle } from 'mappa/node'\nimport definition from './mappa.legend.mjs'\nexport const settings = settle(definition, { from: import.meta.url })\n",
  })
  const ran = await node(['--import', 'mappa/testing/register', '--test', '--test-reporter', 'tap', 'map.test.mjs'], {
    cwd: root,
  })
  assert.equal(ran.code, 0, ran.stdout + ran.stderr)
  writeFileSync(join(root, '.env.test'), readFileSync(join(root, '.env.test'), 'utf8').replace('4100', '41oo'))
  const failed = await node(
    ['--import', 'mappa/testing/register', '--test', '--test-reporter', 'tap', 'map.test.mjs'],
    { cwd: root },
  )
  assert.equal(failed.code, 1)
  assert.match(failed.stdout, /PORT must be a port from 1 to 65535, but is "41oo"/)
})
