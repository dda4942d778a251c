// Where a start's values are from, said by the start itself: on a host there is not a command.
import assert from 'node:assert/strict'
import test from 'node:test'
import { legend } from 'mappa'
import { originsOf, settle, settleAsync } from 'mappa/node'
import { node, project, token } from '../../../test/helpers.js'

const entries = `{
  HIVES: { type: 'integer' }, NOTE: { type: 'string', optional: true }, LONG: { type: 'string', optional: true },
  PAUSE: { type: 'duration', default: '5s' }, ALERT_TOKEN: { type: 'string', secret: true, file: true } }`
const module = `import { legend } from 'mappa'\nexport default legend(${entries}, { directories: ['keys'] })`
const files = {
  'mappa.legend.mjs': module,
  '.env': `HIVES=3\nLONG=${'clover '.repeat(20)}\nOTHER=heather\n`,
  '.env.staging': 'HIVES=4\n',
  'keys/ALERT_TOKEN': `${token}\n`,
  'settle.mjs': `import { settle } from 'mappa/node'
import definition from './mappa.legend.mjs'
settle(definition, { from: import.meta.url })`,
  'wait.mjs': `import { settleAsync } from 'mappa/node'
import definition from './mappa.legend.mjs'
await settleAsync(definition, { from: import.meta.url })`,
  'follow.mjs': `import { watchAsync } from 'mappa/node'
import definition from './mappa.legend.mjs'
await watchAsync(definition, { from: import.meta.url }, () => {})`,
  'plain.mjs': '',
}
const said = [
  /^Stage staging \(from MAPPA_STAGE\), root .*, settled \d{4}-\d\d-\d\dT[\d:.]+Z$/,
  /^\d variables: 1 from the legend, 2 from \.env, 1 from \.env\.staging, 1 from keys, 1 without a value/,
  /^ {2}HIVES +4 +\.env\.staging:1:7$/,
  /^ {2}NOTE +no value$/,
  /^ {2}LONG +clover .*… +\.env:2:6$/,
  /^ {2}PAUSE +5s +default in the legend$/,
  /^ {2}ALERT_TOKEN +\(secret\) +keys\/ALERT_TOKEN$/,
]

test('MAPPA_TELL=1: stage, root, and each value with its layer, masked; whatever way it starts', async () => {
  const cwd = project(files)
  for (const args of [['settle.mjs'], ['wait.mjs'], ['follow.mjs'], ['--import', 'mappa/preload', 'plain.mjs']]) {
    const run = (tell: string) => node(args, { cwd, env: { MAPPA_STAGE: 'staging', MAPPA_TELL: tell } })
    const { code, stdout, stderr } = await run('1')
    assert.deepEqual([code, stdout], [0, ''], stderr)
    const lines = stderr.trimEnd().split('\n')
    for (const [at, pattern] of said.entries()) assert.match(lines[at] ?? '', pattern, args.join(' '))
    assert.doesNotMatch(stderr, new RegExp(`${token}|heather`))
    assert.equal((await run('')).stderr + (await run('0')).stderr, '')
  }
})

test('a health page says the same as data, of settings as they were made', async () => {
  const definition = legend({ HIVES: { type: 'integer' }, ALERT_TOKEN: { type: 'string', secret: true } })
  const options = { root: project({ '.env': `HIVES=3\nALERT_TOKEN=${token}` }), environment: {}, stage: 'test' }
  for (const settings of [settle(definition, options), await settleAsync(definition, options)]) {
    const { settledAt, ...origins } = originsOf(settings)
    assert.ok(Date.now() - settledAt.getTime() < 60_000)
    assert.deepEqual(origins, {
      stage: { name: 'test', from: 'the caller' },
      root: options.root,
      layers: [{ name: '.env', count: 2 }],
      variables: [
        { name: 'HIVES', shown: '3', from: '.env:1:7' },
        { name: 'ALERT_TOKEN', shown: '(secret)', from: '.env:2:13' },
      ],
    })
    assert.throws(() => originsOf({ ...settings }), TypeError)
  }
})
