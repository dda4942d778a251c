// Other readers of layer files: the models of them against those programs themselves, and what check says of a file that a start reads so.
import assert from 'node:assert/strict'
import { readFileSync } from 'node:fs'
import { join } from 'node:path'
import test from 'node:test'
import * as library from 'mappa'
import { rowTexts, wrongModels } from '../../../scripts/field/reader-rows.mjs'
import { readers } from '../../../scripts/field/readers.mjs'
import { compareReader, layerFiles, ownSide } from '../../../scripts/field/readers-compared.mjs'
import { mappa, project, top } from '../../../test/helpers.js'

const own = await ownSide()

test('each model reads the constructs of docs/format.md as its reader did', async () => {
  const { rows } = JSON.parse(readFileSync(join(top, 'docs/field.json'), 'utf8')).readers
  assert.deepEqual(
    rows.map(({ text }: { text: string }) => text),
    rowTexts,
  )
  assert.deepEqual(await wrongModels(rows), [])
  const read = new Set(rows.flatMap(({ cells }: { cells: object }) => Object.keys(cells)))
  assert.deepEqual(
    Object.keys(readers).filter((name) => !read.has(name)),
    [],
  )
})

test('readers that are here read generated files as their models say, and no difference is left without a word', async () => {
  const seed = Date.now() % 1e6
  for (const name of ['Node 20', 'dash', 'bash', 'systemd'] as const) {
    const reader = readers[name]
    if (!reader.is()) continue
    const texts = layerFiles(400, seed)
    const { wrong, unnamed, silent, examples } = await compareReader(name, texts, { mappa: library, own })
    assert.deepEqual([wrong, unnamed], [0, 0], `${name}, seed ${seed}: ${JSON.stringify(examples)}`)
    assert.ok(silent > 50, `${name}: only ${silent} files without a word`)
  }
})

test('a spelling that is offered is read alike by Mappa and every reader of the file', () => {
  const values = [
    'x',
    'p#ss',
    'a b',
    "it's",
    'say "x"',
    'C:\\hives',
    'a$b',
    '${HIVES}',
    '\\n',
    'a\nb',
    '#x',
    ' x ',
    '`x`',
    '\'$\\"`#',
  ]
  const kinds = Object.keys(own.layerReaders)
  let without = 0
  for (const value of values)
    for (const one of kinds)
      for (const other of kinds) {
        // Written so that no reader agrees, the difference is there in any case.
        const text = `HIVE=${value.replaceAll('\n', ' ')}y\n`
        const file = {
          text,
          names: new Set(['HIVE']),
          ours: new Map([['HIVE', value]]),
          readers: [one, other],
          around: new Map(),
        }
        for (const { spelling } of own.readDifferences(file).differences) {
          if (spelling === undefined) {
            without++
            continue
          }
          const written = `HIVE=${spelling}\n`
          const all = [one, other].flatMap((reader) => own.layerReaders[reader].versions)
          const read = all.map((each) => each(written, new Map()).values.get('HIVE'))
          assert.deepEqual(
            [library.readLayer(written).get('HIVE'), ...read],
            [value, ...read.map(() => value)],
            written,
          )
        }
      }
  assert.ok(without > 20, 'some values have no such spelling')
})

const legend = JSON.stringify({
  type: 'object',
  properties: {
    HIVES: { type: 'string' },
    TOKEN: { type: 'string', 'x-mappa-secret': true },
    FEED: { type: 'string', default: 'feed' },
  },
})
const server = 'console.log(process.env.NONE)\n'
const start = (command: string) => JSON.stringify({ name: 'hives', private: true, scripts: { start: command } })
const unit = (file: string) =>
  `[Service]\nWorkingDirectory=/srv/hives\nEnvironmentFile=-${file}\nExecStart=node server.js\n`
const compose = (file: string) =>
  `services:\n  web:\n    build: .\n    command: node server.js\n    env_file: ${file}\n`

/** Files beside the legend; what check says of the layer files; and what it offers. */
const rows: Readonly<
  Record<string, readonly [files: Record<string, string>, says: readonly RegExp[], offers: readonly RegExp[]]>
> = {
  'the flag of Node cuts at a #': [
    { 'package.json': start('node --env-file=.env server.js'), '.env': 'HIVES=p#ss\n' },
    [/^Node gets another value of HIVES from \.env: "p" instead of "p#ss" \(the script "start"\)\.$/],
    [/^Write: HIVES='p#ss'$/],
  ],
  'a secret is not shown': [
    { 'package.json': start('node --env-file=.env.local server.js'), '.env.local': 'TOKEN=buckwheat#clover\n' },
    [/^Node gets another value of TOKEN from \.env\.local \(the script "start"\)\.$/],
    [/^Put the whole value in single quotes\.$/],
  ],
  'an expansion that Node does not know': [
    { 'package.json': start('node --env-file=.env server.js'), '.env': 'HIVES=x\nFEED=${HIVES}/y\n' },
    [/Node gets another value of FEED .*"\$\{HIVES\}\/y" instead of "x\/y"/],
    [/^Write: FEED=x\/y$/],
  ],
  'a short secret that only the other reader puts in is not shown': [
    { 'package.json': start('vite'), '.env.local': 'TOKEN=q7\n', '.env': "HIVES='a${TOKEN}'\nTOKEN=q7\n" },
    [/^Vite gets another value of HIVES from \.env \(the script "start"\)\.$/],
    [/^Put the whole value in double quotes, with a backslash /],
  ],
  'a name that every object has is undeclared, so that its value is not shown': [
    { 'package.json': start('node --env-file=.env server.js'), '.env': 'constructor=buckwheat#clover\n' },
    [/^Node gets another value of constructor from \.env \(the script "start"\)\.$/, /lower-case letters/],
    [/^Put the whole value in single quotes\.$/, /^Write: CONSTRUCTOR/],
  ],
  'Vite expands in single quotes': [
    { 'package.json': start('vite build'), '.env': "HIVES='a$b'\n" },
    [/^Vite gets another value of HIVES from \.env: "a" instead of "a\$b"/],
    [/^Write: HIVES="a\\\$b"$/],
  ],
  'our plugin switches its reading off': [
    {
      'package.json': start('vite build'),
      '.env': "HIVES='a$b'\n",
      'vite.config.js': "import { mappa } from '@mappa/build/vite'\nexport default { plugins: [mappa()] }\n",
    },
    [],
    [],
  ],
  'Compose takes what stands above': [
    { 'compose.yaml': compose('.env'), '.env': 'FEED=${HIVES}\nHIVES=x\n' },
    [/^Compose gets another value of FEED from \.env: "" instead of "x" \(compose\.yaml \(web\)\)\.$/],
    [/^Write: FEED=x$/],
  ],
  'a container keeps quotes': [
    { 'package.json': start('docker run --env-file .env hives'), '.env': "HIVES='two words'\n" },
    [/^The container engine gets another value of HIVES from \.env: "'two words'" instead of "two words"/],
    [/^Write: HIVES=two words$/],
  ],
  'a container refuses the file': [
    { 'package.json': start('podman run --env-file=.env hives'), '.env': 'FEED=x\nexport HIVES=y\n' },
    [/^The container engine refuses the whole of \.env \(the script "start"\): line 2 /],
    [/^Begin the line with the name/],
  ],
  'the service manager knows no export': [
    { 'hives.service': unit('/srv/hives/.env'), '.env': 'export HIVES=y\n' },
    [/^The service manager gets no value of HIVES from \.env \(hives\.service\)\.$/],
    [/^Write: HIVES=y$/],
  ],
  'a file outside the project': [{ 'hives.service': unit('/etc/hives.env'), '.env': 'export HIVES=y\n' }, [], []],
  'a shell reads forward references as empty': [
    { 'package.json': start('set -a; . ./.env; node server.js'), '.env': 'FEED=${HIVES}\nHIVES=x\n' },
    [/^A shell gets another value of FEED from \.env: "" instead of "x"/],
    [/^Write: FEED=x$/],
  ],
  'a shell may run a line': [
    { 'package.json': start('set -a; . ./.env; node server.js'), '.env': 'FEED=`date`\nHIVES=x\n' },
    [
      /^A shell may get other values of HIVES from \.env \(the script "start"\): it may run line 1 as a command\.$/,
      /^Other readers read FEED differently/,
    ],
    [/^Put the value on that line in single quotes\.$/, /^Write: FEED='`date`'$/],
  ],
  'no text suits two readers': [
    {
      'package.json': start('node --env-file=.env server.js && docker run --env-file .env hives'),
      '.env': 'HIVES=p#ss\n',
    },
    [/^Node gets another value of HIVES/],
    [/^No text gives all readers of this file the same value\./],
  ],
  'a name inside a value': [
    { 'package.json': start('docker run --env-file .env hives'), '.env': 'HIVES="a\nFEED=b"\n' },
    [
      /^The container engine finds a variable in \.env where Mappa reads part of a value/,
      /^The container engine gets another value of HIVES/,
    ],
    [/^Write each value on one line/, /mappa with/],
  ],
  'nobody else reads it': [{ 'package.json': start('node server.js'), '.env': 'HIVES=p#ss\nFEED=${HIVES}\n' }, [], []],
}

for (const [name, [files, says, offers]] of Object.entries(rows))
  test(`check says what another reader reads: ${name}`, async () => {
    const root = project({ 'mappa.legend.json': legend, 'server.js': server, ...files })
    const { stdout } = await mappa(['check', '--json'], { cwd: root })
    const { notices } = JSON.parse(stdout) as { notices: { kind: string; message: string; remedy: string }[] }
    const own = notices.filter(({ kind }) => kind === 'read-differently')
    assert.equal(own.length, says.length, JSON.stringify(own, null, 1))
    for (const [at, pattern] of says.entries()) {
      const found = own.find(({ message }) => pattern.test(message))
      assert.ok(found, `${pattern} in ${JSON.stringify(own, null, 1)}`)
      assert.match(found.remedy, offers[at] as RegExp)
    }
    assert.doesNotMatch(stdout, /buckwheat|q7/)
  })
