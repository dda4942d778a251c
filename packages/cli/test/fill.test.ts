import assert from 'node:assert/strict'
import { spawnSync } from 'node:child_process'
import { chmodSync, existsSync, readFileSync, rmSync, statSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { test } from 'node:test'
import { keys, mappa, mappaAsked, mappaProcess, node, noTerminal, project, token } from '../../../test/helpers.js'

const legend = `import { legend } from 'mappa/legend'
export default legend({
  /** Where alerts go. */
  ALERT_TOKEN: { type: 'string', secret: true, minLength: 24, obtain: 'https://wiki.fennelhill.example/alerts' },
  SESSION_KEY: { type: 'string', secret: true, generate: { bytes: 32, text: 'base64url' } },
  OLD_KEYS: { type: 'array', items: { type: 'string', minLength: 8 }, secret: true, optional: true },
  FEED_URL: { type: 'string', format: 'uri', stages: { staging: { schemes: ['https'] } } },
  LOG_LEVEL: { type: 'string', enum: ['debug', 'info'] },
  SCALES: { type: 'integer', minimum: 1, default: 4 },
  NOTE: { type: 'string', optional: true },
})
`
const made = /^SESSION_KEY=[\w-]{43}$/m
const hive = 'hive-secret-hollow-oak-brook'

/** What files of a project hold; undefined for those that are not there. */
const held = (root: string, ...files: string[]) =>
  files.map((file) => (existsSync(join(root, file)) ? readFileSync(join(root, file), 'utf8') : undefined))

test('fill writes what is given to the layer where it belongs, and refuses what is wrong', async () => {
  type Texts = Readonly<Record<string, string | RegExp | undefined>>
  const rows: readonly (readonly [
    ...[args: readonly string[], says: RegExp, code?: number, after?: Texts | undefined],
    ...[files?: Readonly<Record<string, string>> | undefined, env?: Readonly<Record<string, string>>],
  ])[] = [
    [
      [],
      /Missing in stage development:\n {4}ALERT_TOKEN → \.env\.local\n {8}Obtain: https:[\s\S]*LOG_LEVEL[\s\S]*--from FILE/,
      1,
    ],
    [['--stage', 'staging'], /SESSION_KEY → \.env\.staging\.local \(deployed: set it on the staging host\)/, 1],
    [['LOG_LEVEL=debug'], /^Wrote 1 value: \.env \(LOG_LEVEL\)\.\n$/, 0, { '.env': 'LOG_LEVEL=debug\n' }],
    [['LOG_LEVEL=debug', '--stage', 'staging'], /\.env\.staging \(/, 0, { '.env.staging': 'LOG_LEVEL=debug\n' }],
    // It has words of its own for a stage, so that it differs.
    [['FEED_URL=http://a.example'], /\.env\.development \(/, 0, { '.env.development': 'FEED_URL=http://a.example\n' }],
    [['FEED_URL=http://a.example', '--stage', 'staging'], /is "http:\/\/a\.example", but must be .*https/, 2],
    // Where it is already, with its comment and quotes.
    [
      ['LOG_LEVEL=debug'],
      /-LOG_LEVEL='info' # loud\n\+LOG_LEVEL='debug' # loud\n/,
      0,
      { '.env.local': "LOG_LEVEL='debug' # loud\n", '.env': undefined },
      { '.env.local': "LOG_LEVEL='info' # loud\n" },
    ],
    [['LOG_LEVEL=debug'], /\.env\.development \(/, 0, undefined, { '.env.staging': 'LOG_LEVEL=info\n' }],
    [['LOG_LEVEL=debug', '--into', 'local'], /\.env\.local \(/],
    [['SCALES=7', 'NOTE=a b', '--into', 'stage'], /2 values/, 0, { '.env.development': "SCALES=7\nNOTE='a b'\n" }],
    [
      ['LOG_LEVEL=debug'],
      /The process environment overrides LOG_LEVEL here/,
      0,
      undefined,
      undefined,
      { LOG_LEVEL: 'info' },
    ],
    [
      ['SCALES=0', 'LOG_LEVEL=debug'],
      /SCALES is 0, but must be [\s\S]*Nothing was written\./,
      2,
      { '.env': undefined },
    ],
    [[`ALERT_TOKEN=${token}`], /^ALERT_TOKEN is secret, .*Run: mappa fill ALERT_TOKEN\n$/, 2],
    [['ALERT_TOKEN', '--into', 'shared'], /belongs in a layer of this machine: --into local/, 2],
    [[`sms_${token}`], /^This name is not in the legend/, 2],
    [['OTHER=1'], /^OTHER is not in the legend/, 2],
    [['--replace'], /needs a name/, 2],
    [['ALERT_TOKEN'], /^Nothing was written\. On a terminal, mappa fill asks for each/, 1],
    [['--generate', '--into', 'shared'], /\.env\.local \(SESSION_KEY\)/, 1, { '.env': undefined }],
    [['LOG_LEVEL', '--replace'], /--replace is for secrets/, 2],
    [['--from', 'gone'], /--from names gone, which does not exist/, 2],
    [['SESSION_KEY', '--generate'], /\.env\.local \(SESSION_KEY\)/, 0, { '.env.local': made }],
    [['--generate'], /Wrote 1 value[\s\S]*Missing in stage development:\n {4}ALERT_TOKEN/, 1, { '.env.local': made }],
    // A secret in a committed layer is moved.
    [
      ['ALERT_TOKEN'],
      /-ALERT_TOKEN=\(secret\)/,
      0,
      { '.env': 'NOTE=x\n', '.env.local': `ALERT_TOKEN=${token}\n` },
      { '.env': `ALERT_TOKEN=${token}\nNOTE=x\n` },
    ],
    [
      ['--from', 'values'],
      /Wrote 2 values: \.env\.local \(ALERT_TOKEN\), \.env \(LOG_LEVEL\)/,
      1,
      { '.env.local': `ALERT_TOKEN=${token}\n`, '.env': 'LOG_LEVEL=info\n' },
      { values: `ALERT_TOKEN=${token}\nLOG_LEVEL=info\nEXTRA=1\n` },
    ],
    [
      ['SCALES', '--from', 'values'],
      /Wrote 1 value/,
      0,
      undefined,
      { values: JSON.stringify({ SCALES: 9, LOG_LEVEL: 'info' }) },
    ],
    [['--from', 'values'], /ALERT_TOKEN must be/, 2, undefined, { values: `ALERT_TOKEN=short\nLOG_LEVEL=info\n` }],
    [['--from', 'values'], /but line 1 is neither/, 2, undefined, { values: "A='\n" }],
    [['LOG_LEVEL=debug'], /Wrote 1 value/, 0, { '.env': "NOTE='open\nLOG_LEVEL=debug\n" }, { '.env': "NOTE='open\n" }],
  ]
  for (const [args, says, code = 0, after = {}, files = {}, env = {}] of rows) {
    const root = project({ 'mappa.legend.mjs': legend, ...files })
    const { stdout, stderr, code: ended } = await mappa(['fill', ...args], { cwd: root, env })
    assert.match(stdout + stderr, says, args.join(' '))
    assert.equal(ended, code, args.join(' ') + stdout + stderr)
    assert.ok(!(stdout + stderr).includes(token), args.join(' '))
    for (const [file, text] of Object.entries(after)) {
      const [own] = held(root, file)
      if (text instanceof RegExp) assert.match(own ?? '', text)
      else assert.equal(own, text, args.join(' '))
    }
    if (existsSync(join(root, '.env.local')) && files['.env.local'] === undefined && !args.includes('local'))
      assert.equal(statSync(join(root, '.env.local')).mode & 0o777, 0o600)
  }
})

test('a secret is replaced, a list of them keeps the old one until it is dropped, and what holds it is told', async () => {
  const root = project({
    'mappa.legend.mjs': legend.replace("OLD_KEYS: { type: 'array'", "OLD_KEYS: { type: 'array', generate: undefined"),
    '.env.local': `SESSION_KEY=${hive}\nOLD_KEYS=${hive},other-secret-77\n`,
    'compose.yaml': `services:\n  hive:\n    environment:\n      KEY: ${Buffer.from(hive).toString('base64')}\n`,
  })
  const { stdout } = await mappa(['fill', 'SESSION_KEY', '--replace'], { cwd: root, env: { HIVE: hive } })
  const told = stdout.replace(/\s+/g, ' ')
  assert.match(told, /old value of SESSION_KEY is still in: .*compose\.yaml:4, .*the process environment, HIVE\./)
  assert.match(told, /Replace it on every host/)
  assert.ok(!stdout.includes(hive))
  const [text = ''] = held(root, '.env.local')
  assert.match(text, made)
  const dropped = await mappa(['fill', 'OLD_KEYS', '--drop-old'], { cwd: root })
  assert.match(dropped.stdout, /Wrote 1 value/)
  assert.equal(held(root, '.env.local')[0]?.split('\n')[1], `OLD_KEYS=${hive}`)
  assert.ok(!dropped.stdout.includes('other-secret-77'))
})

test('a layer that others may read is told when a secret is written to it, and keeps its mode', {
  skip: process.getuid === undefined && 'no file modes here',
}, async () => {
  const root = project({
    'mappa.legend.mjs': legend,
    '.env.local': 'NOTE=1\n',
    '.gitignore': '.env.local\n.env.*.local\n',
  })
  for (const [mode, isTold] of [
    [0o644, true],
    [0o640, true],
    [0o600, false],
  ] as const) {
    chmodSync(join(root, '.env.local'), mode)
    const { stderr } = await mappa(['fill', 'SESSION_KEY', '--replace'], { cwd: root })
    const told = 'Other users of this machine can read .env.local. Run: chmod go-r .env.local'
    assert.equal(stderr.replace(/\s+/g, ' ').includes(told), isTold, stderr)
    assert.equal(statSync(join(root, '.env.local')).mode & 0o777, mode)
  }
})

test('a file that holds a secret is left out of git', async () => {
  const root = project({ 'mappa.legend.mjs': legend })
  rmSync(join(root, '.git'), { recursive: true })
  spawnSync('git', ['init', '-q'], { cwd: root })
  await mappa(['fill', 'SESSION_KEY', '--generate'], { cwd: root })
  assert.deepEqual(held(root, '.gitignore'), ['.env.local\n.env.*.local\n'])
})

test('fill asks at a terminal: wrong answers at once, secrets unseen, nothing half written', {
  skip: noTerminal,
}, async () => {
  const files = { 'mappa.legend.mjs': legend }
  const { down, enter, interrupt, end } = keys
  const answers = [
    ['ALERT_TOKEN (skip', `short${enter}`],
    ['must be at least 24', `\u0015${token}${enter}`],
    ['SESSION_KEY (generate', enter],
    ['FEED_URL (skip', `feed.example${enter}`],
    ['must be an absolute URL', `\u0015https://feed.example${enter}`],
    ['◆ LOG_LEVEL', `${down}${enter}`],
  ] as const
  for (const columns of [80, 34]) {
    const root = project(files)
    const { code, text } = await mappaAsked(['fill'], answers, { cwd: root, columns })
    assert.equal(code, 0, text)
    const [local = '', shared, staged] = held(root, '.env.local', '.env', '.env.development')
    assert.ok(local.startsWith(`ALERT_TOKEN=${token}\nSESSION_KEY=`) && made.test(local))
    assert.deepEqual([shared, staged], ['LOG_LEVEL=info\n', 'FEED_URL=https://feed.example\n'])
    assert.ok(!text.includes(token) && !text.includes('short'), text)
    assert.ok(text.includes('https://wiki.fennelhill.example/alerts'))
  }
  // Anyone who leaves at any question, by either way, has written nothing.
  for (const [at, leave] of [
    [0, end],
    [1, interrupt],
    [3, interrupt],
    [5, interrupt],
  ] as const) {
    const root = project(files)
    const asked = [...answers.slice(0, at), [answers[at]?.[0] as string, leave] as const]
    const { code, text } = await mappaAsked(['fill'], asked, { cwd: root })
    assert.equal(code, 130, `${at} ${text}`)
    assert.match(text, /Nothing was written/)
    assert.deepEqual(held(root, '.env.local', '.env', '.env.development'), [undefined, undefined, undefined])
  }
})

test('list shows a line for each variable, also of an environment captured elsewhere', async () => {
  const root = project({
    'mappa.legend.mjs': legend,
    '.env': 'LOG_LEVEL=loud\nFEED_URL=https://feed.example\nSTRAY=1\n',
    '.env.local': `ALERT_TOKEN=${token}\n`,
    'lines.txt': `LOG_LEVEL=info\nNOTE=one\ntwo\nALERT_TOKEN=${token}\nMAPPA_STAGE=production\n`,
    'list.json': JSON.stringify([`ALERT_TOKEN=${token}`, 'LOG_LEVEL=debug']),
    nul: `LOG_LEVEL=debug\0NOTE=a\nb c\0ALERT_TOKEN=${token}\0`,
    'odd.txt': 'no environment\n',
  })
  const rows: readonly (readonly [args: string, code: number, ...says: readonly RegExp[]])[] = [
    [
      '',
      0,
      /^ALERT_TOKEN +\(secret\) +\.env\.local:1:13$/m,
      /^SESSION_KEY +missing$/m,
      /^NOTE +not set$/m,
      /^SCALES +4 +default in the legend$/m,
      /^STRAY +\(secret\) +\.env:3:7$/m,
      /8 variables, 1 missing\.\n {2}→ Run: mappa fill/,
    ],
    ['staging --missing', 0, /^Stage staging \(from the command line\)\n\nSESSION_KEY +missing\n\n1 variable/],
    ['--secrets', 0, /3 variables/],
    ['*_KEY', 0, /\n1 variable, 1 missing/],
    ['NOTHING', 2, /NOTHING is not in the legend/],
    ['stagging', 2, /must be one of/],
    ['staging a-b', 2, /list takes a stage and variable names/],
    ['staging --stage test', 2, /Two stages/],
    [
      '--environment lines.txt',
      0,
      /^Stage production \(from MAPPA_STAGE\)/,
      /^NOTE +one\\ntwo +the process environment$/m,
    ],
    ['--environment list.json', 0, /^LOG_LEVEL +debug +the process environment$/m],
    ['--environment nul NOTE', 0, /^NOTE +a\\nb c +the process environment$/m],
    ['--environment odd.txt', 2, /--environment takes lines of NAME=value/],
    ['--environment gone', 2, /--environment names gone, which does not exist/],
    ['--json LOG_LEVEL', 0, /"value": "loud",\n.*"from": "\.env:1:11"/],
  ]
  for (const [args, code, ...says] of rows) {
    const ended = await mappa(['list', ...args.split(' ').filter(Boolean)], { cwd: root })
    const text = ended.stdout + ended.stderr
    for (const each of says) assert.match(text, each, args)
    assert.equal(ended.code, code, args)
    assert.ok(!text.includes(token))
  }
  for (const command of ['check', 'trace LOG_LEVEL']) {
    const { stdout } = await mappa([...command.split(' '), '--environment', 'lines.txt'], { cwd: root })
    assert.match(stdout, /^Stage production \(from MAPPA_STAGE\)/)
    assert.ok(!/"loud"/.test(stdout))
  }
  const piped = await node(
    [join(import.meta.dirname, '../bin/mappa.js'), 'list', '--environment', 'lines.txt', '--stage', 'test'],
    { cwd: root },
  )
  assert.match(piped.stdout, /^Stage test/)
  writeFileSync(join(root, '.env.local'), '')
  assert.equal((await mappaProcess(['list', '--missing'], { cwd: root })).code, 0)
})
