import assert from 'node:assert/strict'
import { spawnSync } from 'node:child_process'
import { mkdirSync, symlinkSync } from 'node:fs'
import { join } from 'node:path'
import test from 'node:test'
import { inspect } from 'node:util'
import { legend, legendFromJsonSchema, toJsonSchema } from 'mappa'
import * as machine from 'mappa/node'
import { node, project, storedIn, token } from '../../../test/helpers.js'
import { standaloneExport } from '../src/node/legends/standalone.js'

const { answered } = storedIn('packages/mappa/test/stored')
const { settle, survey } = machine
const scales = legend({ SCALE: { type: 'string' }, COUNT: { type: 'integer', default: 1 } })

test('the four layer files, the process environment and the command line, in that order, from any directory', () => {
  const root = project({
    '.env': 'SCALE=1\nCOUNT=1',
    '.env.staging': 'SCALE=2',
    '.env.local': 'SCALE=3',
    '.env.staging.local': 'SCALE=4',
    '.env.test': 'COUNT=7',
    'src/x.js': '',
  })
  const from = join(root, 'src')
  const read = (options: machine.MachineOptions) => settle(scales, { from, environment: {}, ...options })
  assert.equal(read({ stage: 'staging' }).SCALE, '4')
  assert.equal(read({ stage: 'production' }).SCALE, '3')
  assert.deepEqual({ ...read({ stage: 'test' }) }, { SCALE: '1', COUNT: 7 })
  assert.equal(read({ environment: { SCALE: '5', MAPPA_STAGE: 'staging' } }).SCALE, '5')
  assert.equal(read({ environment: { SCALE: '5' }, commandLine: { SCALE: '6' } }).SCALE, '6')
})

test('a stage that is like another has its layers and words beneath its own, and is taken for it', () => {
  const definition = legend(
    {
      URL: { type: 'string', stages: { staging: { default: 'a' }, preview: { minLength: 1 } } },
      KEY: { type: 'string', secret: true },
    },
    { stages: { preview: { like: 'staging' }, live: { like: 'production' }, own: {} } },
  )
  const root = project({
    '.env.staging': 'KEY=one-heather\n',
    '.env.preview': 'URL=bb\n',
    '.env.live': 'URL=c\nKEY=sms_test_clover',
  })
  const found = (stage: string, given = definition) => survey(given, { root, environment: {}, stage })
  assert.deepEqual({ ...found('preview').settings, KEY: '' }, { KEY: '', URL: 'bb' })
  assert.deepEqual(
    found('preview')
      .trail('URL')
      .steps.map(({ layer, stage }) => stage ?? layer),
    ['.env.preview', 'staging'],
  )
  assert.deepEqual(
    found('live').faults.map(({ kind }) => kind),
    ['key-of-other-stage'],
  )
  assert.deepEqual(
    found('own').faults.map(({ kind }) => kind),
    ['missing', 'missing'],
  )
  const again = legendFromJsonSchema(JSON.parse(JSON.stringify(toJsonSchema(definition))))
  assert.deepEqual([again.stages, again.like], [definition.stages, definition.like])
  const round = legend({}, { stages: { a: { like: 'b' }, b: { like: 'a' }, c: { like: 'nowhere' } } })
  assert.deepEqual(
    found('a', round as never).faults.map(({ message }) => message.split(' ', 5).join(' ')),
    ['a', 'b', 'c'].map((name) => `Stage ${name} is like "${{ a: 'b', b: 'a', c: 'nowhere' }[name]}",`),
  )
})

test('a layer file that cannot be read as text is a fault that names it', () => {
  const cases: readonly [content: string | Uint8Array | ((path: string) => void), message: RegExp, place?: string][] = [
    [(path) => mkdirSync(path), /^\.env must be a file, but is a directory\.$/],
    [(path) => symlinkSync(path, path), /^\.env cannot be read: it is a link to itself\.$/],
    [(path) => symlinkSync('/dev/zero', path), /^\.env must be a file, but is a device, a pipe or the like\.$/],
    [(path) => spawnSync('mkfifo', [path]), /^\.env must be a file, but is a device, a pipe or the like\.$/],
    [Buffer.alloc(8 * 1024 * 1024 + 1, 35), /^\.env is larger than 8 MiB\.$/],
    [Buffer.from('A=1\nBÄ=\xe9x', 'latin1'), /^\.env must be UTF-8 text, but is not\.$/, '2:2'],
    [Buffer.from('\ufeffA=1', 'utf16le'), /looks like UTF-16/, '1:1'],
  ]
  for (const [content, message, place] of cases) {
    const root = project(typeof content === 'function' ? {} : { '.env': content })
    if (typeof content === 'function') content(join(root, '.env'))
    const { faults } = survey(scales, { root, environment: { SCALE: '1' } })
    assert.match(faults[0]?.message ?? '', message)
    assert.equal(faults[0]?.kind, 'unreadable')
    assert.ok(faults[0]?.remedy)
    if (place) assert.equal(`${faults[0]?.place?.line}:${faults[0]?.place?.column}`, place)
  }
  assert.equal(survey(scales, { root: project({ '.env': 'SCALE=\ufffd' }), environment: {} }).settings?.SCALE, '\ufffd')
})

test('the entry points load under require and share one core', async () => {
  const root = project({
    'a.cjs': `const [a, b] = [require('mappa'), require('mappa/node')]
      import('mappa').then((c) => console.log([b, c].every((each) => each.SettleError === a.SettleError)))`,
  })
  // Before Node 20.19.3, Node itself remarks on standard error that require of a module is new.
  const { code, stdout } = await node(['a.cjs'], { cwd: root })
  assert.deepEqual([code, stdout], [0, 'true\n'])
  // What runs tests or bundles often has a require that takes no module.
  const entries = ['mappa', 'mappa/node', 'mappa/legend', 'mappa/testing', 'mappa/command']
  const all = `const [a, b] = ${JSON.stringify(entries)}.map((each) => require(each)); console.log(a.SettleError === b.SettleError)`
  const alone = await node(['--no-experimental-require-module', '-e', all], { cwd: root })
  assert.deepEqual([alone.code, alone.stdout], [0, 'true\n'])
})

const legends: Record<string, Record<string, string>> = {
  'a JSON legend': {
    'mappa.legend.json':
      '{"properties":{"PORT":{"type":"integer"},"TOKEN":{"type":"string","x-mappa-secret":true}},"required":["PORT"]}',
  },
  'a JavaScript legend': {
    'mappa.legend.mjs':
      "import { legend } from 'mappa/legend'\nexport default legend({ PORT: { type: 'port' }, TOKEN: { type: 'string', secret: true, optional: true } })",
  },
  'a CommonJS legend': {
    'mappa.legend.js':
      "module.exports = require('mappa/legend').legend({ PORT: { type: 'port' }, TOKEN: { type: 'string', secret: true, optional: true } })",
  },
  'no legend': {},
}
const show = 'console.log(JSON.stringify([process.env.PORT, process.env.MAPPA_STAGE, process.env.NODE_ENV]))'

test('the preload sets process.env before any module runs, or starts nothing', async () => {
  for (const [what, files] of Object.entries(legends)) {
    const root = project({
      ...files,
      '.env': 'PORT=4100',
      '.env.staging': `PORT=4200\nTOKEN=${token}`,
      'src/app.mjs': show,
      'other.cjs': show,
    })
    const run = (flag: string, app: string, env: Record<string, string>) =>
      node([flag, 'mappa/preload', app], { cwd: root, env })
    assert.deepEqual(
      await run('--import', 'src/app.mjs', {}),
      { code: 0, signal: null, stdout: '["4100","development",null]\n', stderr: '' },
      what,
    )
    assert.equal(
      (await run('--require', 'other.cjs', { MAPPA_STAGE: 'staging' })).stdout,
      '["4200","staging",null]\n',
      what,
    )
    assert.equal((await run('--import', 'src/app.mjs', { PORT: '1' })).stdout, '["1","development",null]\n', what)
  }
  const broken = project({ ...legends['a JSON legend'], '.env': `PORT=41oo\nTOKEN='${token}`, 'app.mjs': show })
  const failed = await node(['--import', 'mappa/preload', 'app.mjs'], { cwd: broken })
  assert.equal(failed.code, 1)
  assert.equal(failed.stdout, '')
  assert.match(failed.stderr, /PORT must be a whole number, but is "41oo"\.\n {4}\.env:1:6/)
  assert.match(failed.stderr, /2 faults, no notices\. Nothing was started\.\n$/)
  assert.doesNotMatch(failed.stderr, /buckwheat|\n {4}at /)
})

test('a legend that the preload cannot load is one sentence', async () => {
  const rows: readonly [file: string, text: string, sentence: RegExp][] = [
    ['mappa.legend.json', '{', /mappa\.legend\.json cannot be loaded: SyntaxError/],
    ['mappa.legend.mjs', "throw new Error('no hives')", /mappa\.legend\.mjs cannot be loaded: Error: no hives/],
    [
      'mappa.legend.mjs',
      'await 1; export default {}',
      /mappa\.legend\.mjs uses await, but a legend must be plain data/,
    ],
    ['mappa.legend.mjs', 'export default 3', /mappa\.legend\.mjs must export a legend as its default/],
    ['mappa.legend.js', 'exports.a = 1', /mappa\.legend\.js must export a legend as its default/],
  ]
  for (const [file, text, sentence] of rows) {
    const root = project({ [file]: text, '.env': '', 'app.mjs': show })
    const { code, stdout, stderr } = await node(['--import', 'mappa/preload', 'app.mjs'], { cwd: root })
    assert.deepEqual([code, stdout], [1, ''])
    assert.match(stderr, sentence)
    assert.doesNotMatch(stderr, /\n {4}at /)
  }
})

test('a legend that imports nothing but the library is run as a function, and is what Node makes of it', async () => {
  await answered('standalone', async (given) => {
    const text = given.replaceAll('\\n', '\n').replaceAll('\\r', '\r')
    const here = project({ 'mappa.legend.mjs': text, 'other.js': "export * from 'mappa/legend'" })
    const file = join(here, 'mappa.legend.mjs')
    const found = standaloneExport(text, file)
    if (found !== undefined) assert.equal(inspect(found), inspect((await import(file)).default), text)
    return [`    ${found === undefined ? "by Node's loader" : 'as a function'}`]
  })
})
