// What `mappa sample` writes and keeps: stored, held to properties on texts that people may have written, and verified.
import assert from 'node:assert/strict'
import { spawnSync } from 'node:child_process'
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
      if (before !== after) assert.notDeepEqual(sampleDifferences(sampled, before), [])
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
const expected = `#: What each variable is for, from the legend. Whoever starts the program sets those without # before the name,
#: in .env.local or on the host; the others already have a value, or may be left out.
#: mappa sample writes the lines that begin with #: and keeps all others.

#: TCP port the collector listens on.
#: It must be a port from 1 to 65535.
#: Unless set, it is 4100.
# COLLECTOR_PORT=4100

#: It must be one of debug, info.
# LOG_LEVEL=

#: It must be an absolute URL.
FEED_URL=

#: It is secret, and must be text of at least 24 characters.
#: Obtain: https://wiki.fennelhill.example/alerts
ALERT_TOKEN=
`

test('mappa sample writes the sample, says what is stale, and shows what it changes without any secret', async () => {
  const root = project(files)
  // What version control is told to leave out gives a colleague nothing.
  rmSync(join(root, '.git'), { recursive: true })
  spawnSync('git', ['init', '-q'], { cwd: root })
  const run = (...args: string[]) => mappa(['sample', ...args], { cwd: root })
  const sample = join(root, '.env.example')
  const none = await run('--verify')
  assert.deepEqual([none.code, none.stdout], [1, 'There is no .env.example.\n    Run: mappa sample\n'])
  const made = await run()
  assert.deepEqual([made.code, made.stdout, made.stderr], [0, '.env.example holds 4 variables.\n', ''])
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
    .env.example:8: The legend now describes COLLECTOR_PORT differently.
    .env.example:14: The legend now describes FEED_URL differently.
    .env.example:14: FEED_URL must be set.
    .env.example:18: ALERT_TOKEN holds a value that does not belong in a sample.
    .env.example:19: OLD_TOKEN has no entry in the legend.
    .env.example: LOG_LEVEL is not in it.
    Run: mappa sample
`,
  )
  writeFileSync(sample, "A='\n")
  const open = await run()
  assert.deepEqual([open.code, open.stdout, readFileSync(sample, 'utf8')], [1, '', "A='\n"])
  assert.match(open.stderr, /^\.env\.example:1:3: .*never closed\. .*\nNothing was written\.\n$/)
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
