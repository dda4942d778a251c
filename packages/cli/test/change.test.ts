import assert from 'node:assert/strict'
import { spawnSync } from 'node:child_process'
import { existsSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { test } from 'node:test'
import fc from 'fast-check'
import { keys, mappa, mappaAsked, noTerminal, project, token } from '../../../test/helpers.js'

type Files = Readonly<Record<string, string>>
const legend = (entries: string) => `import { legend } from 'mappa/legend'\n\nexport default legend({\n${entries}})\n`
const one = legend(
  "  /** Where the feed is */\n  FEED: { type: 'string' }, // of the co-operative\n\n  // Who listens\n  LEVEL: { type: 'string', default: 'info' },\n",
)
const held = (root: string, files: Files) =>
  Object.fromEntries(
    Object.keys(files).map((file) => [
      file,
      existsSync(join(root, file)) ? readFileSync(join(root, file), 'utf8') : undefined,
    ]),
  )

/** What a file becomes when FEED is called HIVE_FEED. */
const renamed: readonly (readonly [file: string, before: string, after: string])[] = [
  [
    '.env',
    "# FEED\nexport FEED='a' # x\nURL=${FEED}/v1\nB=\"${FEED:-x}\"\nC='${FEED}'\nD=${FEEDS-}\n",
    "# FEED\nexport HIVE_FEED='a' # x\nURL=${HIVE_FEED}/v1\nB=\"${HIVE_FEED:-x}\"\nC='${FEED}'\nD=${FEEDS-}\n",
  ],
  ['.env.staging.local', 'FEED=b\r\n', 'HIVE_FEED=b\r\n'],
  [
    'a.mjs',
    "const { FEED, X } = process.env, y = process.env['FEED'], z = process.env.FEEDS\n",
    "const { HIVE_FEED: FEED, X } = process.env, y = process.env['HIVE_FEED'], z = process.env.FEEDS\n",
  ],
  [
    'b.ts',
    "const { FEED = 'd' } = import.meta.env as any\n",
    "const { HIVE_FEED: FEED = 'd' } = import.meta.env as any\n",
  ],
  [
    'c.ts',
    "import { FEED, X } from 'virtual:mappa/settings'\nconsole.log(FEED, X)\n",
    "import { HIVE_FEED as FEED, X } from 'virtual:mappa/settings'\nconsole.log(FEED, X)\n",
  ],
  [
    'd.js',
    "import { settings } from './settings.js'\nconst { FEED } = settings\nuse(settings.FEED, other.FEED, 'FEED')\n",
    "import { settings } from './settings.js'\nconst { HIVE_FEED: FEED } = settings\nuse(settings.HIVE_FEED, other.FEED, 'FEED')\n",
  ],
  [
    'e.cjs',
    'const config = settle(definition, {})\nuse(config.FEED)\n',
    'const config = settle(definition, {})\nuse(config.HIVE_FEED)\n',
  ],
  [
    'compose.yaml',
    'services:\n  a:\n    environment:\n      FEED: ${FEED:?say}\n      MY-FEED: 1\n',
    'services:\n  a:\n    environment:\n      HIVE_FEED: ${HIVE_FEED:?say}\n      MY-FEED: 1\n',
  ],
  [
    'package.json',
    '{ "scripts": { "start": "FEED=a node a.mjs" } }\n',
    '{ "scripts": { "start": "HIVE_FEED=a node a.mjs" } }\n',
  ],
  ['run.sh', 'echo "$FEED" $FEEDS\n', 'echo "$HIVE_FEED" $FEEDS\n'],
  ['notes.py', 'os.environ["FEED"]\n', 'os.environ["FEED"]\n'],
  ['.env.example', '# mine\nFEED=\n', ''],
]

test('rename changes a name wherever it stands as that name, and back again gives the same bytes', async () => {
  const files = { ...Object.fromEntries(renamed.map(([file, before]) => [file, before])), 'mappa.legend.mjs': one }
  const root = project(files)
  // What is made is made again first, so that only the name differs.
  await mappa(['sample'], { cwd: root })
  const before = held(root, files)
  const shown = await mappa(['rename', 'FEED', 'HIVE_FEED'], { cwd: root })
  assert.match(shown.stdout, /notes\.py:1[\s\S]*Nothing was written\.\n {2}→ Run: mappa rename FEED HIVE_FEED --apply/)
  assert.deepEqual(held(root, files), before)
  const made = await mappa(['rename', 'FEED', 'HIVE_FEED', '--apply'], { cwd: root })
  assert.equal(made.code, 0, made.stderr)
  for (const [file, , after] of renamed) if (after) assert.equal(held(root, files)[file], after, file)
  assert.equal(held(root, files)['mappa.legend.mjs'], one.replace('  FEED:', '  HIVE_FEED:'))
  assert.match(held(root, files)['.env.example'] ?? '', /^# HIVE_FEED=$/m)
  await mappa(['rename', 'HIVE_FEED', 'FEED', '--apply'], { cwd: root })
  assert.deepEqual(held(root, files), before)
})

test('legends in JSON and of several files, former names, and what is refused', async () => {
  const json = {
    'mappa.legend.json':
      '{\n  "properties": {\n    "FEED": { "type": "string" },\n    "LEVEL": { "type": "string" }\n  },\n  "required": ["FEED", "LEVEL"]\n}\n',
  }
  const spread = {
    'mappa.legend.mjs':
      "import { legend } from 'mappa/legend'\nimport { shared } from './shared.mjs'\nexport default legend({ ...shared, LEVEL: { type: 'string', default: 'info' } })\n",
    'shared.mjs': "export const shared = {\n  FEED: { type: 'string' },\n}\n",
  }
  const legends = { 'mappa.legend.mjs': one }
  const rows: readonly (readonly [
    ...[line: string, files: Files, code?: number, says?: RegExp],
    after?: Readonly<Record<string, string | RegExp>>,
  ])[] = [
    [
      'rename FEED NEST --formerly',
      json,
      0,
      /./,
      {
        'mappa.legend.json':
          /"NEST": \{ "type": "string", "x-mappa-formerly": \["FEED"\] \}[\s\S]*"required": \["NEST", "LEVEL"\]/,
      },
    ],
    [
      'remove LEVEL',
      json,
      0,
      /./,
      {
        'mappa.legend.json':
          '{\n  "properties": {\n    "FEED": { "type": "string" }\n  },\n  "required": ["FEED"]\n}\n',
      },
    ],
    [
      'add PORT --type port --optional',
      json,
      0,
      /./,
      { 'mappa.legend.json': /"PORT": \{ "type": "integer", "x-mappa-type": "port" \}\n {2}\}/ },
    ],
    ['rename FEED NEST', spread, 0, /./, { 'shared.mjs': "export const shared = {\n  NEST: { type: 'string' },\n}\n" }],
    ['remove FEED', spread, 0, /./, { 'shared.mjs': 'export const shared = {}\n' }],
    [
      'rename FEED NEST --formerly',
      legends,
      0,
      /./,
      { 'mappa.legend.mjs': /NEST: \{ type: 'string', formerly: \['FEED'\] \}/ },
    ],
    ['remove FEED LEVEL', legends, 0, /./, { 'mappa.legend.mjs': legend('').replace('{\n}', '{}') }],
    [
      'remove FEED',
      legends,
      0,
      /./,
      { 'mappa.legend.mjs': legend("\n  // Who listens\n  LEVEL: { type: 'string', default: 'info' },\n") },
    ],
    [
      'remove LEVEL',
      { 'mappa.legend.mjs': one, 'a.mjs': '\nprocess.env.LEVEL\n' },
      1,
      /Code still uses:\n {4}LEVEL in a\.mjs:2\nNothing was written/,
    ],
    [
      'rename FEED NEST',
      { 'mappa.legend.mjs': one, '.env': 'FEED=a\nNEST=b\n' },
      1,
      /NEST is already set there\. Nothing was written/,
    ],
    ['rename FEED LEVEL', legends, 2, /LEVEL is already in the legend/],
    ['rename FEDE NEST', legends, 2, /FEDE is not in the legend\. Did you mean FEED\?/],
    ['rename FEED 9X', legends, 2, /does not start with a digit/],
    [
      'remove FEED',
      { 'mappa.legend.mjs': legend("  ...Object.fromEntries([['FEED', { type: 'string' }]]),\n") },
      1,
      /makes the entry FEED/,
    ],
    ['add FEED', legends, 2, /FEED is already in the legend/],
    ['add PAUSE --type duraton', legends, 2, /The entry \w+ has no type|The type of \w+ must be one of/],
    ['add PAUSE --type duration --value 9', legends, 2, /PAUSE must be a duration/],
    ['add KEY --secret --default x', legends, 2, /is secret, but has a default/],
    [`add KEY --secret --value ${token}`, legends, 2, /other processes can read the command line/],
    [
      'add PAUSE --type duration --default 90s --minimum 1s --value 2m --description Between_readings --as feed.pause',
      { 'mappa.legend.mjs': one, '.env': 'FEED=a\n' },
      0,
      /./,
      {
        'mappa.legend.mjs':
          /\n {2}\/\*\* Between_readings \*\/\n {2}PAUSE: \{ type: 'duration', default: '90s', as: 'feed\.pause', minimum: '1s' \},\n\}\)\n$/,
        '.env': 'FEED=a\nPAUSE=2m\n',
      },
    ],
    [
      'add SCALES --type integer --enum 1,2 --stage staging --value 2',
      legends,
      0,
      /./,
      { 'mappa.legend.mjs': /SCALES: \{ type: 'integer', enum: \[1, 2\] \}/, '.env.staging': 'SCALES=2\n' },
    ],
  ]
  for (const [line, files, code = 0, says = /./, after = {}] of rows) {
    const root = project(files)
    const { stdout, stderr, code: ended } = await mappa([...line.split(' '), '--apply'], { cwd: root })
    assert.equal(ended, code, line + stdout + stderr)
    assert.match(stdout + stderr, says, line)
    assert.ok(!(stdout + stderr).includes(token))
    if (code !== 0) assert.deepEqual(held(root, files), files, line)
    for (const [file, text] of Object.entries(after)) {
      const own = held(root, after as Files)[file] ?? ''
      if (text instanceof RegExp) assert.match(own, text, line)
      else assert.equal(own, text, line)
    }
  }
})

test('for any project, add and then remove, and rename there and back, give the same bytes', async () => {
  const comment = fc.constantFrom('', '  /** What it is */\n', '  // note\n', '\n')
  const words = fc.constantFrom(
    "{ type: 'string' }",
    "{ type: 'port', default: 4100 }",
    "{\n    type: 'string',\n    optional: true,\n  }",
  )
  const entry = fc.tuple(comment, fc.constantFrom('A', 'B_C', 'D', 'E_F', 'G'), words)
  const entries = fc.uniqueArray(entry, { selector: ([, name]) => name, minLength: 1, maxLength: 5 })
  const value = fc.constantFrom('x', "'a b'", '"${A-}"', '1 # note', '')
  const lines = fc.array(fc.tuple(fc.constantFrom('A', 'B_C', 'D', 'E_F', 'H'), value), { maxLength: 5 })
  const shape = fc.record({ entries, lines, comma: fc.boolean(), crlf: fc.boolean() })
  const samples = fc.sample(shape, { numRuns: 8, seed: Number(process.env.SEED ?? Date.now()) })
  for (const { entries, lines, comma, crlf } of samples) {
    const body = entries.map(([said, name, own]) => `${said}  ${name}: ${own}`).join(',\n')
    const layer = [...new Map(lines)].map(([name, text]) => `${name}=${text}\n`).join('')
    const ended = (text: string) => (crlf ? text.replaceAll('\n', '\r\n') : text)
    const files = {
      'mappa.legend.ts': ended(legend(`${body}${comma ? ',' : ''}\n`)),
      '.env': ended(layer),
      '.env.staging': ended(layer),
    }
    const root = project(files)
    const [, name = ''] = entries[0] ?? []
    for (const line of ['add NEW_ONE --value x', 'remove NEW_ONE', `rename ${name} OTHER`, `rename OTHER ${name}`]) {
      const { code, stderr, stdout } = await mappa([...line.split(' '), '--apply'], { cwd: root })
      assert.equal(code, 0, `${line} ${stderr}${stdout} ${JSON.stringify(files)}`)
    }
    assert.deepEqual(held(root, files), files)
  }
})

test('add asks at a terminal, and writes nothing where a question is left', { skip: noTerminal }, async () => {
  const files = { 'mappa.legend.mjs': one }
  const { down, enter, interrupt } = keys
  const asked = [
    ['The type of PAUSE', enter],
    ['Kind of value', `${down}${enter}`],
    ['What it is for', `For bees${enter}`],
    ['Its value', `2${enter}`],
    ['Write nothing', `${down}${enter}`],
  ] as const
  const root = project(files)
  const left = await mappaAsked(['add', 'PAUSE'], [...asked.slice(0, 3), ['Its value', interrupt]], { cwd: root })
  assert.deepEqual([left.code, held(root, files)], [130, files], left.text)
  const { code, text } = await mappaAsked(['add', 'PAUSE'], asked, { cwd: root })
  assert.equal(code, 0, text)
  assert.match(
    held(root, files)['mappa.legend.mjs'] ?? '',
    /\/\*\* For bees \*\/\n {2}PAUSE: \{ type: 'string', optional: true \}/,
  )
})

test('trace says where code takes a variable, who changed its line, and whether it has a value that is given unseen', async () => {
  const root = project({
    'mappa.legend.mjs': legend(
      "  PORT: { type: 'port', as: 'collector.port' },\n  KEY: { type: 'string', secret: true },\n",
    ),
    '.env': 'PORT=4100\n',
    '.env.local': `KEY=${token}\n`,
    'a.mjs':
      "import { settings } from './settings.js'\nuse(settings.collector.port)\nuse(settings.port, process.env.PORT)\nfunction f(settings) { return settings.collector?.port }\n",
  })
  rmSync(join(root, '.git'), { recursive: true })
  const git = (...args: readonly string[]) =>
    spawnSync('git', ['-c', 'user.name=Rosa Fennel', '-c', 'user.email=r@fennelhill.example', ...args], {
      cwd: root,
      env: { ...process.env, GIT_AUTHOR_DATE: '2026-05-20T23:30:00-0500' },
    })
  git('init', '-q')
  git('add', '.env', 'mappa.legend.mjs', 'a.mjs')
  git('commit', '-qm', 'a')
  const port = await mappa(['trace', 'PORT'], { cwd: root })
  assert.match(
    port.stdout,
    /\.env:1: last changed 2026-05-20 by Rosa Fennel \([0-9a-f]{10}\)\.\nRead in a\.mjs:2, a\.mjs:3, a\.mjs:4\.\n$/,
  )
  assert.doesNotMatch((await mappa(['trace', 'KEY'], { cwd: root })).stdout, /last changed|Read in/)
  assert.match((await mappa(['remove', 'PORT'], { cwd: root })).stderr, /PORT in a\.mjs:2/)
  writeFileSync(join(root, '.env'), 'PORT=4200\n')
  assert.match((await mappa(['trace', 'PORT'], { cwd: root })).stdout, /\.env:1 is not committed\./)
  const bin = join(import.meta.dirname, '../bin/mappa.js')
  const same = (input: string, ...args: readonly string[]) =>
    spawnSync(process.execPath, [bin, 'trace', ...args, '--same-as', '-'], { cwd: root, input, encoding: 'utf8' })
  for (const [input, name, code, out] of [
    [`${token}\n`, 'KEY', 0, 'Yes.\n'],
    ['other', 'KEY', 1, 'No.\n'],
    ['', 'GONE', 1, 'No: GONE has no value.\n'],
    ['', 'P*', 2, ''],
  ] as const) {
    const { status, stdout, stderr } = same(input, name)
    assert.deepEqual([status, stdout], [code, out], stderr)
  }
})

import { diffText } from '../src/terminal/diff.js'

test('lines around a change show no secret, however short, and no value of a name without an entry', async () => {
  const root = project({
    'mappa.legend.mjs': legend("  PIN: { type: 'string', secret: true },\n  LEVEL: { type: 'string' },\n"),
    '.env.local': "PIN='7q'\nLEVEL=a\nSTRAY=zz9\n",
  })
  for (const line of [
    'fill LEVEL=b',
    'rename LEVEL LOUD',
    'rename PIN CODE',
    'remove LEVEL',
    'add NEW --value x --stage development',
  ]) {
    const { stdout, stderr } = await mappa(line.split(' '), { cwd: root })
    assert.doesNotMatch(stdout + stderr, /7q|zz9/, line)
    if (!line.startsWith('add')) assert.match(stdout, /@@ -[\s\S]*\(secret\)/, line)
  }
})

test('a diff shows no secret, however short, and leaves words alone that only begin like one', () => {
  const paint = { bold: String, red: String } as never
  for (const [hidden, line, shown] of [
    ['ab1', 'PIN=ab1', 'PIN=(secret)'],
    ['ab1', 'PIN=ab12 ab1', 'PIN=ab12 (secret)'],
    ['7', 'PORT=7 COUNT=77', 'PORT=(secret) COUNT=77'],
    ['a.b', 'PIN=axb a.b', 'PIN=axb (secret)'],
    ['seven77', 'PIN=seven777', 'PIN=seven777'],
    ['eight888', 'PIN=eight8889', 'PIN=(secret)9'],
  ] as const) {
    const text = diffText([{ path: '.env', before: '', after: `${line}\n` }], [hidden], { paint })
    assert.equal(/^\+(?!\+\+)(.*)$/m.exec(text)?.[1], shown, line)
  }
})
