// What is otherwise on Windows, in a world that looks like it to the library (test/as-windows.mjs).
import assert from 'node:assert/strict'
import { join } from 'node:path'
import test from 'node:test'
import { node, project, top } from '../../../test/helpers.js'

const world = ['--import', join(top, 'test/as-windows.mjs')]
const json = (properties: object, more = {}) => JSON.stringify({ type: 'object', properties, ...more })
const secret = { type: 'string', 'x-mappa-secret': true }
/** What a program has and what it says of its sources, as the library tells it. */
const tell = `
import { readFileSync } from 'node:fs'
import { legendFromJsonSchema, reportText } from 'mappa'
import { childEnvironment } from 'mappa/command'
import { survey } from 'mappa/node'
const file = new URL('./mappa.legend.json', import.meta.url)
const found = survey(legendFromJsonSchema(JSON.parse(readFileSync(file, 'utf8'))), { from: import.meta.url })
console.log(reportText(found, { width: 100 }), JSON.stringify([...found.texts]), JSON.stringify([...found.trails.values()].map(({ steps }) => steps)))
`

const rows: Readonly<Record<string, Readonly<Record<string, string>>>> = {
  'layers, directories and files that are named': {
    'mappa.legend.json': json(
      { PORT: { type: 'integer' }, TOKEN: secret, KEY: { ...secret, 'x-mappa-file': true } },
      { 'x-mappa-directories': ['run/secrets'] },
    ),
    '.env': 'PORT=4107\r\nKEY_FILE=run/key\r\n',
    '.env.local': 'PORT=4108\n',
    'run/secrets/TOKEN': 'heather\n',
    'run/key': 'clover\n',
  },
  'a package in a workspace, with the layers at the top beneath its own': {
    '../.env': 'PORT=4107\n',
    'mappa.legend.json': json({ PORT: { type: 'integer' } }, { 'x-mappa-top-layers': true }),
    '.env.development': 'NAME=hill\n',
  },
  'faults with their places': {
    'mappa.legend.json': json({ PORT: { type: 'integer' }, TOKEN: secret }, { 'x-mappa-directories': ['run/secrets'] }),
    '.env': 'PORT=41oo\nA/\n',
    '.env.local/x': 'no file',
    'run/secrets/TOKEN': ' ',
  },
  'no layer file, and one above that is not read': {
    '../.env': 'PORT=4107\n',
    'mappa.legend.json': json({ PORT: { type: 'integer' } }),
  },
}

test('what is read and said is the same under drives and backslashes', async () => {
  for (const [what, files] of Object.entries(rows)) {
    const within = Object.fromEntries(Object.entries(files).map(([name, text]) => [join('hives', name), text]))
    const root = project({ ...within, 'hives/package.json': '{"name":"hives"}', 'hives/tell.mjs': tell })
    const drive = `C:${root.replaceAll('/', '\\')}`
    const said = async (args: readonly string[]) => {
      const { stdout, stderr } = await node(args, { cwd: join(root, 'hives') })
      // How long the root is decides where lines end.
      const text = (stdout + stderr).replaceAll(drive, root).replace(/\s+/g, ' ')
      return text.replaceAll(/\/\w+-test-\w+(?:\\\S*)?/g, (path) => path.replaceAll('\\', '/'))
    }
    const preload = ['--import', 'mappa/preload', '-p', '[process.env.PORT, process.env.TOKEN, process.env.KEY]']
    for (const args of [['tell.mjs'], preload]) assert.equal(await said([...world, ...args]), await said(args), what)
  }
})

test('names are found in any spelling there, and a program inside reads its own layers', async () => {
  const root = project({
    'mappa.legend.json': json({ PORT: { type: 'integer', default: 4107 }, NAME: { type: 'string' } }),
    '.env': 'NAME=hill\n',
    'inner.mjs': `
import { spawnSync } from 'node:child_process'
const { PORT, NAME, MAPPA_SET } = process.env
console.log(PORT, NAME)
if (process.argv[2] !== 'last') {
  const args = [...process.execArgv, 'inner.mjs', 'last']
  // Kept by the names that the system has, whatever they are asked by.
  process.stdout.write(spawnSync(process.execPath, args, { env: { ...process.env, MAPPA_SET }, encoding: 'utf8' }).stdout)
}`,
  })
  const start = async (args: readonly string[]) =>
    (await node([...args, '--import', 'mappa/preload', 'inner.mjs'], { cwd: root, env: { port: '4108' } })).stdout
  assert.equal(await start(world), '4108 hill\n4108 hill\n')
  assert.equal(await start([]), '4107 hill\n4107 hill\n')
})

test('a child gets each name in one spelling, and one that is a .cmd goes through its shell with its arguments quoted', async () => {
  const root = project({
    'child.mjs': `
import { childEnvironment } from 'mappa/command'
const found = { stage: { name: 'test', from: '' }, given: [{ name: 'PORT', text: '1', source: 'file' }] }
console.log(Object.keys(childEnvironment(found, { port: '2', Path: 'C:/hives' })).join())`,
    'started.mjs': `
import { createRequire } from 'node:module'
const { _parse } = createRequire(${JSON.stringify(join(top, 'packages/cli/package.json'))})('cross-spawn')
const { command, args } = _parse('hive', ['a&b'], { env: { PATH: 'C:/hives', PATHEXT: '.CMD' } })
console.log(command, ...args)`,
  })
  const said = async (script: string) => (await node([...world, script], { cwd: root })).stdout
  assert.equal(await said('child.mjs'), 'Path,PORT,MAPPA_STAGE,MAPPA_SET\n')
  assert.equal(await said('started.mjs'), 'cmd.exe /d /s /c "hive ^"a^&b^""\n')
})
