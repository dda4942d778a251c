// Reads of variables that the legend declares: lift moves those that get the same value from settings, and says why others stay.
import assert from 'node:assert/strict'
import { existsSync, readFileSync } from 'node:fs'
import { join } from 'node:path'
import test from 'node:test'
import { mappa, node, project } from '../../../test/helpers.js'

const manifest = '{ "name": "hives", "private": true, "type": "module", "scripts": { "start": "node server.js" } }'
const told = (values: string) => `console.log(JSON.stringify([${values}]))\n`

/** Applications that init and lift set up, in either order, to the same code and the same legend. */
const applications: Readonly<Record<string, Readonly<Record<string, string>>>> = {
  'a fallback, a secret and a switch': {
    '.env': 'PORT=4100\n',
    '.env.local': 'ALERT_TOKEN=sms_made_up_buckwheat\n',
    'server.js': `const port = Number(process.env.PORT) || 3000\nconst token = process.env.ALERT_TOKEN\nif (!token) throw new Error('no token')\nconst loud = process.env.LOUD === 'true'\n${told('port, token, loud')}`,
  },
  'a destructuring and an import': {
    '.env': 'FEED_URL=https://feed.example/hives\n',
    'server.js': `import { feed } from './feed.js'\n${told('feed')}`,
    'feed.js': `const { FEED_URL = 'https://feed.example', NODE_ENV } = process.env\nexport const feed = FEED_URL\n`,
  },
  'what may be missing': {
    '.env': 'NOTE=meadow\n',
    'server.js': `const note = process.env.NOTE\n${told("note ?? 'none', process.env.OTHER ? 'other' : 'none'")}`,
  },
}

const root = (files: Readonly<Record<string, string>>) =>
  project({ 'package.json': manifest, '.gitignore': 'node_modules\n', ...files })
const textOf = (folder: string, file: string) =>
  existsSync(join(folder, file)) ? readFileSync(join(folder, file), 'utf8') : undefined

/** Only init looks at values, too; and entries stand in the order in which they came. */
const linesOf = (text = '') =>
  text
    .replace(/ format: 'uri',/, '')
    .split('\n')
    .sort()

for (const [name, files] of Object.entries(applications))
  test(`init first and lift first end alike: ${name}`, async () => {
    const [one, other] = [root(files), root(files)]
    for (const [folder, commands] of [
      [one, ['init', 'lift']],
      // At first lift leaves what the start does not load: the program would get other values.
      [other, ['lift', 'init', 'lift']],
    ] as const)
      for (const command of commands) {
        const args = [command, '--apply', ...(command === 'lift' ? ['--uncommitted'] : [])]
        const { code, stdout, stderr } = await mappa(args, { cwd: folder })
        assert.equal(code, 0, `${command}: ${stdout}${stderr}`)
      }
    for (const file of ['mappa.legend.js', ...Object.keys(files).filter((each) => each.endsWith('.js'))])
      assert.deepEqual(linesOf(textOf(one, file)), linesOf(textOf(other, file)), file)
    assert.doesNotMatch(textOf(one, 'server.js') ?? '', /process\.env\.(?!OTHER)/)
    // The program has what it had when the layer's values were in its environment.
    const values = Object.fromEntries(
      `${files['.env'] ?? ''}${files['.env.local'] ?? ''}`.split('\n').flatMap((line) => [line.split('=')]),
    )
    delete values['']
    const before = await node([join(root(files), 'server.js')], { cwd: one, env: values })
    const after = await node(['server.js'], { cwd: one })
    assert.deepEqual([after.stdout, after.code], [before.stdout, 0], after.stderr)
    const again = await mappa(['lift', '--json'], { cwd: one })
    assert.deepEqual(
      JSON.parse(again.stdout).candidates.filter(({ blocked }: { blocked?: string }) => !blocked),
      [],
    )
  })

const entry = (words: object) =>
  JSON.stringify({
    type: 'object',
    properties: { A: words },
    ...(!('default' in words || 'x-mappa-optional' in words) && { required: ['A'] }),
  })
const rows: Readonly<Record<string, readonly [words: object, code: string, why: RegExp]>> = {
  'another type': [
    { type: 'string', default: '1' },
    'Number(process.env.A) || 1',
    /declares it as string, but code makes a/,
  ],
  'another default': [{ type: 'string', default: 'x' }, "process.env.A ?? 'y'", /falls back to another value/],
  'a fallback that the legend does not have': [
    { type: 'string', 'x-mappa-optional': true },
    "process.env.A ?? 'y'",
    /has a fallback, but the legend has no default/,
  ],
  'a default that code does not have': [
    { type: 'string', default: 'x' },
    'process.env.A.trim()',
    /has a default, but code has no fallback/,
  ],
  'code that goes on without it': [
    { type: 'string' },
    'process.env.A ? 1 : 2',
    /requires it, but code goes on without it/,
  ],
  'another place': [{ type: 'string', 'x-mappa-as': 'hives.a' }, 'process.env.A.trim()', /the word as/],
  'another form': [{ type: 'duration', default: '1s' }, "process.env.A ?? '1s'", /declares it as duration/],
  'words of a stage': [
    { type: 'string', default: 'x', 'x-mappa-stages': { staging: { default: 'y' } } },
    "process.env.A ?? 'x'",
    /differs between stages/,
  ],
}

for (const [name, [words, code, why]] of Object.entries(rows))
  test(`a declared read stays where settings hold something else: ${name}`, async () => {
    const text = `console.log(${code})\n`
    const folder = root({ 'mappa.legend.json': entry(words), '.env': '', 'server.js': text })
    const { stdout } = await mappa(['lift'], { cwd: folder })
    assert.match(stdout.replace(/\s+/g, ' '), why)
    await mappa(['lift', '--apply', '--uncommitted'], { cwd: folder })
    assert.equal(textOf(folder, 'server.js'), text)
  })
