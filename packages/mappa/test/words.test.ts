import assert from 'node:assert/strict'
import test from 'node:test'
import { inspect } from 'node:util'
import fc from 'fast-check'
import {
  type Legend,
  layerFromText,
  layerFromValues,
  legend,
  reveal,
  type StandardResult,
  type StandardSchema,
  settleLayers,
  surveyLayers,
  surveyLayersAsync,
  toJsonSchema,
} from 'mappa'
import { settingsFor } from 'mappa/testing'
import { storedIn } from '../../../test/helpers.js'

const { answered } = storedIn('packages/mappa/test/stored')

function validator<Output>(
  validate: (value: unknown) => StandardResult<Output> | Promise<StandardResult<Output>>,
): StandardSchema<unknown, Output> {
  return { '~standard': { version: 1, vendor: 'apiary', validate } }
}

const file = (text: string) => layerFromText('.env', text)

test('read and schema make what code sees, and what they refuse is a fault that shows no secret', async () => {
  const far = validator(async (value) => (value === 'far' ? { value: 7 } : { issues: [{ message: `no ${value}` }] }))
  const definition = legend({
    SINCE: { type: 'string', format: 'date', read: (text) => new Date(`${text}T00:00:00Z`), default: '2026-05-20' },
    HIVES: { type: 'array', items: { type: 'string' }, read: (names) => new Set(names), default: ['meadow'] },
    PAIR: { type: 'string', schema: validator((value) => ({ value: [value, 1] as const })), default: 'a' },
    FAR: { type: 'string', schema: far, default: 'far' },
  })
  const found = await surveyLayersAsync(definition, { stage: 'test', layers: [] })
  const { SINCE, HIVES, PAIR, FAR } = found.settings as NonNullable<typeof found.settings>
  assert.deepEqual([SINCE.getUTCDate(), HIVES.has('meadow'), PAIR[0], FAR + 1], [20, true, 'a', 8])
  assert.equal(surveyLayers(definition, { stage: 'test', layers: [] }).faults[0]?.kind, 'needs-waiting')
  assert.match(
    (await surveyLayersAsync(definition, { stage: 'test', layers: [file('FAR=away\n')] })).faults[0]?.message ?? '',
    /^The schema of FAR rejects its value: no away$/,
  )
  const rejects = legend({
    A: { type: 'string', schema: validator(() => Promise.reject(new Error('away'))), default: '' },
  })
  assert.match((await surveyLayersAsync(rejects, { stage: 'test', layers: [] })).faults[0]?.message ?? '', /: away$/)

  const refuse = (value: string) => {
    throw new Error(`cannot take ${value}`)
  }
  const strict = legend({
    NOTE: { type: 'string', read: refuse },
    TOKEN: { type: 'string', secret: true, read: refuse },
    KEY: { type: 'string', secret: true, schema: validator((value) => ({ issues: [{ message: `no ${value}` }] })) },
    LATE: { type: 'string', read: async () => 1 },
    PAGE: { type: 'string', reach: 'browser', read: () => new Map() },
  })
  const { faults } = surveyLayers(strict, {
    stage: 'test',
    layers: [file('NOTE=clover\nTOKEN=heather-7731\nKEY=heather-7731\nLATE=x\nPAGE=x\n')],
  })
  assert.deepEqual(
    faults.map(({ kind, message, place }) => `${place?.line} ${kind} ${message}`),
    [
      '1 read-failed The function "read" of NOTE failed on its value: cannot take clover',
      '2 read-failed The function "read" of TOKEN failed on its value.',
      '3 schema-issue The schema of KEY rejects its value.',
      '4 read-failed The function "read" of LATE failed on its value: It returned a promise, but must return its result at once.',
      '5 not-plain PAGE reaches the browser, so it must be plain JSON data after "read" or "schema", but is not.',
    ],
  )
  assert.ok(!JSON.stringify(faults).includes('heather'))
})

test('rules span entries, name what they read, and wait until that is right', () => {
  const definition = legend(
    {
      ALERTS: { type: 'boolean', default: false, as: 'alert.enabled' },
      TOKEN: { type: 'string', secret: true, optional: true, as: 'alert.token' },
      LEAST: { type: 'integer', default: 1 },
      MOST: { type: 'integer', default: 9 },
    },
    {
      rules: {
        'An alert needs a token.': ({ alert }) => !alert.enabled || alert.token !== undefined,
        'LEAST is not above MOST': ({ LEAST, MOST }) => LEAST <= MOST,
        'It never fails.': ({ alert }) => {
          if (alert.token === 'boom-clover') throw new Error(`on ${alert.token}`)
          return true
        },
      },
    },
  )
  const told = (text: string) =>
    surveyLayers(definition, { stage: 'test', layers: [file(text)] }).faults.map(
      ({ kind, message, remedy, place }) => `${kind} ${message} ${remedy} ${place?.line}`,
    )
  assert.deepEqual(told('LEAST=2\n'), [])
  assert.deepEqual(told('ALERTS=yes\n'), [
    'rule An alert needs a token. Change one of: ALERTS (.env:1), TOKEN (not set). 1',
  ])
  assert.deepEqual(told('MOST=3\nLEAST=5\n'), [
    'rule LEAST is not above MOST. Change one of: LEAST (.env:2), MOST (.env:1). 2',
  ])
  assert.match(told('LEAST=five\nMOST=0\n').join('|'), /^wrong-type [^|]*$/)
  assert.deepEqual(told('TOKEN=boom-clover\n'), [
    'rule It never fails. The rule failed. Correct the rule, or change one of: TOKEN (.env:1). 1',
  ])
})

test('former names are read with a notice, empty text is kept where it is asked for, deprecated names are told', () => {
  const definition = legend({
    FEED_URL: { type: 'string', formerly: ['FEED', 'OLD_FEED'], optional: true },
    NOTE: { type: 'string', empty: 'keep', default: 'none' },
    LIST: { type: 'array', items: { type: 'string' }, empty: 'keep', optional: true },
    GONE: { type: 'string', deprecated: true, description: 'Take FEED_URL instead.', optional: true },
  })
  const of = (lower: string, upper = '', host: Record<string, string> = {}) =>
    surveyLayers(definition, {
      stage: 'test',
      layers: [
        file(lower),
        layerFromText('.env.test', upper),
        layerFromValues('the process environment', host, { source: 'environment' }),
      ],
    })
  const feeds: readonly [string, string, Record<string, string>, string | undefined][] = [
    ['FEED=a\n', '', {}, 'a'],
    ['OLD_FEED=a\n', 'FEED=b\n', {}, 'b'],
    ['FEED_URL=c\nFEED=a\n', '', {}, 'c'],
    ['FEED_URL=c\n', 'FEED=b\n', {}, 'b'],
    ['FEED_URL=c\n', '', { OLD_FEED: 'd' }, 'd'],
    ['FEED=a\n', 'FEED_URL=\n', {}, undefined],
    ['NOTE=x${FEED_URL}\nFEED=a\n', '', {}, 'a'],
  ]
  for (const [lower, upper, host, expected] of feeds)
    assert.equal(of(lower, upper, host).settings?.FEED_URL, expected, JSON.stringify([lower, upper, host]))
  assert.equal(of('NOTE=x${FEED_URL}\nFEED=a\n').settings?.NOTE, 'xa')
  const old = of('FEED=a\nGONE=1\n')
  assert.deepEqual(
    old.notices.map(({ kind, message, remedy }) => `${kind} ${message} ${remedy}`),
    [
      'deprecated GONE is deprecated, but .env sets it. Take FEED_URL instead.',
      'former-name FEED is now called FEED_URL, but .env still sets the old name. Rename it to FEED_URL.',
    ],
  )
  const [step] = old.trail('FEED_URL').steps
  assert.deepEqual([step?.as, step?.place?.line, step?.shown], ['FEED', 1, 'a'])
  const kept = of('NOTE=\nLIST=\n').settings
  assert.deepEqual([kept?.NOTE, kept?.LIST], ['', []])
  assert.equal(of('', '', { NOTE: '' }).settings?.NOTE, '')
})

test('slips that are right by their entry are caught: placeholders, keys of another stage, secrets to be guessed', async () => {
  const definition = legend({
    TOKEN: { type: 'string', secret: true, optional: true, generate: { bytes: 32, text: 'hex' } },
    TILE: { type: 'string', reach: 'browser', optional: true },
    NOTE: { type: 'string', optional: true },
    FEED: { type: 'string', optional: true, schemes: ['https'] },
    FEEDS: { type: 'array', optional: true, items: { type: 'string', format: 'uri' } },
  })
  await answered('unwise', (given) => {
    const [, stage = '', text = ''] = /^(\S+) (.*)$/.exec(given) ?? []
    const { faults, notices } = surveyLayers(definition, { stage, layers: [file(`${text}\n`)] })
    assert.ok(!/hunter2|wax-77|password1234/.test(JSON.stringify([faults, notices])), text)
    return [...faults, ...notices].map(({ kind, message }) => `    ${kind}: ${message}`)
  })
  assert.match(
    surveyLayers(legend({ KEY: { type: 'string', secret: true, generate: { bytes: 32, text: 'hex' } } }), {
      stage: 'development',
      layers: [],
    }).faults[0]?.remedy ?? '',
    /^Write KEY=… in \.env\.local \(only this machine\)\. Run: node -p "'KEY=' \+ .*\(32\).*"$/,
  )
})

test('no text and no legend makes survey throw', () => {
  const word = fc.constantFrom(
    ...['type', 'items', 'default', 'enum', 'stages', 'formerly', 'as', 'read', 'schema', 'pattern', 'format'],
    ...['minimum', 'maximum', 'delimiter', 'schemes', 'empty', 'secret', 'reach', 'generate', 'examples', 'optional'],
  )
  const type = fc.constantFrom('string', 'port', 'number', 'duration', 'bytes', 'pem', 'array', 'object', 'boolean')
  const value = fc.oneof(
    type,
    fc.anything(),
    fc.constantFrom('(', ';', '5s', { type: 'string' }, ['A'], () => 1, 'browser'),
  )
  const entry = fc
    .tuple(type, fc.dictionary(word, value, { maxKeys: 3 }))
    .map(([type, words]) => ({ type, items: { type: 'integer' }, ...words }))
  const legends = fc.record({
    entries: fc.dictionary(
      fc.constantFrom('A', 'B', '__proto__', 'C-D'),
      fc.oneof({ weight: 5, arbitrary: entry }, fc.anything()),
    ),
    stages: fc.constantFrom([], ['harvest']),
    rules: fc.constantFrom(undefined, { x: () => false }, 7),
  })
  const text = fc.array(fc.tuple(fc.constantFrom('A', 'B'), fc.string({ maxLength: 12 })).map((pair) => pair.join('=')))
  const tried = { all: 0, sound: 0 }
  fc.assert(
    fc.property(legends, text, fc.constantFrom('test', 'production', 'harvest'), (definition, lines, stage) => {
      const found = surveyLayers(definition as unknown as Legend, { stage, layers: [file(lines.join('\n'))] })
      tried.all++
      if (found.ok) tried.sound++
      JSON.stringify([found.faults, found.notices, [...found.trails], found.settings])
      if (found.ok) toJsonSchema(definition as unknown as Legend)
    }),
    { numRuns: 1500 },
  )
  assert.ok(tried.all < 1000 || tried.sound > 10, `${tried.sound} of ${tried.all} are sound`)
})

test('hidden values stay hidden in lists and objects too', () => {
  const definition = legend({
    KEYS: { type: 'array', items: { type: 'string' }, secret: true },
    PLAN: { type: 'object', secret: true, as: 'plan' },
  })
  const text = 'KEYS=heather,clover\nPLAN=\'{"key":"heather"}\'\n'
  const settings = settleLayers(definition, { stage: 'test', layers: [file(text)] })
  assert.deepEqual([settings.KEYS[1], settings.plan.key], ['clover', 'heather'])
  for (const shown of [inspect(settings), JSON.stringify(settings), JSON.stringify({ ...settings })])
    assert.ok(!/heather|clover/.test(shown), shown)
  assert.equal(reveal(settings).plan.key, 'heather')
})

test('settings for a test come from given values alone, and what was not given throws where it is read', () => {
  const definition = legend({
    PORT: { type: 'port', as: 'collector.port' },
    WAIT: { type: 'duration', default: '5s' },
    TOKEN: { type: 'string', secret: true, as: 'alert.token' },
    HIVES: { type: 'array', items: { type: 'string' }, optional: true },
  })
  process.env.TOKEN = 'from-the-host'
  const settings = settingsFor(definition, { PORT: 4100, HIVES: ['a,b', 'c'] })
  assert.deepEqual([settings.collector.port, settings.WAIT, settings.HIVES], [4100, 5000, ['a,b', 'c']])
  assert.throws(() => settings.alert.token, /^TypeError: The test reads TOKEN, but was given no value for it\.$/)
  assert.deepEqual(JSON.parse(JSON.stringify(settings)).alert, {})
  assert.equal(settingsFor(definition, { PORT: '1', TOKEN: 'x', WAIT: 7 }, { stage: 'staging' }).WAIT, 7)
  assert.throws(() => settingsFor(definition, { PORT: 0 }), /PORT in the test is 0, but must be at least 1/)
  // @ts-expect-error: no such variable
  assert.throws(() => settingsFor(definition, { PRT: 1 }), /was given PRT, which is not in the legend/)
  // @ts-expect-error: a port is not a list
  assert.throws(() => settingsFor(definition, { PORT: [1, 2] }), /PORT must be a port/)
  delete process.env.TOKEN
})
