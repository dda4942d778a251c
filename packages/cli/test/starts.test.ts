// What Mappa says of each start is what its program gets: every row is really started, and what it prints is the oracle.
import assert from 'node:assert/strict'
import { spawn } from 'node:child_process'
import { chmodSync, existsSync, readFileSync, writeFileSync } from 'node:fs'
import { dirname, join } from 'node:path'
import { describe, test } from 'node:test'
import fc from 'fast-check'
import { environment, mappa, project } from '../../../test/helpers.js'

interface Row {
  readonly files: Readonly<Record<string, string>>
  /** Scripts of the package: those named `start…` are started. */
  readonly scripts: Readonly<Record<string, string>>
  /** What is said of a start that cannot be told to its end, by script. */
  readonly unknown?: readonly string[]
  /** The kinds of answers that the row is about, so that none is said of another. */
  readonly gets?: readonly string[]
}

const legend =
  '{ "type": "object", "properties": { "A": { "type": "string" }, "B": { "type": "string" }, "C": { "type": "string", "default": "c" } } }'
const layers = { '.env': 'A=a\nB=b\n', 'mappa.legend.json': legend }
const print = (names: string) => `console.log('OUT ' + JSON.stringify({ ${names} }, (_, v) => v ?? null))\n`
const all = print('A: process.env.A, B: process.env.B, C: process.env.C')
/** As much as a reader of another package has to be to be one. */
const readerPackage = {
  'node_modules/hive-reader/package.json': '{ "name": "hive-reader", "main": "main.js" }',
  'node_modules/hive-reader/main.js': `const fs = require('fs')
exports.load = ({ path = '.env' } = {}) => {
  const env = process.env
  for (const line of fs.readFileSync(path, 'utf8').split('\\n')) {
    const at = line.indexOf('=')
    const name = line.slice(0, at)
    if (at > 0 && env[name] === undefined) env[name] = line.slice(at + 1)
  }
}
`,
  'node_modules/hive-reader/now.js': "require('./main').load()\n",
  'node_modules/hive-quiet/package.json': '{ "name": "hive-quiet", "main": "main.js" }',
  'node_modules/hive-quiet/main.js': "exports.port = () => process.env.PORT\nexports.hint = 'Write it to a file.'\n",
}
const tool = (code: string) => ({
  'node_modules/hive-run/package.json': '{ "name": "hive-run", "bin": "bin.js" }',
  'node_modules/hive-run/bin.js': `#!/usr/bin/env node\n${code}require(require('path').resolve(process.argv[2]))\n`,
  'node_modules/.bin/hive-run': `#!/bin/sh\nexec node "$(dirname "$0")/../hive-run/bin.js" "$@"\n`,
})

const rows: Readonly<Record<string, Row>> = {
  'nothing loads': {
    files: { 'a.js': print("A: process.env.A, B: process.env.B ?? 'x', C: process.env.C || 'c'") },
    scripts: { start: 'node a.js', 'start:more': 'node --no-warnings ./a' },
    gets: ['nothing', 'fallback'],
  },
  'the preload': {
    files: { 'a.js': all, 'b.mjs': `import 'mappa/preload'\nimport './a.js'\n` },
    scripts: {
      start: 'node --import mappa/preload a.js',
      'start:two': 'node --import=mappa/preload a.js',
      'start:three': 'node b.mjs',
      'start:options': 'NODE_OPTIONS="--import mappa/preload" node a.js',
    },
    gets: [],
  },
  'the preload comes too late': {
    files: { 'a.mjs': `import './b.mjs'\nimport 'mappa/preload'\n`, 'b.mjs': all },
    scripts: { start: 'node a.mjs' },
    gets: ['nothing'],
  },
  'mappa with': {
    files: { 'a.js': all },
    scripts: { start: 'mappa with -- node a.js', 'start:stage': 'mappa with development -- node a.js' },
    gets: [],
  },
  "Node's own function": {
    files: {
      '.env': 'A=a\n',
      '.env.local': 'B=b\n',
      'a.mjs': `process.loadEnvFile()\n${all}`,
      'b.cjs': `const { loadEnvFile } = require('node:process')\nloadEnvFile('.env.local')\n${all}`,
      'c.mjs': `try { process.loadEnvFile('.env.none') } catch {}\n${all}`,
      'sub/d.mjs': `import { fileURLToPath } from 'node:url'\nprocess.loadEnvFile(fileURLToPath(new URL('../.env', import.meta.url)))\n${all}`,
    },
    scripts: { start: 'node a.mjs', 'start:b': 'node b.cjs', 'start:c': 'node c.mjs', 'start:d': 'node sub/d.mjs' },
    gets: ['nothing'],
  },
  'reads before the reader': {
    files: {
      'a.mjs': `import './b.mjs'\nprocess.loadEnvFile()\n`,
      'b.mjs': all,
      'c.cjs': `process.loadEnvFile()\nrequire('./d.cjs')\n`,
      'd.cjs': all,
      'e.mjs': `process.loadEnvFile()\nawait import('./b.mjs')\n`,
      'f.mjs': `import { told } from './g.mjs'\nprocess.loadEnvFile()\ntold()\n`,
      'g.mjs': `export function told() { ${all.trim()} }\n`,
    },
    scripts: { start: 'node a.mjs', 'start:c': 'node c.cjs', 'start:e': 'node e.mjs', 'start:f': 'node f.mjs' },
    gets: ['nothing'],
  },
  'flags of Node': {
    files: { 'a.js': all, '.env.more': 'A=more\nC=c\n', '.env.part': 'B=b\n', 'p.cjs': 'process.loadEnvFile()\n' },
    scripts: {
      start: 'node --env-file=.env a.js',
      'start:two': 'node --env-file .env --env-file=.env.more a.js',
      'start:part': 'node --env-file=.env.part a.js',
      'start:file': 'node -r ./p.cjs a.js',
    },
    gets: ['nothing', 'other'],
  },
  'what Node reads otherwise': {
    files: { 'a.js': all, '.env': `A=p#ss\nB=$\{A}x\nC=c\n` },
    scripts: { start: 'node --env-file=.env a.js' },
    gets: ['other'],
  },
  'a condition': {
    files: {
      'a.js': `if (process.env.NODE_ENV !== 'production') process.loadEnvFile()\n${all}`,
      'b.js': `process.env.NODE_ENV === 'staging' && process.loadEnvFile()\n${all}`,
    },
    scripts: {
      start: 'node a.js',
      'start:b': 'node b.js',
      'start:c': 'NODE_ENV=development node a.js',
      'start:d': 'NODE_ENV=$(echo production) node a.js',
    },
    unknown: ['start:d'],
    gets: ['nothing'],
  },
  'what only a run can tell': {
    files: {
      'a.js': `function go() { process.loadEnvFile() }\ngo()\n${all}`,
      'b.js': `for (const file of ['.env']) process.loadEnvFile(file)\n${all}`,
      'c.js': `const { readFileSync } = require('fs')\nfor (const [, k, v] of readFileSync('.env', 'utf8').matchAll(/(\\w+)=(.*)/g)) process.env[k] = v\n${all}`,
      'd.js': `Object.assign(process.env, require('util').parseEnv(require('fs').readFileSync('.env', 'utf8')))\n${all}`,
    },
    scripts: {
      start: 'node a.js',
      'start:b': 'node b.js',
      'start:c': 'node c.js',
      'start:d': 'node d.js',
      'start:e': '. ./.env; node c.js',
    },
    unknown: ['start', 'start:b', 'start:c', 'start:d', 'start:e'],
  },
  'a package that reads': {
    files: {
      ...readerPackage,
      '.env.local': 'C=other\n',
      'a.js': `require('hive-reader').load()\n${print('A: process.env.A, B: process.env.B')}`,
      'b.js': `require('hive-reader/now')\n${print('A: process.env.A, B: process.env.B')}`,
      'c.mjs': `import reader from 'hive-reader'\nimport { port } from 'hive-quiet'\nreader.load({ path: '.env.local' })\n${print('A: process.env.A, B: process.env.B')}`,
      'd.mjs': `import { port } from 'hive-quiet'\nport()\n${print('A: process.env.A')}`,
      'e.js': `require('hive-none')\n`,
      'f.js': `try { require('hive-none') } catch {}\n${print('A: process.env.A')}`,
    },
    scripts: {
      start: 'node a.js',
      'start:b': 'node b.js',
      'start:c': 'node c.mjs',
      'start:d': 'node d.mjs',
      'start:f': 'node f.js',
    },
    unknown: ['start:f'],
    gets: ['nothing'],
  },
  'a tool that runs a file': {
    files: { ...tool(''), 'a.js': all },
    scripts: { start: 'hive-run a.js', 'start:with': 'mappa with -- hive-run a.js' },
    gets: ['nothing'],
  },
  'a tool that reads files itself': {
    files: {
      ...tool(
        "const e = process.env; require('fs').readFileSync('.env', 'utf8').split('\\n').forEach((l) => { const [k, v] = l.split('='); if (k) e[k] = v })\n",
      ),
      'a.js': all,
    },
    scripts: { start: 'hive-run a.js' },
    gets: ['nothing'],
  },
  'the shell': {
    files: { 'a.js': all },
    scripts: {
      start: 'set -a; . ./.env; set +a; node a.js',
      'start:b': 'export A=a B=other && node a.js',
      'start:c': 'A=z node a.js',
      'start:d': 'env A=a B=b node a.js',
      'start:e': 'A=z; node a.js',
      'start:f': 'sh -c "A=a node a.js"',
      'start:g': 'true && cd sub && node ../a.js || exit 1',
    },
    gets: ['nothing', 'set'],
  },
  'scripts that run scripts': {
    files: { 'a.js': all },
    scripts: {
      start: 'npm run -s inner',
      inner: 'node a.js',
      'start:b': 'A=z npm run -s inner',
      'start:c': 'mappa with -- npm run -s outer',
      outer: 'node ./a.js',
    },
    gets: ['nothing', 'set'],
  },
  'files that the start names otherwise': {
    files: {
      'index.js': all,
      'lib/index.js': all,
      'lib/main.js': all,
      'package.json': '',
    },
    scripts: { start: 'node .', 'start:b': 'node lib', 'start:c': 'node lib/main' },
    gets: ['nothing'],
  },
  'ways to read': {
    files: {
      'a.js': `const { A = 'x', B, C: inner = 'c' } = process.env\n${print('A, B, C: inner')}`,
      'b.js': `const env = process.env\n${print("A: env['A'], B: env.B, C: env.C")}`,
      'c.js': `${print("A: String(process.env.A || 'a'), B: process.env.B ?? `b`, C: process.env.C")}`,
      'd.js': `process.env.A ??= 'set'\nprocess.env.B = 'own'\n${print('C: process.env.C')}`,
    },
    scripts: { start: 'node a.js', 'start:b': 'node b.js', 'start:c': 'node c.js', 'start:d': 'node d.js' },
    gets: ['nothing', 'fallback'],
  },
  'what is compiled': {
    files: {
      'tsconfig.json':
        '{ "compilerOptions": { "outDir": "./out", "rootDir": "src", "module": "commonjs" }, "include": ["src"] }',
      'src/a.ts': `import './b'\nconst a: string | undefined = process.env.A\n${print('A: a, B: process.env.B')}`,
      'src/b.ts': 'process.loadEnvFile()\n',
      'out/a.js': `require('./b')\nconst a = process.env.A\n${print('A: a, B: process.env.B')}`,
      'out/b.js': 'process.loadEnvFile()\n',
      'src/c.ts': all,
      'out/c.js': all,
      '.gitignore': 'out\n',
    },
    scripts: { start: 'node out/a.js', 'start:c': 'node out/c.js' },
    gets: ['nothing'],
  },
}

/** The values that a start's program prints. */
async function started(root: string, command: string): Promise<Record<string, string | null> | undefined> {
  const bin = join(root, 'node_modules/.bin')
  const own = environment({ PATH: `${bin}:${dirname(process.execPath)}:${process.env.PATH}` })
  const child = spawn('sh', ['-c', command], { cwd: root, env: own, stdio: ['ignore', 'pipe', 'pipe'] })
  let [out, err] = ['', '']
  child.stdout.on('data', (data) => {
    out += data
  })
  child.stderr.on('data', (data) => {
    err += data
  })
  await new Promise((resolve) => child.once('close', resolve))
  // Another reader came first, and the preload says so.
  if (err.includes('already loaded')) return undefined
  const [, text] = /^OUT (.*)$/m.exec(out) ?? []
  assert.ok(text, `${command} printed nothing: ${out}${err}`)
  return JSON.parse(text)
}

interface Told {
  readonly trails: readonly {
    readonly name: string
    readonly value: string | null
    readonly starts: readonly { readonly start: string; readonly gets: string; readonly shown?: string }[]
  }[]
}

function rootOf({ files, scripts }: Row, base: Readonly<Record<string, string>> = layers): string {
  const root = project({
    ...base,
    'node_modules/.bin/mappa': '#!/bin/sh\nexec node "$(dirname "$0")/../@mappa/cli/bin/mappa.js" "$@"\n',
    'sub/keep.txt': '',
    ...files,
    'package.json': JSON.stringify({ name: 'hives', main: './index.js', scripts }, undefined, 2),
  })
  for (const name of ['mappa', 'hive-run']) {
    const file = join(root, 'node_modules/.bin', name)
    if (existsSync(file)) chmodSync(file, 0o755)
  }
  return root
}

describe('what is said of a start is what its program gets', { concurrency: 2 }, () => {
  for (const [name, row] of Object.entries(rows))
    test(name, async () => {
      const root = rootOf(row)
      const { stdout } = await mappa(['trace', 'A', 'B', 'C', '--json'], { cwd: root })
      const { trails } = JSON.parse(stdout) as Told
      const checked = await mappa(['check', '--json'], { cwd: root })
      const faults = (JSON.parse(checked.stdout) as { faults: { kind: string; message: string }[] }).faults.filter(
        ({ kind }) => kind === 'not-loaded',
      )
      const seen = new Set<string>()
      for (const [script, command] of Object.entries(row.scripts).filter(([each]) => each.startsWith('start'))) {
        const start = `the script "${script}"`
        const got = await started(root, command)
        let isLost = false
        // A script that only runs another one is told at that one.
        const names = command === 'npm run -s inner' ? [`the script "inner"`] : [start]
        for (const [key, given] of Object.entries(got ?? {})) {
          const value = given ?? undefined
          const trail = trails.find((each) => each.name === key)
          const told = trail?.starts.find((each) => names.includes(each.start))
          const expected = trail?.value ?? undefined
          const about = `${script}: ${key} is ${JSON.stringify(value)}, and is told as ${JSON.stringify(told)} (layers: ${expected})`
          if (told?.gets === 'unknown') {
            assert.ok(row.unknown?.includes(script), about)
            continue
          }
          if (told) seen.add(told.gets)
          if (!told) assert.equal(value, expected, about)
          else if (told.gets === 'nothing') assert.equal(value, undefined, about)
          else if (told.gets === 'fallback' || told.gets === 'set')
            assert.equal(JSON.stringify(value), told.shown, about)
          else assert.notEqual(value, expected, about)
          if (told && told.gets !== 'set') isLost = true
        }
        assert.ok(!trails.some(({ starts }) => starts.some((each) => each.start === 'the script "outer"')))
        const isTold = faults.some(({ message }) =>
          names.some((each) => message.toLowerCase().includes(each.toLowerCase())),
        )
        assert.equal(isTold, isLost, `${script}: ${faults.map(({ message }) => message).join('\n')}`)
      }
      if (row.gets) assert.deepEqual([...seen].sort(), [...row.gets].sort())
    })
})

/** A statement of a random module; `next` is the module below it, if there is one. */
type Statement = 'below' | 'read' | 'late' | 'load' | 'load-local' | 'in-production' | 'not-in-production' | 'preload'

const statement = fc.constantFrom<Statement>(
  'below',
  'read',
  'read',
  'late',
  'load',
  'load-local',
  'in-production',
  'not-in-production',
  'preload',
)
const randomProject = fc.record({
  kind: fc.constantFrom('mjs' as const, 'cjs' as const),
  modules: fc.array(fc.array(statement, { maxLength: 5 }), { minLength: 1, maxLength: 4 }),
  flags: fc.constantFrom(
    '',
    '',
    '--env-file=.env ',
    '--env-file=.env.local ',
    '--env-file=.env --env-file=.env.local ',
    '--import mappa/preload ',
  ),
  lead: fc.constantFrom('', '', 'NODE_ENV=production ', 'V1=z ', 'set -a; . ./.env; set +a; '),
  layers: fc.array(fc.integer({ min: 0, max: 3 }), { minLength: 20, maxLength: 20 }),
})

/** The modules of a random project. Every read is of another name, so that what is said of a name is about one place. */
function randomFiles(
  { kind, modules, layers }: typeof randomProject extends fc.Arbitrary<infer T> ? T : never,
  nameOf = (at: number) => `V${at}`,
) {
  let count = 0
  const out = (name: string) => `;(globalThis.told ??= {}).${name} = process.env.${name} ?? null\n`
  const files: Record<string, string> = {}
  for (const [at, statements] of modules.entries()) {
    const load = (path: string) => (kind === 'mjs' ? `import '${path}'\n` : `require('${path}')\n`)
    const text = statements.map((each): string => {
      if (each === 'below') return at + 1 < modules.length ? load(`./m${at + 1}.${kind}`) : ''
      if (each === 'read') return out(nameOf(++count))
      if (each === 'late') return `;(globalThis.later ??= []).push(() => { ${out(nameOf(++count)).trim()} })\n`
      if (each === 'preload') return load('mappa/preload')
      if (each === 'load' || each === 'load-local')
        return `process.loadEnvFile('.env${each === 'load' ? '' : '.local'}')\n`
      return `if (process.env.NODE_ENV ${each === 'in-production' ? '=' : '!'}== 'production') process.loadEnvFile()\n`
    })
    files[`m${at}.${kind}`] = text.join('')
  }
  files[`main.${kind}`] = `${kind === 'mjs' ? "import './m0.mjs'" : "require('./m0.cjs')"}
for (const each of globalThis.later ?? []) each()
console.log('OUT ' + JSON.stringify(globalThis.told ?? {}))\n`
  const names = Array.from({ length: count }, (_, at) => nameOf(at + 1))
  const setIn = (bit: number) => names.filter((_, at) => ((layers[at] ?? 0) & bit) !== 0)
  return {
    files: {
      ...files,
      '.env': setIn(1)
        .map((name) => `${name}=shared\n`)
        .join(''),
      '.env.local': setIn(2)
        .map((name) => `${name}=own\n`)
        .join(''),
      'mappa.legend.json': JSON.stringify({
        type: 'object',
        properties: Object.fromEntries(names.map((name) => [name, { type: 'string' }])),
      }),
    },
    names,
  }
}

test('what is said of random programs is what they get', async () => {
  const runs = process.env.MAPPA_FIELD ? 2000 : 40
  await fc.assert(
    fc.asyncProperty(randomProject, async (made) => {
      const { files, names } = randomFiles(made)
      if (names.length === 0) return
      const command = `${made.lead}node ${made.flags}main.${made.kind}`
      const root = rootOf({ files, scripts: { start: command } })
      const stage = made.lead.includes('production') ? 'production' : 'development'
      const { stdout } = await mappa(['trace', ...names, '--json', '--stage', stage], { cwd: root })
      const { trails } = JSON.parse(stdout) as Told
      const got = await started(root, command)
      for (const { name, value, starts } of got ? trails : []) {
        const [told] = starts
        if (!got || !(name in got)) continue
        const actual = got[name] ?? null
        const about = `${name} is ${actual}, and is told as ${JSON.stringify(told)}; layers: ${value}`
        if (!told) assert.equal(actual, value, about)
        else if (told.gets === 'nothing') assert.equal(actual, null, about)
        else if (told.gets === 'set') assert.equal(JSON.stringify(actual), told.shown, about)
        else if (told.gets === 'other') assert.notEqual(actual, value, about)
        else assert.fail(about)
      }
    }),
    { numRuns: runs },
  )
})

/** One file is read before the program asks for a value, the other after. */
const readBetween = {
  kind: 'mjs' as const,
  modules: [['in-production', 'read', 'load-local'] as Statement[]],
  flags: '' as const,
  lead: 'NODE_ENV=production ' as const,
  layers: [1, ...Array<number>(19).fill(0)],
}

test('init changes nothing that a program gets, in any stage', async () => {
  const runs = process.env.MAPPA_FIELD ? 1000 : 20
  await fc.assert(
    fc.asyncProperty(randomProject, async (made) => {
      const { files, names } = randomFiles(made, (at) => (at % 2 ? `V${at}_TOKEN` : `V${at}`))
      const { 'mappa.legend.json': _, ...rest } = files
      const command = `${made.lead}node ${made.flags}main.${made.kind}`
      const root = rootOf({ files: rest, scripts: { start: command } }, {})
      // Where the preload came first, it read no legend either.
      const before = await started(root, command)
      const { code, stderr } = await mappa(['init', '--apply'], { cwd: root })
      assert.equal(code, 0, stderr)
      const scripts = JSON.parse(readFileSync(join(root, 'package.json'), 'utf8')).scripts as { start: string }
      const after = await started(root, scripts.start)
      if (!before || !after) return
      for (const name of names) assert.equal(after[name], before[name], `${name} of ${scripts.start}`)
    }),
    { numRuns: runs, examples: [[readBetween]] },
  )
})

test('starts that nobody can run here: containers, platforms, units and jobs, each with what it sets', async () => {
  const root = rootOf({
    files: {
      'a.js': print("A: process.env.A, B: process.env.B, C: process.env.C ?? 'c'"),
      Dockerfile: `FROM node:22 AS base\nENV A=image \\\n  B="two words"\nFROM base\nWORKDIR /app\nCOPY . .\nCMD ["node", "a.js"]\n`,
      'Dockerfile.other': 'FROM node:22\nENTRYPOINT exec node --env-file=.env a.js\n',
      'compose.yaml': `services:
  api:
    build: .
    environment: { B: b, C: '\${C}' }
  worker:
    build: { context: ., dockerfile: Dockerfile.other }
    command: ["node", "--import", "mappa/preload", "a.js"]
    env_file: [.env]
  db:
    image: postgres
`,
      Procfile: 'web: node a.js\nrelease: A=a node a.js\n',
      'hives.service':
        '[Service]\nExecStart=/usr/bin/node a.js\nEnvironment="A=a" B=unit\nEnvironmentFile=/etc/hives\n',
      'ecosystem.config.cjs':
        "module.exports = { apps: [{ name: 'hives', script: './a.js', env: { A: 'manager' } }] }\n",
      '.github/workflows/ci.yml':
        'env: { A: a }\njobs:\n  test:\n    steps:\n      - run: npm ci\n      - run: node a.js\n        env: { B: job }\n',
    },
    scripts: { other: 'npm run -s nothing' },
  })
  const { stdout } = await mappa(['trace', 'A', 'B', 'C', '--json'], { cwd: root })
  const told = (JSON.parse(stdout) as Told).trails.flatMap(({ name, starts }) =>
    starts.map(({ start, gets, shown }) => `${name} ${start}: ${gets}${shown ? ` ${shown}` : ''}`),
  )
  assert.deepEqual(told, [
    'A Procfile (web): unknown',
    'A compose.yaml (api): set "image"',
    'A ecosystem.config.cjs (hives): set "manager"',
    'B .github/workflows/ci.yml (test): set "job"',
    'B Procfile (web): unknown',
    'B Procfile (release): unknown',
    'B ecosystem.config.cjs (hives): unknown',
    'B hives.service: set "unit"',
    'C compose.yaml (api): set',
    'C hives.service: unknown',
  ])
  // Where another place may give it, check is silent; what the container file sets, it has set.
  const { stdout: checked } = await mappa(['check', '--json'], { cwd: root })
  assert.deepEqual((JSON.parse(checked) as { faults: unknown[] }).faults, [])
})

test('NAME_FILE of a file entry is known, and a top of packages says where the legends are', async () => {
  const fileLegend =
    '{ "type": "object", "properties": { "TOKEN": { "type": "string", "x-mappa-file": true, "x-mappa-optional": true } } }'
  const root = project({
    'mappa.legend.json': fileLegend,
    '.env': 'TOKEN_FILE=token.txt\n',
    'token.txt': 'clover',
    'a.mjs': 'console.log(process.env.TOKEN_FILE, process.env.OTHER_FILE)\n',
  })
  const { stdout } = await mappa(['check', '--code', '--json'], { cwd: root })
  const { faults, notices } = JSON.parse(stdout) as Record<'faults' | 'notices', { kind: string; name: string }[]>
  assert.deepEqual(
    [...faults, ...notices]
      .filter(({ kind }) => kind !== 'writable-by-others')
      .map(({ kind, name }) => `${kind} ${name}`),
    ['no-entry OTHER_FILE'],
  )
  for (const line of ['init --json', 'lift --json']) {
    const answer = await mappa(line.split(' '), { cwd: root })
    assert.ok(!answer.stdout.includes('"TOKEN_FILE"'), line)
  }
  const top = project({
    'package.json': '{ "workspaces": ["packages/*"] }\n',
    'packages/collector/package.json': '{ "name": "collector" }\n',
    'packages/collector/server.js': 'console.log(process.env.HIVES)\n',
  })
  const refused = await mappa(['init', '--apply'], { cwd: top })
  assert.deepEqual([refused.code, existsSync(join(top, 'mappa.legend.mjs'))], [1, false])
  assert.match(refused.stderr, /Run: mappa init --root packages\/collector\n/)
  await mappa(['init', '--root', 'packages/collector', '--apply'], { cwd: top })
  for (const line of ['list', 'trace HIVES', 'with -- node -e 0']) {
    const { stderr } = await mappa(line.split(' '), { cwd: top })
    assert.match(
      stderr,
      new RegExp(
        `There is no legend here, but in packages/collector\\.\\n {2}→ Run: mappa ${line.split(' ')[0]} --root packages/collector`,
      ),
      line,
    )
  }
  // A legend without variables is not the whole answer.
  writeFileSync(join(top, 'mappa.legend.json'), '{ "type": "object", "properties": {} }\n')
  assert.match((await mappa(['check'], { cwd: top })).stdout, /packages\/collector\n\n[\s\S]*1 variable is valid/)
})

test('fill says which start gets nothing of what it wrote, and which image lacks its file', async () => {
  const root = rootOf({
    files: {
      'a.js': print('A: process.env.A'),
      'b.mjs': "import { settle } from 'mappa/node'\nsettle({ entries: {} })\n",
      '.env': '',
      Dockerfile: 'FROM node:22\nENV NODE_ENV=production\nCOPY b.mjs ./\nCMD ["node", "b.mjs"]\n',
    },
    scripts: { start: 'NODE_ENV=production node a.js' },
  })
  const { stdout, stderr } = await mappa(['fill', 'A=hive', '--stage', 'production'], { cwd: root })
  const told = (stdout + stderr).replace(/\s+/g, ' ')
  assert.match(told, /In the script "start", code gets other values of: A\. → Run: mappa trace A/)
  assert.match(
    told,
    /The image of Dockerfile does not contain \.env\.production, which gives A in stage production\. → Write: COPY \.env\.production \.\//,
  )
})
