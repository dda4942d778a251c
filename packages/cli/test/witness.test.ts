// What a watched program is seen to ask for and get: a table of programs, each of which reads in another way, with the names and places
// that must be told; without its way of seeing, a row is not what it was.
import assert from 'node:assert/strict'
import { spawn, spawnSync } from 'node:child_process'
import { mkdirSync, mkdtempSync, readdirSync, readFileSync, realpathSync, statSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { describe, test } from 'node:test'
import { transformSync } from 'esbuild'
import fc from 'fast-check'
import { environment, mappaProcess, project, token, top, until } from '../../../test/helpers.js'
import { checksumOf } from '../src/commands/witness/checksum.js'
import { CodePlaces } from '../src/commands/witness/places.js'
import type { NotingRules, Way } from '../src/commands/witness/protocol.js'
import { recordIn, type Watched } from '../src/commands/witness/seen-record.js'
import { unlikeDocument } from './documents.js'

const observer = join(top, 'packages/cli/dist/observer.cjs')
const legend =
  '{ "type": "object", "properties": { "HIVES": { "type": "integer", "default": 4 }, "TOKEN": { "type": "string", "x-mappa-secret": true }, "PLACE": { "type": "string", "default": "meadow" }, "NOTE": { "type": "string", "default": "x" } } }'
const layers = { 'mappa.legend.json': legend, '.env': 'HIVES=7\n', '.env.local': `TOKEN=${token}\n` }

/** Starts a program as the command does, and gives what was seen. */
function seen(root: string, words: readonly string[], without: readonly Way[]) {
  const node = process.env.MAPPA_TEST_NODE ?? process.execPath
  const folder = mkdtempSync(join(tmpdir(), 'mappa-test-'))
  const ours = `--require ${observer}`
  const asked: NotingRules = {
    key: 'ab'.repeat(32),
    plain: ['HIVES', 'PLACE', 'NOTE'],
    secret: ['TOKEN'],
    ours,
    without,
  }
  writeFileSync(join(folder, 'asked.json'), JSON.stringify(asked))
  const env = { ...environment({ HIVES: '7', TOKEN: token }), NODE_OPTIONS: ours, MAPPA_WITNESS: folder }
  const ended = spawnSync(node, words, { cwd: root, env, encoding: 'utf8' })
  const record = readdirSync(folder).map((name) => readFileSync(join(folder, name), 'utf8'))
  assert.ok(!record.join('').includes(token), 'a secret is in the record')
  return { ended, watched: recordIn(folder) }
}

/** Names that the program asked for, with the places; what it read whole; and what loaded layers in it. */
function toldOf(watched: readonly Watched[], root: string): string[] {
  const places = new CodePlaces()
  const at = (raw: Parameters<CodePlaces['of']>[0] | undefined) => {
    if (!raw) return '?'
    const { file, line, column } = places.of(raw)
    return `${file.startsWith(root) ? file.slice(root.length + 1) : file}:${line}:${column}`
  }
  return watched
    .flatMap(({ reads, wholes, loaded }) => [
      ...reads.map(({ name, by, place, got }) => `${name} ${by} ${got.is} ${at(place)}`),
      ...wholes.map((each) => `whole ${each.for} ${at(each.place)}`),
      ...loaded.map((each) =>
        [
          'loaded',
          each.kind,
          'stage' in each ? each.stage : '',
          'file' in each ? each.file : '',
          'count' in each ? `${each.count} ${at(each.place)}` : '',
        ]
          .filter((part) => part !== '')
          .join(' '),
      ),
    ])
    .sort()
}

interface Row {
  readonly files: Readonly<Record<string, string>>
  readonly words: readonly string[]
  readonly told: readonly string[]
  /** The ways without which the row is another. */
  readonly ways: readonly Way[]
}

const rows: Readonly<Record<string, Row>> = {
  'a read in a module': {
    files: { 'app.mjs': 'export const port = 1\nconsole.log(process.env.HIVES)\n' },
    words: ['app.mjs'],
    told: ['HIVES environment set app.mjs:2:25'],
    ways: ['reads'],
  },
  'a read in a script, and one of what is not there': {
    files: { 'app.cjs': 'const { HIVES, NONE } = process.env\n' },
    words: ['app.cjs'],
    told: ['HIVES environment set app.cjs:1:9', 'NONE environment unset app.cjs:1:16'],
    ways: ['reads'],
  },
  'the module of the process, in each way of importing it': {
    files: {
      'app.mjs':
        "import process2, { env } from 'node:process'\nimport * as all from 'process'\nimport './b.cjs'\nenv.A1\nprocess2.env.A2\nall.env.A3\nglobalThis.process.env.A4\nvoid (await import('node:process')).env.A5\nall.default.env.A6\n",
      'b.cjs': "require('process').env.A7\nrequire('node:process').env.A8\n",
    },
    words: ['app.mjs'],
    told: [
      ...[4, 5, 6, 7, 8, 9].map((line) => {
        const column = [5, 14, 9, 24, 41, 17][line - 4]
        return `A${line - 3} environment unset app.mjs:${line}:${column}`
      }),
      'A7 environment unset b.cjs:1:23',
      'A8 environment unset b.cjs:2:28',
    ].sort(),
    ways: ['reads'],
  },
  'a question whether a name is there': {
    files: {
      'app.cjs': "'HIVES' in process.env\nObject.hasOwn(process.env, 'NOTE')\nReflect.has(process.env, 'PLACE')\n",
    },
    words: ['app.cjs'],
    told: [
      'HIVES environment set app.cjs:1:9',
      'NOTE environment unset app.cjs:2:8',
      'PLACE environment unset app.cjs:3:9',
    ],
    ways: ['membership', 'descriptors'],
  },
  'a copy, a walk and a print of everything, with a read behind it': {
    files: {
      'app.cjs':
        'const all = { ...process.env }\nfor (const name in process.env) process.env[name]\nObject.entries(process.env)\nJSON.stringify(process.env)\nrequire("node:util").inspect(process.env)\nprocess.env.NONE\nstructuredClone(process.env)\n',
    },
    words: ['app.cjs'],
    told: [
      'NONE environment unset app.cjs:6:13',
      ...[1, 2, 3, 4].map((line) => `whole code app.cjs:${line}:${[26, 28, 8, 6][line - 1]}`),
      'whole code app.cjs:7:1',
    ],
    ways: ['walks'],
  },
  'children in each way, with the environment and with one of their own': {
    files: {
      'app.cjs':
        "const { spawnSync, execFileSync, execSync, fork, spawn } = require('node:child_process')\nconst node = process.execPath\nspawnSync(node, ['-e', 'process.env.A1'])\nexecFileSync(node, ['-e', 'process.env.A2'], { env: {} })\nexecSync(`${node} -e process.env.A3`, { env: {} })\nspawn(node, ['-e', 'process.env.A4'], { env: { NODE_OPTIONS: '--no-warnings' } })\nfork('./child.cjs', { env: {} })\n",
      'child.cjs': 'process.env.A5\n',
    },
    words: ['app.cjs'],
    told: [
      ...[1, 2, 3, 4].map((each) => `A${each} environment unset [eval]:1:13`),
      'A5 environment unset child.cjs:1:13',
      'whole child app.cjs:3:1',
    ],
    ways: ['children'],
  },
  'threads in each way': {
    files: {
      'app.mjs':
        "import { Worker } from 'node:worker_threads'\nnew Worker(new URL('./thread.mjs', import.meta.url))\nnew Worker('process.env.A2', { eval: true })\nnew Worker('process.env.A3', { eval: true, env: {} })\nnew Worker('process.env.A4', { eval: true, execArgv: [] })\n",
      'thread.mjs': 'process.env.A1\n',
    },
    words: ['app.mjs'],
    told: [
      'A1 environment unset thread.mjs:1:13',
      ...[2, 3, 4].map((each) => `A${each} environment unset [worker eval]:1:13`),
    ],
    ways: ['threads'],
  },
  'threads of a script': {
    files: {
      'app.cjs':
        "const { Worker, SHARE_ENV } = require('worker_threads')\nnew Worker('process.env.A1', { eval: true, env: { X: '1' } })\nnew Worker('process.env.A2', { eval: true, env: SHARE_ENV })\n",
    },
    words: ['app.cjs'],
    told: ['A1', 'A2'].map((name) => `${name} environment unset [worker eval]:1:13`),
    ways: ['threads'],
  },
  'a cluster': {
    files: {
      'app.cjs':
        "const cluster = require('node:cluster')\nif (cluster.isPrimary) cluster.fork().once('exit', () => process.exit())\nelse {\n  process.env.A1\n  process.exit()\n}\n",
    },
    words: ['app.cjs'],
    told: ['A1 environment unset app.cjs:4:15', 'whole child app.cjs:2:32'],
    ways: ['children'],
  },
  'a file that Node reads when it is asked to': {
    files: { 'app.mjs': "process.loadEnvFile('a.env')\nconsole.log(process.env.A1)\n", 'a.env': 'A1=1\nA2=2\n' },
    words: ['app.mjs'],
    told: ['A1 environment set app.mjs:2:25', 'loaded loadEnvFile 2 app.mjs:1:9'],
    ways: ['loaded-files'],
  },
  'a file that Node reads at its start': {
    files: { 'app.mjs': 'process.env.A1\n', 'a.env': 'A1=1\n' },
    words: ['--env-file=a.env', 'app.mjs'],
    told: ['A1 environment set app.mjs:1:13', 'loaded envFile a.env'],
    ways: ['reads'],
  },
  'another reader': {
    files: {
      'app.cjs':
        "for (const line of require('fs').readFileSync('a.env', 'utf8').trim().split('\\n')) {\n  const [name, value] = line.split('=')\n  process.env[name] = value\n}\nprocess.env.A2\n",
      'a.env': 'A1=1\nA2=2\n',
    },
    words: ['app.cjs'],
    told: ['A2 environment set app.cjs:5:13', 'loaded code 2 app.cjs:3:21'],
    ways: ['assignments'],
  },
  'a reader that asks first whether a name is set': {
    files: {
      'node_modules/hive-reader/index.js':
        "exports.load = () => {\n  for (const [name, value] of [['HIVES', '1'], ['A1', '1'], ['A2', '2'], ['A3', '3']])\n    if (!Object.hasOwn(process.env, name)) process.env[name] = value\n}\n",
      'app.cjs':
        "process.env.A1\nrequire('hive-reader').load()\nprocess.env.A1\nprocess.env.A2\nprocess.env.A4 ??= 'x'\n",
    },
    words: ['app.cjs'],
    told: [
      'A1 environment set app.cjs:3:13',
      'A1 environment unset app.cjs:1:13',
      'A2 environment set app.cjs:4:13',
      'A4 environment unset app.cjs:5:9',
      'loaded code 3 node_modules/hive-reader/index.js:3:62',
    ],
    ways: ['assignments'],
  },
  'what a package asks for before the program does': {
    files: {
      'node_modules/hive-log/index.js': 'exports.level = () => process.env.A1\n',
      'app.cjs': "const { level } = require('hive-log')\nlevel()\nlevel()\nprocess.env.A1\nlevel()\nprocess.env.A1\n",
    },
    words: ['app.cjs'],
    told: ['A1 environment unset app.cjs:4:13', 'A1 environment unset node_modules/hive-log/index.js:1:35'],
    ways: ['reads'],
  },
  settings: {
    files: {
      ...layers,
      'app.mjs':
        "import { readFileSync } from 'node:fs'\nimport { legendFromJsonSchema } from 'mappa'\nimport { reveal, settle } from 'mappa/node'\nconst settings = settle(legendFromJsonSchema(JSON.parse(readFileSync('mappa.legend.json', 'utf8'))))\nconsole.log(settings.HIVES, settings.TOKEN.length, settings)\n",
    },
    words: ['app.mjs'],
    told: ['HIVES settings set app.mjs:5:22', 'TOKEN settings set app.mjs:5:38', 'loaded settings development'],
    ways: ['settings'],
  },
  'the preload': {
    files: { ...layers, 'app.mjs': 'process.env.PLACE\n' },
    words: ['--import', 'mappa/preload', 'app.mjs'],
    told: ['PLACE environment set app.mjs:1:13', 'loaded preload development'],
    ways: ['preload'],
  },
  'compiled TypeScript': {
    files: {
      'src/app.ts': 'type Hives = string\n\nexport const hives: Hives | undefined = process.env.HIVES\n',
      ...compiled('type Hives = string\n\nexport const hives: Hives | undefined = process.env.HIVES\n'),
    },
    words: ['dist/app.mjs'],
    told: ['HIVES environment set src/app.ts:3:53'],
    ways: ['reads'],
  },
  'what Node itself reads': {
    files: {
      'app.cjs':
        "process.stdout.hasColors?.()\nrequire('node:tty').WriteStream.prototype.getColorDepth.call({})\nnew (require('node:console').Console)(process.stdout).log('')\nprocess.env.HIVES\n",
    },
    words: ['app.cjs'],
    told: ['HIVES environment set app.cjs:4:13'],
    ways: ['reads'],
  },
  'a program that a signal ends': {
    files: { 'app.cjs': "process.env.HIVES\nprocess.kill(process.pid, 'SIGKILL')\n" },
    words: ['app.cjs'],
    told: ['HIVES environment set app.cjs:1:13'],
    ways: ['reads'],
  },
}

/** As a compiler writes it, with its map beside it. */
function compiled(code: string): Readonly<Record<string, string>> {
  const { code: text, map } = transformSync(code, { loader: 'ts', sourcemap: 'external', sourcefile: '../src/app.ts' })
  return { 'dist/app.mjs': `${text}//# sourceMappingURL=app.mjs.map\n`, 'dist/app.mjs.map': map }
}

describe('what a program is seen to ask for', { concurrency: 2 }, () => {
  for (const [what, { files, words, told, ways }] of Object.entries(rows))
    test(what, async () => {
      const root = realpathSync(project({ 'package.json': '{ "name": "hives" }', ...files }))
      const { ended, watched } = seen(root, words, [])
      assert.deepEqual(toldOf(watched, root), [...told].sort(), ended.stderr)
      for (const way of ways)
        assert.notDeepEqual(toldOf(seen(root, words, [way]).watched, root), [...told].sort(), `without ${way}`)
    })
})

/** Programs that look closely at what the witness stands in for: each prints the same when it is watched. */
const lookers = [
  "process.env = { ...process.env, Q: '1' }; console.log(process.env.Q, require('child_process').execFileSync(process.execPath, ['-p', 'process.env.Q'], { encoding: 'utf8' }))",
  "try { Object.defineProperty(process.env, 'Z', { value: '1' }) } catch (e) { console.log(e.code, e.message) } process.env.Z = 2; console.log(process.env.Z)",
  "process.env.X = 1; console.log(delete process.env.X, delete process.env.NONE, process.env.X, 'X' in process.env)",
  'process.env.U = undefined; process.env.N = null; console.log([process.env.U, process.env.N])',
  "try { process.env[Symbol('a')] = 1 } catch (e) { console.log(e.message) } try { process.env.A = Symbol('b') } catch (e) { console.log(e.message) } console.log(process.env[Symbol.iterator])",
  "console.log(process.env.__proto__ === Object.getPrototypeOf(process.env), process.env.hasOwnProperty('HIVES'), String(process.env), process.env.constructor.name)",
  "console.log(process.env); console.dir(process.env, { depth: 0 }); console.log(require('util').inspect({ env: process.env }).length)",
  'let n = 0; for (const k in process.env) { n++; delete process.env[k] } console.log(n, Object.keys(process.env).length)',
  "Object.assign(process.env, { A: 1, B: 2 }); process.env['a b'] = 'c'; process.env['ü'] = 'ö'; console.log(Object.entries(process.env).filter(([k]) => k < 'C' || k > 'a'))",
  "function f() { process.env.A; throw new Error('x') } f()",
  "Promise.reject(new Error('y'))",
  "Error.prepareStackTrace = (e, s) => 'mine ' + s.length; process.env.A; console.log(new Error('a').stack); Error.stackTraceLimit = 1; process.env.B; console.log(new Error('a').stack)",
  'process.env.A; console.log(Error.stackTraceLimit, structuredClone.name, structuredClone.length, process.loadEnvFile.name)',
  "const { Worker } = require('worker_threads'); console.log(Worker.name, Worker.length); new Worker('require(\"worker_threads\").parentPort.postMessage([process.execArgv, Object.keys(process.env).length])', { eval: true, env: { A: '1' } }).on('message', (m) => console.log(m))",
  "const { Worker } = require('worker_threads'); for (const [a, b] of [[5], ['x', { eval: true, env: 5 }], ['x', { eval: true, execArgv: 'a' }]]) try { new Worker(a, b) } catch (e) { console.log(e.code, e.message) } try { Worker('x') } catch (e) { console.log(e.message) }",
  "const { spawn, spawnSync } = require('child_process'); try { spawn(5) } catch (e) { console.log(e.code) } spawn('nothing-here').on('error', (e) => console.log(e.code)); console.log(spawnSync('nothing-here').error.code)",
  "if (process.send) { process.send(process.execArgv); process.disconnect() } else require('child_process').fork(__filename, [], { execArgv: ['--no-warnings'] }).on('message', (m) => console.log(m))",
  "console.log(process.listenerCount('exit'), process.listenerCount('worker'), Object.keys(process).length, Object.keys(globalThis).length, Object.keys(require.cache).length, module.children.length)",
  "process.binding('fs'); console.log(process.noDeprecation, process.title, process.argv0, process.execArgv)",
  "process.on('exit', (c) => console.log('exit', c, process.env.A)); process.exitCode = 4",
  '(async () => { const e = await process.env; console.log(typeof e.PATH, JSON.stringify(process.env).length) })()',
]

test('a program that looks closely prints, throws and exits as it does unwatched', () => {
  const clean = (text: string) => text.replace(/\(node:\d+\)/g, '')
  for (const [at, code] of lookers.entries()) {
    const root = realpathSync(project({ 'package.json': '{}', 'app.js': `${code}\n` }))
    const flags = code.includes('binding') ? ['--pending-deprecation'] : []
    const env = environment({ HIVES: '7', TOKEN: token })
    const node = process.env.MAPPA_TEST_NODE ?? process.execPath
    const plain = spawnSync(node, [...flags, 'app.js'], { cwd: root, env, encoding: 'utf8' })
    const { ended, watched } = seen(root, [...flags, 'app.js'], [])
    assert.ok(watched.length > 0, code)
    assert.deepEqual(
      [ended.status, ended.stdout, clean(ended.stderr)],
      [plain.status, plain.stdout, clean(plain.stderr)],
      `${at} ${code}`,
    )
  }
})

/** A program that reads in ways of all statuses, and what it says of itself. */
const reader = `const { HIVES, TOKEN, STRANGE } = process.env
console.log([HIVES, TOKEN?.length, STRANGE, process.env.NODE_OPTIONS, process.env.MAPPA_WITNESS].join())
console.log(Object.keys(process.env).filter((name) => /NODE_OPTIONS|MAPPA/.test(name)).join(), process.execArgv.join())
console.log(Object.keys(structuredClone(process.env)).length === Object.keys({ ...process.env }).length)
`

test('what a program got stands beside what the layers say, in text and in JSON, and neither holds a secret', async () => {
  const root = project({ ...layers, 'package.json': '{}', 'app.cjs': reader })
  const env = environment({ HIVES: '42', TOKEN: 'another-secret-of-hives' })
  const plain = spawnSync(process.execPath, ['app.cjs'], { cwd: root, env, encoding: 'utf8' })
  const words = ['witness', '--out', 'seen.json', '--', process.execPath, 'app.cjs']
  const scratch = join(root, 'scratch')
  mkdirSync(scratch)
  const { code, stdout, stderr } = await mappaProcess(words, { cwd: root, env: { HIVES: '42', TMPDIR: scratch } })
  assert.deepEqual([code, stdout], [0, plain.stdout.replace('42,23', '42,')])
  assert.ok(!stderr.includes(token))
  const said = stderr.replace(/\s+/g, ' ')
  // The host's own value is the one that counts.
  assert.match(
    said,
    /Different from the layers TOKEN got nothing layers: \(secret\) \(\.env\.local:1:7\) app\.cjs:1:16/,
  )
  assert.match(said, /Read but not declared STRANGE nothing app\.cjs:1:23 NODE_OPTIONS nothing app\.cjs:2:57/)
  assert.match(said, /Never read PLACE meadow \(default in the legend\) NOTE x \(default in the legend\)/)
  assert.match(said, /As declared HIVES 42 app\.cjs:1:9/)
  assert.match(said, /1 different, 2 undeclared, 2 never read, 1 as declared\./)
  const report = JSON.parse(readFileSync(join(root, 'seen.json'), 'utf8'))
  assert.equal(unlikeDocument('witness', report), undefined)
  assert.equal(report.ok, false)
  assert.deepEqual(
    report.variables.map(({ name, status }: { name: string; status: string }) => `${name} ${status}`),
    [
      'HIVES as-declared',
      'TOKEN different',
      'PLACE unread',
      'NOTE unread',
      'STRANGE undeclared',
      'NODE_OPTIONS undeclared',
    ],
  )
  assert.equal(statSync(join(root, 'seen.json')).mode & 0o777, 0o600)
  const killed = ['witness', '--', process.execPath, '-e', "process.kill(process.pid, 'SIGTERM')"]
  const { signal } = await mappaProcess(killed, { cwd: root, env: { TMPDIR: scratch } })
  assert.deepEqual([signal, readdirSync(scratch)], ['SIGTERM', []])
})

test('the program has its exit code, its signals and its pipes, and ends when it is to', async () => {
  const root = project({
    ...layers,
    'package.json': '{ "scripts": { "start": "node app.cjs" } }',
    'app.cjs': 'process.exit(process.env.HIVES ? 0 : 7)\n',
    'waits.cjs':
      "process.env.HIVES\nprocess.on('SIGTERM', () => console.log('asked') ?? process.exit(3))\nsetInterval(() => {}, 1000)\nconsole.log('ready')\n",
    'deaf.cjs': 'process.env.HIVES\nwhile (true);\n',
    'fine.cjs': '',
    'echo.cjs': 'process.stdin.pipe(process.stdout)\n',
    'own/a b.cjs': 'process.env.HIVES\n',
  })
  const node = process.execPath
  const rows: readonly (readonly [words: readonly string[], code: number, stdout: string, said: RegExp])[] = [
    [['--', node, 'app.cjs'], 7, '', /got nothing/],
    [['--strict', '--', node, 'app.cjs'], 7, '', /got nothing/],
    [['--strict', '--', node, 'own/a b.cjs'], 1, '', /own\/a b\.cjs:1:13/],
    [['--strict', '--', node, 'fine.cjs'], 0, '', /4 never read\./],
    [['--', 'npm', 'start', '--silent'], 7, '', /Programs app\.cjs: nothing that loads layers/],
    [['--', 'sh', '-c', 'exec node app.cjs'], 7, '', /app\.cjs:1:26/],
    [['--stop-after', '3s', '--', node, 'waits.cjs'], 0, 'ready\nasked\n', /waits\.cjs:1:13/],
    [['--stop-after', '3s', '--', node, 'deaf.cjs'], 0, '', /deaf\.cjs:1:13/],
    // A shell ends at once, and its program as well.
    [['--stop-after', '3s', '--', 'sh', '-c', 'node waits.cjs; true'], 0, 'ready\nasked\n', /waits\.cjs:1:13/],
    [['--', 'sh', '-c', 'echo hive'], 0, 'hive\n', /No process of Node was seen/],
    [['staging', '--', node, 'fine.cjs'], 0, '', /Stage staging \(from the command line\)/],
    [['prod', '--', node, 'fine.cjs'], 2, '', /but is "prod"/],
    [['--stop-after', 'soon', '--', node, 'fine.cjs'], 2, '', /takes a duration/],
    [['--'], 2, '', /Write the command after --/],
    [['--', './nothing'], 2, '', /Command not found/],
  ]
  const results = await Promise.all(rows.map(async ([words]) => mappaProcess(['witness', ...words], { cwd: root })))
  for (const [at, { code, stdout, stderr }] of results.entries()) {
    const [words, expected, text, said] = rows[at] as (typeof rows)[number]
    assert.deepEqual([code, stdout], [expected, text], `${words.join(' ')}\n${stderr}`)
    assert.match(stderr.replace(/\s+/g, ' '), said, words.join(' '))
  }
  const piped = spawnSync(
    process.execPath,
    [join(top, 'packages/cli/bin/mappa.js'), 'witness', '--', node, 'echo.cjs'],
    {
      cwd: root,
      env: environment(),
      input: 'honey'.repeat(200_000),
    },
  )
  assert.equal(piped.stdout.length, 1_000_000)
  const child = spawn(process.execPath, [join(top, 'packages/cli/bin/mappa.js'), 'witness', '--', node, 'waits.cjs'], {
    cwd: root,
    env: environment(),
  })
  let [said, told] = ['', '']
  child.stdout.on('data', (text) => (said += text))
  child.stderr.on('data', (text) => (told += text))
  await until(() => said.includes('ready'), 'the program')
  child.kill('SIGTERM')
  const code = await new Promise((resolve) => child.once('close', resolve))
  assert.deepEqual([code, said], [3, 'ready\nasked\n'])
  assert.match(told, /HIVES +got nothing/)
})

test('a program that Mappa gives its values is seen to have them, and one that reads around them is not', async () => {
  const settings =
    "import { readFileSync } from 'node:fs'\nimport { legendFromJsonSchema } from 'mappa'\nimport { settle } from 'mappa/node'\nexport const settings = settle(legendFromJsonSchema(JSON.parse(readFileSync('mappa.legend.json', 'utf8'))))\n"
  const root = project({
    ...layers,
    '.env.staging': 'HIVES=9\n',
    'package.json': '{}',
    'settings.mjs': settings,
    'app.mjs': "import { settings } from './settings.mjs'\nsettings.HIVES\nsettings.TOKEN\n",
    'plain.mjs': 'process.env.HIVES\nprocess.env.TOKEN\n',
  })
  const command = join(top, 'packages/cli/bin/mappa.js')
  const node = process.execPath
  const rows: readonly (readonly [words: readonly string[], said: RegExp])[] = [
    [
      ['--', node, 'app.mjs'],
      /As declared HIVES 7 app\.mjs:2:10 TOKEN \(secret\) app\.mjs:3:10.*app\.mjs: settings of stage development \(settings\.mjs:4:25\).*2 never read, 2 as declared\./,
    ],
    [
      ['staging', '--', node, 'app.mjs'],
      /Different from the layers HIVES got 7 \(its settings\) layers: 9 \(\.env\.staging:1:7\) app\.mjs:2:10/,
    ],
    [
      ['staging', '--', node, command, 'with', 'staging', '--', node, 'plain.mjs'],
      /As declared HIVES 9 plain\.mjs:1:13.*plain\.mjs: mappa with, stage staging/,
    ],
    [
      ['--', node, '--import', 'mappa/preload', 'plain.mjs'],
      /As declared HIVES 7 plain\.mjs:1:13.*plain\.mjs: the preload, stage development/,
    ],
    [
      ['--', node, '--env-file=.env', 'plain.mjs'],
      /TOKEN got nothing.*As declared HIVES 7 plain\.mjs:1:13.*plain\.mjs: node --env-file=\.env/,
    ],
  ]
  const results = await Promise.all(rows.map(([words]) => mappaProcess(['witness', ...words], { cwd: root })))
  for (const [at, { code, stderr }] of results.entries()) {
    const [words, said] = rows[at] as (typeof rows)[number]
    assert.ok(!stderr.includes(token), words.join(' '))
    assert.match(stderr.replace(/\s+/g, ' '), said, words.join(' '))
    assert.equal(code, 0, words.join(' '))
  }
})

test('the report as JSON is as its document says, whatever loaded layers', async () => {
  const root = project({
    ...layers,
    'package.json': '{}',
    'a.env': 'A=1\nB=2\n',
    'app.cjs':
      "process.loadEnvFile('a.env')\nprocess.env.A;\n({ ...process.env })\nrequire('child_process').spawnSync('true')\n",
  })
  const words = ['witness', '--json', '--', process.execPath, '--env-file=.env', '--import', 'mappa/preload', 'app.cjs']
  const { code, stderr, stdout } = await mappaProcess(words, { cwd: root })
  const report = JSON.parse(stderr)
  assert.deepEqual([code, stdout, unlikeDocument('witness', report)], [0, '', undefined])
  const [program] = report.programs
  assert.deepEqual(
    program.loaded.map(({ kind }: { kind: string }) => kind),
    ['envFile', 'preload', 'loadEnvFile'],
  )
  assert.deepEqual([report.wholes.length, report.handedOn.length, report.unwatched], [1, 1, ['true']])
})

test('a checksum tells any two texts apart, and needs its key', () => {
  const key = fc.stringMatching(/^[0-9a-f]{64}$/)
  fc.assert(
    fc.property(fc.string(), fc.string(), key, key, (one, other, first, second) => {
      assert.equal(checksumOf(one, first), checksumOf(one, first))
      if (one !== other) assert.notEqual(checksumOf(one, first), checksumOf(other, first))
      if (first !== second) assert.notEqual(checksumOf(one, first), checksumOf(one, second))
    }),
  )
  const all = new Set(Array.from({ length: 20_000 }, (_, at) => checksumOf(`hive-${at}`, 'ab'.repeat(32))))
  assert.equal(all.size, 20_000)
})
