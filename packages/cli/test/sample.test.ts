// What `mappa sample` writes and keeps: stored, held to properties on texts that people may have written, and verified.
import assert from 'node:assert/strict'
import { spawnSync } from 'node:child_process'
import { createHash } from 'node:crypto'
import { readFileSync, rmSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import test from 'node:test'
import fc from 'fast-check'
import { legend, readLayer, variablesOf } from 'mappa'
import { mappa, project, token } from '../../../test/helpers.js'
import { openQuote, sampleDifferences, sampleText } from '../src/declared/sample.js'

const definition = legend({
  PORT: { type: 'port', default: 4100, description: 'TCP port\nthe collector listens on' },
  LEVEL: {
    type: 'string',
    enum: ['debug', 'info'],
    stages: { production: { default: 'info' }, test: { optional: true } },
  },
  NOTE: { type: 'string', default: 'two words # and more', formerly: ['REMARK'], deprecated: true },
  TOKEN: {
    type: 'string',
    secret: true,
    obtain: 'https://wiki.fennelhill.example/alerts',
    generate: { bytes: 32, text: 'hex' },
  },
  PHONE: { type: 'string', optional: true, examples: ['+15550100'], file: true, reach: 'browser' },
})
const sampled = { variables: variablesOf(definition), given: new Set(['LEVEL']) }
const names = Object.keys(definition.entries)

const parts = [
  '# LEVEL=x',
  '# LEVEL=debug shows all',
  `#TOKEN=${token}`,
  `# TOKEN=${token} it was`,
  '#PORT=1',
  '# OLD=5',
  'LEVEL=a',
  'export PHONE=+1',
  "NOTE='a",
  "b'",
  'OLD=1',
  `TOKEN=${token}`,
  '# Ask Rosa.',
  '#: Old words.',
  '## two',
  '',
  '',
  '  ',
  'A B',
  '#:',
  'TOKEN=<ask Rosa>',
  '\ufeff',
  'PORT="',
]
/** Lines that are nobody's but a person's: no assignment, none behind #, and not made here. */
const owns = (text: string) =>
  text.split(/\r?\n/).filter((line) => /^(?:# Ask Rosa\.|# LEVEL=debug shows all|## two|A B)$/.test(line))

test('a sample keeps what a person wrote, holds every variable once and no secret, and stays as it is when made again', () => {
  const text = fc.tuple(fc.array(fc.constantFrom(...parts), { maxLength: 14 }), fc.constantFrom('\n', '\r\n'))
  fc.assert(
    fc.property(text, ([lines, lineEnd]) => {
      const before = lines.join(lineEnd)
      // It would swallow what is written, and is refused.
      fc.pre(openQuote(before) === undefined)
      const after = sampleText(sampled, before)
      assert.equal(sampleText(sampled, after), after)
      assert.deepEqual(sampleDifferences(sampled, after), [])
      // What looks like a comment inside a value of several lines is a part of that.
      const values = [...readLayer(before).ranges().values()].flat()
      if (!values.some(({ valueStart, valueEnd }) => before.slice(valueStart, valueEnd).includes('\n')))
        assert.deepEqual(owns(after), owns(before))
      assert.ok(!after.includes(token))
      for (const name of names) {
        const own = after.match(new RegExp(`^(?:export )?${name}=`, 'gm')) ?? []
        assert.ok(own.length === 1 || (own.length === 0 && after.includes(`# ${name}=`)), `${name}\n${after}`)
      }
      assert.doesNotMatch(after, /^OLD=/m)
      // Of an older form only names, values and words of entries count.
      if (before !== after && before.includes('(form 2)')) assert.notDeepEqual(sampleDifferences(sampled, before), [])
    }),
    { numRuns: 500 },
  )
})

const files = {
  'mappa.legend.mjs': `import { legend } from 'mappa/legend'
export default legend({
  COLLECTOR_PORT: { type: 'port', default: 4100, description: 'TCP port the collector listens on' },
  LOG_LEVEL: { type: 'string', enum: ['debug', 'info'] },
  FEED_URL: { type: 'string', format: 'uri' },
  ALERT_TOKEN: { type: 'string', secret: true, minLength: 24, obtain: 'https://wiki.fennelhill.example/alerts' },
})
`,
  '.env': `ALERT_TOKEN=${token}\n`,
  '.env.development': 'LOG_LEVEL=debug\n',
  '.gitignore': '.env\n',
}
const expected = `#: The variables of this project, from the legend. Set those without # in front,
#: in .env.local or on the host. The others are optional or already have a value.
#: mappa sample writes the lines that begin with #: and keeps the others (form 2).

#: TCP port the collector listens on.
#: Port, 1 to 65535.
#: Default: 4100.
# COLLECTOR_PORT=4100

#: One of debug, info.
# LOG_LEVEL=

#: Absolute URL.
FEED_URL=

#: Secret.
#: Text of at least 24 characters.
#: Obtain: https://wiki.fennelhill.example/alerts
ALERT_TOKEN=
`

test('mappa sample writes the sample, says what is stale, and shows what it changes without any secret', async () => {
  const root = project(files)
  // What git is told to leave out gives a colleague nothing.
  rmSync(join(root, '.git'), { recursive: true })
  spawnSync('git', ['init', '-q'], { cwd: root })
  const run = (...args: string[]) => mappa(['sample', ...args], { cwd: root })
  const sample = join(root, '.env.example')
  const none = await run('--verify')
  assert.deepEqual([none.code, none.stdout], [1, 'No .env.example.\n  → Run: mappa sample\n'])
  const made = await run()
  assert.deepEqual([made.code, made.stdout, made.stderr], [0, 'Wrote .env.example: 4 variables.\n', ''])
  assert.equal(readFileSync(sample, 'utf8'), expected)
  assert.equal((await run('--verify')).stdout, '.env.example is up to date.\n')
  const edited = expected
    .replace('TCP port', 'The port')
    .replace('FEED_URL=', '# Ours is slow\n# FEED_URL=https://feed.fennelhill.example')
    .replace('ALERT_TOKEN=', `ALERT_TOKEN=${token}\nOLD_TOKEN='${token}'`)
    .replace('# LOG_LEVEL=\n', '')
  writeFileSync(sample, edited)
  const stale = await run('--verify')
  assert.deepEqual([stale.code, stale.stderr], [1, ''])
  assert.equal(
    stale.stdout,
    `.env.example is stale.
    .env.example:8: COLLECTOR_PORT has changed in the legend.
    .env.example:14: FEED_URL has changed in the legend.
    .env.example:14: FEED_URL is required.
    .env.example:19: ALERT_TOKEN has a value that does not belong in a sample.
    .env.example:20: OLD_TOKEN is not in the legend.
    .env.example: LOG_LEVEL is missing.
  → Run: mappa sample
`,
  )
  writeFileSync(sample, "A='\n")
  const open = await run()
  assert.deepEqual([open.code, open.stdout, readFileSync(sample, 'utf8')], [1, '', "A='\n"])
  assert.match(open.stderr, /^\.env\.example:1:3: .*never closes\. .*\nNothing was written\.\n$/)
  writeFileSync(sample, edited)
  const fixed = await run()
  assert.match(fixed.stdout, /^-ALERT_TOKEN=\(secret\)$/m)
  assert.match(fixed.stdout, /^-OLD_TOKEN='\(secret\)'$/m)
  assert.ok(!fixed.stdout.includes(token))
  assert.equal(
    readFileSync(sample, 'utf8')
      .replace('# Ours is slow\n', '')
      .replace('FEED_URL=https://feed.fennelhill.example', 'FEED_URL='),
    expected,
  )
})

test('better prose makes neither a sample nor declarations stale, but a changed entry does', async () => {
  const root = project({ ...files, '.env.example': '' })
  const run = (command: string, ...args: string[]) => mappa([command, ...args], { cwd: root })
  await run('sample')
  await run('types')
  const edit = (file: string, change: (text: string) => string) =>
    writeFileSync(join(root, file), change(readFileSync(join(root, file), 'utf8')))
  const inOldWords = (text: string) =>
    text.replace(/ \(form \d+\)/, '').replaceAll('Port, 1 to 65535.', 'It must be a port from 1 to 65535.')
  edit('.env.example', inOldWords)
  edit('mappa.types.d.ts', inOldWords)
  for (const command of ['sample', 'types']) assert.equal((await run(command, '--verify')).code, 0, command)
  const changes: readonly (readonly [from: string, to: string, stale: readonly string[]])[] = [
    ['minLength: 24', 'minLength: 28', ['sample']],
    ['default: 4100', 'default: 4200', ['sample']],
    ['fennelhill.example/alerts', 'fennelhill.example/tokens', ['sample']],
    ['LOG_LEVEL:', 'LOG_LEAST:', ['sample', 'types']],
  ]
  for (const [from, to, stale] of changes) {
    edit('mappa.legend.mjs', (text) => text.replace(from, to))
    const found = await Promise.all(
      ['sample', 'types'].map(async (each) => ((await run(each, '--verify')).code ? each : [])),
    )
    assert.deepEqual(found.flat(), stale, to)
    edit('mappa.legend.mjs', (text) => text.replace(to, from))
  }
})

test('prose of samples and declarations does not change without a new form', () => {
  const text = sampleText(sampled).replace(/\(form \d+\)/, '')
  const form = /\(form (\d+)\)/.exec(sampleText(sampled))?.[1]
  // After a change of wording, raise proseForm and write its digest here.
  assert.deepEqual([form, createHash('sha256').update(text).digest('hex').slice(0, 12)], ['2', '501ed6343ef1'])
})
