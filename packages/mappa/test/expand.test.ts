import assert from 'node:assert/strict'
import { spawnSync } from 'node:child_process'
import { existsSync, mkdtempSync, openSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import test from 'node:test'
import fc from 'fast-check'
import { layerFromText, layerFromValues, legend, readLayer, reportText, surveyLayers } from 'mappa'
import { project, storedIn, top } from '../../../test/helpers.js'

const { answered } = storedIn('packages/mappa/test/stored')
const given = layerFromValues('the process environment', { HOST: 'hive.example', EMPTY: '' }, { source: 'environment' })
const textOf = (value: string, more = '') => {
  const found = surveyLayers(undefined, {
    stage: 'test',
    layers: [layerFromText('.env', `${more}\nX=${value}\n`), given],
  })
  return found.ok ? (found.texts.get('X') ?? '') : found.faults.map(({ message }) => message).join(' ')
}

test('each form of expansion gives what POSIX says', async () => {
  await answered('expansions', (value) => [`    ${textOf(value, 'HOST=hive.example')}`])
})

test('among several assignments in one file, each mention of itself gets the one above', () => {
  const layers = [layerFromText('.env', 'A=0'), layerFromText('.env.local', 'A=${A}1\nB=x\nA=${A}2\nA="${A}3"')]
  const found = surveyLayers(undefined, { stage: 'test', layers })
  assert.equal(found.texts.get('A'), '0123')
  const many = Array.from({ length: 5000 }, () => 'A=${A}x').join('\n')
  const deep = surveyLayers(undefined, { stage: 'test', layers: [layerFromText('.env', `A=\n${many}`)] })
  assert.deepEqual(
    deep.faults.map(({ kind }) => kind),
    ['too-deep'],
  )
})

test('cycles are named in order, and no text grows or nests without end', () => {
  const message = (text: string) =>
    surveyLayers(undefined, { stage: 'test', layers: [layerFromText('.env', text)] }).faults.map(
      (fault) => fault.message,
    )
  assert.deepEqual(message('A=${B}\nB=${C}x\nC=${A}')[0], 'A refers to itself: A → B → C → A.')
  assert.deepEqual(message('A=${A}'), ['A uses A, but no layer sets A.'])
  const doubled = Array.from({ length: 60 }, (_, at) => `A${at}=\${A${at + 1}}\${A${at + 1}}`)
  assert.match(message([...doubled, `A60=${'x'.repeat(100)}`].join('\n'))[0] ?? '', /is larger than 1 MiB/)
  const chained = Array.from({ length: 20_000 }, (_, at) => `A${at}=\${A${at + 1}}`)
  assert.match(message([...chained, 'A20000=x'].join('\n'))[0] ?? '', /chain of more than 200 variables/)
})

test('secrecy travels with expansion', () => {
  const definition = legend({
    TOKEN: { type: 'string', secret: true },
    FEED: { type: 'string', as: 'feed' },
    MAP: { type: 'string', reach: 'browser' },
  })
  const read = (text: string) => surveyLayers(definition, { stage: 'test', layers: [layerFromText('.env', text)] })
  const found = read('TOKEN=buckwheat\nFEED=https://x.example/?key=${INNER}\nINNER=${TOKEN}\nMAP=x')
  assert.equal(found.settings?.feed, 'https://x.example/?key=buckwheat')
  assert.equal(JSON.stringify(found.settings), '{"TOKEN":"(secret)","feed":"(secret)","MAP":"x"}')
  assert.ok(!JSON.stringify([...found.trails.values()]).includes('buckwheat'))
  const leaked = read('TOKEN=buckwheat\nFEED=x\nMAP=a${TOKEN}')
  assert.equal(leaked.faults[0]?.message, 'MAP reaches the browser, but uses the secret TOKEN.')
  assert.ok(!reportText(leaked).includes('buckwheat'))
  const asked = read('TOKEN=buckwheat\nFEED=${NONE:?set it to ${TOKEN}}\nMAP=${NONE:?name the map}')
  assert.deepEqual(
    asked.faults.map(({ message }) => message),
    ['FEED needs NONE, but it is not set.', 'MAP needs NONE, but it is not set: name the map'],
  )
})

// -- the shell as the oracle -------------------------------------------------------------------------------------

const names = Array.from({ length: 6 }, (_, at) => `HIVE_${at}`)
const plain = fc.stringMatching(/^[A-Za-z0-9_.,:/@%+-]{0,8}$/)
const literal = fc.stringMatching(/^[A-Za-z0-9 .,:;#<>|&*?!()[\]{}\n\t"-]{0,12}$/).map((text) => `'${text}'`)

/** A line of the portable subset: names once each, in order, mentioning only those above or giving what is in. */
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
const skip = !existsSync(shell) && 'there is no dash'

/** What dash makes of each text, sourced with `set -a` in an empty environment: the names that start so, and their bytes. */
function sourced(texts: readonly string[], lead: string): Record<string, string>[] {
  const folder = mkdtempSync(join(tmpdir(), 'mappa-dash-'))
  try {
    for (const [at, text] of texts.entries()) writeFileSync(join(folder, String(at)), text)
    const script = `i=0; while [ $i -lt ${texts.length} ]; do (set -a; . ./$i; exec /usr/bin/env -0) 2>&-; printf '=\\0'; i=$((i+1)); done`
    const { stdout } = spawnSync(shell, ['-c', script], { cwd: folder, env: {}, maxBuffer: 1 << 28 })
    return environments(stdout, lead)
  } finally {
    rmSync(folder, { recursive: true, force: true })
  }
}

/** Environments as `env -0` prints them, each with an equals sign alone behind it. */
function environments(output: Buffer, lead: string): Record<string, string>[] {
  const found: Record<string, string>[] = []
  let present: Record<string, string> = {}
  for (const pair of output.toString().split('\0')) {
    if (pair === '=') {
      found.push(present)
      present = {}
    } else if (pair.startsWith(lead)) present[pair.slice(0, pair.indexOf('='))] = pair.slice(pair.indexOf('=') + 1)
  }
  return found
}

test('dash and mappa with give the same names and bytes for 300 files of the portable subset', { skip }, async () => {
  const seed = Date.now()
  const texts = fc.sample(portable, { numRuns: 300, seed })
  const root = project({
    // The command itself, without a process of its own for each file.
    'run.mjs': `import { run } from ${JSON.stringify(join(top, 'packages/cli/dist/program.js'))}
      for (let at = 0; at < ${texts.length}; at++)
        await run(['with', '--root', String(at), '--', ${JSON.stringify(shell)}, '-c', '/usr/bin/env -0; printf "=\\\\0"'])`,
    ...Object.fromEntries(texts.map((text, at) => [`${at}/.env`, text])),
  })
  const output = openSync(join(root, 'output'), 'w')
  const { status } = spawnSync(process.execPath, ['run.mjs'], {
    cwd: root,
    env: {},
    stdio: ['ignore', output, 'inherit'],
  })
  assert.equal(status, 0)
  const own = environments(readFileSync(join(root, 'output')), 'HIVE_')
  const expected = sourced(texts, 'HIVE_')
  assert.deepEqual([own.length, expected.length], [texts.length, texts.length])
  for (const [at, text] of texts.entries()) assert.deepEqual(own[at], expected[at], `seed ${seed}\n${text}`)
})

test('what dash would read differently has a notice or a fault, and any value we write it reads', { skip }, () => {
  const seed = Date.now()
  const char = fc.constantFrom(...'ab1\t \'"\\$#;&|<>(){}`~*=:!?-\n', '${HIVE_A:-x}', '\r\n', 'HIVE_B=')
  const texts = fc.sample(
    fc.array(char, { maxLength: 8 }).map((chars) => `HIVE_A=1\nHIVE_B=${chars.join('')}\n`),
    { numRuns: 800, seed },
  )
  const read = sourced(texts, 'HIVE_')
  let silent = 0
  for (const [at, text] of texts.entries()) {
    const found = surveyLayers(undefined, { stage: 'test', layers: [layerFromText('.env', text)] })
    if (found.faults.length + found.notices.length > 0) continue
    silent++
    const own = { HIVE_A: '1', ...Object.fromEntries(found.texts) }
    assert.deepEqual(own, read[at], `seed ${seed}\n${text}`)
  }
  assert.ok(silent > 100, `only ${silent} were read without a word`)
  // In one environment a value is bytes, so lone surrogates are left out; a carriage return is an escape of ours.
  const values = fc.sample(
    fc.string({ unit: 'grapheme', maxLength: 12 }).filter((each) => !/[\0\r]/.test(each)),
    { numRuns: 1000, seed },
  )
  const more = fc.sample(
    fc.array(char, { maxLength: 8 }).map((chars) => chars.join('').replaceAll('\r', '')),
    { numRuns: 1000, seed },
  )
  const all = [...values, ...more]
  const written = all.map((value, at) => {
    const layer = readLayer(['HIVE_A=', "HIVE_A='x'", 'HIVE_A="x"'][at % 3] as string)
    layer.set('HIVE_A', value)
    return layer.toString()
  })
  for (const [at, found] of sourced(written, 'HIVE_').entries()) {
    const kept = at % 3 === 0 && !/^[\w./:@%+,=-]*$/.test(all[at] as string)
    if (!kept) assert.equal(found.HIVE_A, all[at], `seed ${seed}\n${written[at]}`)
  }
})

test('a mention gives what the name itself comes to, whichever layer is empty; what is cleared reaches a child as empty text', () => {
  const entries = {
    D: { type: 'string', default: 'd' },
    K: { type: 'string', empty: 'keep', default: 'k' },
    O: { type: 'string', optional: true },
    X: { type: 'string', optional: true },
  } as const
  const rows: readonly [
    low: string,
    high: string | undefined,
    host: Record<string, string>,
    own: string | undefined,
    x: string,
  ][] = [
    ['', undefined, {}, 'D=d', '${D}'],
    ['D=a', undefined, { D: '' }, 'D=a', '${D}'],
    ['D=a', 'D=', {}, 'D=d', '${D}'],
    ['', undefined, { D: '' }, 'D=d', '${D-x}'],
    ['K=a', 'K=', {}, 'K=', '${K-x}'],
    ['', undefined, { K: '' }, 'K=', '${K:+x}'],
    ['O=a', 'O=', {}, 'O=', '${O-x}'],
    ['O=a', undefined, { O: '' }, 'O=a', '${O}'],
    ['U=a', 'U=', {}, 'U=', '${U-x}'],
    ['U=a', undefined, { U: '' }, 'U=a', '${U}'],
    ['O=${D:+}', undefined, {}, 'O=', '${O}'],
  ]
  for (const [low, high, host, own = '', x] of rows) {
    const layers = [
      layerFromText('.env', `${low}\n`),
      ...(high === undefined ? [] : [layerFromText('.env.test', `${high}\n`)]),
      layerFromText('.env.local', `X="<${x}>"\n`),
      layerFromValues('the process environment', host, { source: 'environment' }),
    ]
    const found = surveyLayers({ entries, stages: [] }, { stage: 'test', layers })
    const [name = '', text] = own.split('=')
    assert.deepEqual(found.faults, [], `${low} ${high}`)
    assert.equal(found.texts.get(name), text, `${low} ${high}`)
    assert.equal(found.texts.get('X'), `<${text}>`, `${low} ${high} ${x}`)
  }
})
