import assert from 'node:assert/strict'
import { spawnSync } from 'node:child_process'
import { existsSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import test from 'node:test'
import fc from 'fast-check'
import { layerFromText, layerFromValues, legend, reportText, survey } from 'mappa'

const given = layerFromValues('the process environment', { HOST: 'hive.example', EMPTY: '' }, { source: 'environment' })
const textOf = (value: string, more = '') => {
  const found = survey(undefined, { stage: 'test', layers: [layerFromText('.env', `${more}\nX=${value}\n`), given] })
  return found.ok ? (found.texts.get('X') ?? '') : found.faults.map(({ message }) => message).join(' ')
}

test('each form of expansion gives what POSIX says', () => {
  const rows: readonly [value: string, text: string][] = [
    ['https://${HOST}/a', 'https://hive.example/a'],
    ['"${HOST}:${PORT:-4100}"', 'hive.example:4100'],
    ['${EMPTY-x}', ''],
    ['${EMPTY:-x}', 'x'],
    ['${NONE-x}', 'x'],
    ['${NONE:-${HOST:+${HOST}!}}', 'hive.example!'],
    ['${EMPTY:+x}y${NONE:+z}', 'y'],
    ["'${HOST}'", '${HOST}'],
    ['"\\${HOST}"', '${HOST}'],
    ["'a '${HOST}", 'a hive.example'],
    ['${HOST:?must be set}', 'hive.example'],
    ['${NONE}', 'X is built on NONE, and no layer sets that.'],
    ['${EMPTY:?say which}', 'X needs EMPTY, which is not set.'],
    ['a$HOST', 'X holds $HOST, which stays text without braces, though HOST is a variable.'],
    ['pa$sword$1$', 'pa$sword$1$'],
    ['`date`$(date)', '`date`$(date)'],
  ]
  for (const [value, text] of rows) assert.equal(textOf(value, 'HOST=hive.example'), text, value)
})

test('expansion sees the finished stack; a name that mentions itself gets what it hides', () => {
  const layers = [
    layerFromText('.env', 'BASE=http://a\nFEED=${BASE}/feed\nLIST=meadow'),
    layerFromText('.env.staging', 'BASE=http://b\nLIST=${LIST},orchard'),
    layerFromText('.env.local', 'LIST=${LIST},brook'),
  ]
  const found = survey(undefined, { stage: 'staging', layers })
  assert.deepEqual(Object.fromEntries(found.texts), {
    BASE: 'http://b',
    FEED: 'http://b/feed',
    LIST: 'meadow,orchard,brook',
  })
  const definition = legend({ BASE: { type: 'string', default: 'http://c' }, FEED: { type: 'string' } })
  const traced = survey(definition, { stage: 'test', layers: [layerFromText('.env', 'FEED=${BASE}/feed')] })
  assert.equal(traced.settings?.FEED, 'http://c/feed')
  assert.deepEqual(traced.trail('FEED').steps[0], {
    layer: '.env',
    source: 'file',
    place: { file: '.env', line: 1, column: 6, endColumn: 18 },
    shown: 'http://c/feed',
    parts: [{ name: 'BASE', layer: 'the legend', shown: 'http://c' }],
  })
})

test('cycles are named in order, and no text grows or nests without end', () => {
  const message = (text: string) =>
    survey(undefined, { stage: 'test', layers: [layerFromText('.env', text)] }).faults.map((fault) => fault.message)
  assert.deepEqual(message('A=${B}\nB=${C}x\nC=${A}')[0], 'A is built on itself: A → B → C → A.')
  assert.deepEqual(message('A=${A}'), ['A is built on A, and no layer sets that.'])
  const doubled = Array.from({ length: 60 }, (_, at) => `A${at}=\${A${at + 1}}\${A${at + 1}}`)
  assert.match(message([...doubled, `A60=${'x'.repeat(100)}`].join('\n'))[0] ?? '', /grows past 1 MiB/)
  const chained = Array.from({ length: 20_000 }, (_, at) => `A${at}=\${A${at + 1}}`)
  assert.match(message([...chained, 'A20000=x'].join('\n'))[0] ?? '', /built on more than 200 names/)
})

test('secrecy travels with expansion', () => {
  const definition = legend({
    TOKEN: { type: 'string', secret: true },
    FEED: { type: 'string', as: 'feed' },
    MAP: { type: 'string', reach: 'browser' },
  })
  const read = (text: string) => survey(definition, { stage: 'test', layers: [layerFromText('.env', text)] })
  const found = read('TOKEN=buckwheat\nFEED=https://x.example/?key=${INNER}\nINNER=${TOKEN}\nMAP=x')
  assert.equal(found.settings?.feed, 'https://x.example/?key=buckwheat')
  assert.equal(JSON.stringify(found.settings), '{"TOKEN":"(secret)","feed":"(secret)","MAP":"x"}')
  assert.ok(!JSON.stringify([...found.trails.values()]).includes('buckwheat'))
  const leaked = read('TOKEN=buckwheat\nFEED=x\nMAP=a${TOKEN}')
  assert.equal(leaked.faults[0]?.message, 'MAP may reach the browser, and is built on the secret TOKEN.')
  assert.ok(!reportText(leaked).includes('buckwheat'))
  const asked = read('TOKEN=buckwheat\nFEED=${NONE:?set it to ${TOKEN}}\nMAP=${NONE:?name the map}')
  assert.deepEqual(
    asked.faults.map(({ message }) => message),
    ['FEED needs NONE, which is not set.', 'MAP needs NONE, which is not set: name the map'],
  )
})

// -- the shell as the oracle -------------------------------------------------------------------------------------

const names = Array.from({ length: 6 }, (_, at) => `HIVE_${at}`)
const plain = fc.stringMatching(/^[A-Za-z0-9_.,:/@%+-]{0,8}$/)
const literal = fc.stringMatching(/^[A-Za-z0-9 .,:;#<>|&*?!()[\]{}\n\t"-]{0,12}$/).map((text) => `'${text}'`)

/** A line of the portable subset: names once each, in order, mentioning only those above or giving what stands in. */
const line = (at: number) => {
  const earlier = fc.constantFrom(...names.slice(0, Math.max(at, 1)))
  const word = fc.stringMatching(/^[A-Za-z0-9_.:/-]{0,5}$/)
  const always = fc
    .tuple(earlier, fc.constantFrom(':-', '-', ':+'), word)
    .map(([name, op, rest]) => `\${${name}${op}${rest}}`)
  const text = fc.stringMatching(/^[A-Za-z0-9 '.,:;#<>|&*?!()\n-]{0,8}$/)
  const escaped = fc.constantFrom('\\"', '\\\\', '\\$')
  const double = fc.array(fc.oneof(text, always, escaped), { maxLength: 4 }).map((parts) => `"${parts.join('')}"`)
  const bare = fc.tuple(fc.stringMatching(/^[A-Za-z0-9]{1,3}$/), fc.array(fc.oneof(plain, always), { maxLength: 3 }))
  const value = fc.oneof(
    bare.map(([head, rest]) => head + rest.join('')),
    literal,
    double,
    fc.tuple(double, literal, plain).map((parts) => parts.join('')),
  )
  const before = fc.constantFrom('', 'export ', '# a note\n', '\n')
  const after = fc.constantFrom('', ' # note', '  ')
  return fc.tuple(before, value, after).map(([head, text, tail]) => `${head}${names[at]}=${text}${tail}\n`)
}
const portable = fc.tuple(...names.map((_, at) => line(at))).map((lines) => lines.join(''))

const shell = '/bin/dash'
test('dash sources 2,000 files of the portable subset to the same names and bytes', {
  skip: !existsSync(shell) && 'there is no dash',
}, () => {
  const folder = mkdtempSync(join(tmpdir(), 'mappa-dash-'))
  try {
    const seed = Date.now()
    const texts = fc.sample(portable, { numRuns: 2000, seed })
    for (const [at, text] of texts.entries()) writeFileSync(join(folder, String(at)), text)
    const script = `i=0; while [ $i -lt ${texts.length} ]; do (set -a; . ./$i; exec /usr/bin/env -0); printf '\\0'; i=$((i+1)); done`
    const { stdout } = spawnSync(shell, ['-c', script], { cwd: folder, env: {}, maxBuffer: 1 << 28 })
    const sourced = stdout.toString().split('\0\0').slice(0, -1)
    assert.equal(sourced.length, texts.length)
    for (const [at, text] of texts.entries()) {
      const found = survey(undefined, { stage: 'test', layers: [layerFromText('.env', text)] })
      const expected = Object.fromEntries(
        (sourced[at] as string)
          .split('\0')
          .map((pair) => [pair.slice(0, pair.indexOf('=')), pair.slice(pair.indexOf('=') + 1)] as const)
          .filter(([name]) => name.startsWith('HIVE_')),
      )
      // What expands to nothing is not set, and what the shell sets to nothing is empty.
      const own = Object.fromEntries(names.map((name) => [name, found.texts.get(name) ?? '']))
      assert.deepEqual(
        own,
        { ...Object.fromEntries(names.map((name) => [name, ''])), ...expected },
        `seed ${seed}\n${text}`,
      )
      assert.deepEqual(found.faults, [], text)
    }
  } finally {
    rmSync(folder, { recursive: true, force: true })
  }
})
