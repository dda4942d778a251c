// Three validators that know nothing of each other say what the words of JSON Schema mean; Mappa must do what most of them do.
import assert from 'node:assert/strict'
import test from 'node:test'
import { type Schema, Validator } from '@cfworker/json-schema'
import { Ajv2020 } from 'ajv/dist/2020.js'
import formatsFor from 'ajv-formats'
import fc from 'fast-check'
import jsonschema from 'jsonschema'
import { type Entries, type Legend, layerFromValues, legendFromJsonSchema, surveyLayers, toJsonSchema } from 'mappa'

const ajv = new Ajv2020({ strict: false, multipleOfPrecision: 9 })
;(formatsFor as unknown as (ajv: Ajv2020) => void)(ajv)

/** Whether most of the three accept a value. */
function mostAccept(schema: object, value: unknown): boolean {
  const votes = [
    ajv.validate(schema, value),
    new Validator(schema as Schema, '2020-12').validate(value).valid,
    jsonschema.validate(value, schema).valid,
  ]
  return votes.filter(Boolean).length >= 2
}

const count = fc.integer({ min: 0, max: 6 })
const number = fc.oneof(fc.integer({ min: -20, max: 20 }), fc.constantFrom(0.5, -1.25, 1e21, 4100, 65536, 2 ** 53))
const text = fc.oneof(
  fc.string({ unit: 'grapheme', maxLength: 8 }),
  fc.constantFrom('hive', '', '🐝🐝', 'a'.repeat(70), 'true', '-1', ' x '),
)
const pattern = fc.constantFrom('^h', '^\\p{L}+$', 'a|b', '^.{2}$', '^(?!x)')

/** Constraints of each type, a lower limit never above its upper one. */
const words = {
  string: fc.record(
    {
      minLength: count,
      maxLength: count.map((most) => most + 6),
      pattern,
      enum: fc.uniqueArray(text, { minLength: 1, maxLength: 3 }),
    },
    { requiredKeys: [] },
  ),
  number: fc.record(
    {
      minimum: number.map((least) => Math.min(least, 0)),
      maximum: number.map((most) => Math.max(most, 0)),
      exclusiveMinimum: fc.integer({ min: -9, max: 3 }),
      exclusiveMaximum: fc.integer({ min: -3, max: 9 }),
      multipleOf: fc.constantFrom(0.5, 1, 3),
      enum: fc.uniqueArray(
        number.filter((each) => Math.abs(each) < 2 ** 53),
        { minLength: 1, maxLength: 3 },
      ),
    },
    { requiredKeys: [] },
  ),
}
const scalar = fc.oneof(
  words.string.map((own) => ({ type: 'string', ...own })),
  words.number.map((own) => ({ type: 'number', ...own })),
  words.number.map(({ enum: allowed, ...own }) => ({
    type: 'integer',
    ...own,
    ...(allowed?.some(Number.isSafeInteger) && { enum: allowed.filter(Number.isSafeInteger) }),
  })),
  fc.constant({ type: 'boolean' }),
)
const schema = fc.oneof(
  { weight: 3, arbitrary: scalar },
  fc.record(
    {
      type: fc.constant('array'),
      items: scalar,
      minItems: count,
      maxItems: count.map((most) => most + 6),
      uniqueItems: fc.boolean(),
    },
    { requiredKeys: ['type', 'items'] },
  ),
  fc.constant({ type: 'object' }),
)
const scalars = fc.oneof(text, number, fc.boolean())
const value = fc.oneof(
  { weight: 3, arbitrary: scalars },
  fc.array(scalars, { maxLength: 4 }),
  fc.dictionary(fc.constantFrom('a', 'b'), scalars),
)

/** A value as the text that says it. */
function written(value: unknown): string {
  return typeof value === 'string' ? value : JSON.stringify(value)
}

function accepts(entry: object, given: string): boolean {
  const definition = { entries: { A: { ...entry, empty: 'keep' } }, stages: [] } as unknown as Legend
  const { ok, faults } = surveyLayers(definition, { stage: 'test', layers: [layerFromValues('given', { A: given })] })
  assert.ok(
    faults.every(({ kind }) => kind !== 'legend'),
    JSON.stringify([entry, faults]),
  )
  return ok
}

/** What a text says to an entry of a type, which is where being text makes a difference. */
function meant(type: string, value: unknown): unknown {
  const given = written(value)
  if (type === 'string') return given
  try {
    return JSON.parse(given)
  } catch {
    return given
  }
}

test('values are accepted and refused as most validators accept and refuse them', () => {
  const tried = { all: 0, accepted: 0 }
  fc.assert(
    fc.property(schema, value, (entry, given) => {
      const { type } = entry as { type: string }
      const own = meant(type, given)
      // These differences come from everything being text, and are in docs/legend.md.
      fc.pre(type !== 'boolean' || !/^(?:1|0|yes|no|on|off)$/i.test(written(given)))
      fc.pre(
        !/^(?:number|integer)$/.test(type) || /^-?[0-9]+(?:\.[0-9]+)?$/.test(written(given)) || typeof own !== 'number',
      )
      fc.pre([own].flat().every((each) => !Number.isInteger(each) || Number.isSafeInteger(each)))
      fc.pre(type !== 'array' || Array.isArray(own))
      fc.pre(!/^\s|\s$/.test(written(given)) || type === 'string')
      const expected = mostAccept(entry, own)
      tried.all++
      if (expected) tried.accepted++
      assert.equal(accepts(entry, written(given)), expected, `${JSON.stringify(entry)} ${JSON.stringify(own)}`)
    }),
    { numRuns: 1500 },
  )
  assert.ok(tried.all < 1000 || tried.accepted > 50, `${tried.accepted} of ${tried.all} were accepted`)
})

test('multiples are exact, also of large numbers and of fractions as people write them', () => {
  const digits = fc.bigInt({ min: -(2n ** 53n) + 1n, max: 2n ** 53n - 1n })
  fc.assert(
    fc.property(digits, fc.integer({ min: 1, max: 1_000_000 }), fc.nat({ max: 6 }), (whole, step, places) => {
      // Both with as many places behind the point, so that whole numbers decide.
      const shown = (value: bigint) => {
        const all = String(value < 0n ? -value : value).padStart(places + 1, '0')
        return `${value < 0n ? '-' : ''}${places === 0 ? all : `${all.slice(0, -places)}.${all.slice(-places)}`}`
      }
      fc.pre(places === 0 || String(whole).length < 15)
      const entry = { type: 'number', multipleOf: Number(shown(BigInt(step))) }
      assert.equal(accepts(entry, shown(whole)), whole % BigInt(step) === 0n, `${shown(whole)} of ${entry.multipleOf}`)
    }),
    { numRuns: 1000 },
  )
})

/** Texts near each format: right ones, and those that a slip makes of them. */
const formats: Readonly<Record<string, readonly string[]>> = {
  uri: ['https://a.example/b?c=d#e', 'mailto:a@b.example', 'urn:isbn:1', 'http://[::1]:80/', 'a:b', 'https://a b'],
  email: ['bee@hill.example', "o'neil+x@hill.co.example", 'a.b@c.example', 'bee@hill'],
  hostname: ['hill.example', 'a', 'x-1.example', `${'a'.repeat(63)}.b`, `${'a'.repeat(64)}.b`],
  ipv4: ['127.0.0.1', '255.255.255.255', '256.1.1.1', '01.2.3.4', '1.2.3'],
  ipv6: ['::1', '::', 'fe80::1:2', '1:2:3:4:5:6:7:8', '::ffff:1.2.3.4', '1:2:3:4:5:6:7::', '1::2::3', '12345::'],
  date: '2026-02-28 2024-02-29 2023-02-29 1900-02-29 2000-02-29 2026-04-31 2026-13-01 2026-00-10'.split(' '),
  'date-time': [
    '2026-05-20T08:30:00Z',
    '2026-05-20t08:30:00.5+02:00',
    '2016-12-31T23:59:60Z',
    '2016-12-31T22:59:60-01:00',
    '2026-05-20 08:30:00Z',
  ],
  uuid: ['2f6e2b2e-6c6a-4b2e-9a55-0a1b2c3d4e5f', 'urn:uuid:2F6E2B2E-6C6A-4B2E-9A55-0A1B2C3D4E5F'],
  regex: ['^a+$', '(', '\\p{L}', '[a-', 'a{2,1}', '\\-'],
}

test('formats are those of most validators, also after a slip', () => {
  const slip = fc.tuple(
    fc.nat({ max: 30 }),
    fc.constantFrom('', '0', '9', 'a', 'Z', '-', '.', ':', '@', '/', ' ', '%', 'é'),
    fc.boolean(),
  )
  const skipped = new Set<string>()
  for (const [format, right] of Object.entries(formats)) {
    fc.assert(
      fc.property(fc.constantFrom(...right), fc.array(slip, { maxLength: 2 }), (start, slips) => {
        const given = slips.reduce(
          (now, [at, char, cut]) => now.slice(0, at) + char + now.slice(at + (cut ? 1 : 0)),
          start,
        )
        if (known(format, given)) {
          skipped.add(format)
          return
        }
        const expected = mostAccept({ type: 'string', format }, given)
        assert.equal(accepts({ type: 'string', format }, given), expected, `${format} ${JSON.stringify(given)}`)
      }),
      { numRuns: 400 },
    )
  }
  const looser = ['date-time', 'email', 'ipv4', 'regex', 'uri']
  assert.deepEqual(
    [...skipped].filter((format) => !looser.includes(format)),
    [],
  )
})

/** Where they are looser than the standard, or than what can be opened; docs/legend.md names these. */
function known(format: string, given: string): boolean {
  // What cannot stand between // and the path, it takes for the path.
  if (format === 'uri') return !URL.canParse(given) || /[^\x20-\x7e]|:\/(?!\/).*\[|:\/\/[^/?#]*@[^/?#]*@/.test(given)
  if (format === 'ipv4') return /(?:^|\.)0\d/.test(given)
  if (format === 'date-time') return given[10] === ' '
  if (format === 'regex') return compiles(given, '') !== compiles(given, 'u') || /\\Z/.test(given)
  return format === 'email' && !/@[^@]*\.[^@]*$/.test(given)
}

function compiles(pattern: string, flags: string): boolean {
  try {
    return Boolean(new RegExp(pattern, flags))
  } catch {
    return false
  }
}

/** Legends of every word that JSON can hold. */
const entry = fc.oneof(
  scalar,
  fc.constantFrom(
    { type: 'port', default: 4100, as: 'collector.port', minimum: 1 },
    { type: 'duration', default: '90s', minimum: 1000, maximum: '1h' },
    { type: 'bytes', default: 512, formerly: ['OLD_SIZE'], deprecated: true },
    { type: 'pem', secret: true, file: true, obtain: 'the wiki' },
    {
      type: 'array',
      items: { type: 'string', format: 'uri', schemes: ['https'] },
      delimiter: ';',
      default: ['https://a.example'],
    },
    { type: 'object', default: { a: 1 }, description: 'Anything' },
    { type: 'string', secret: true, generate: { bytes: 32, text: 'hex' }, empty: 'keep', optional: true },
    { type: 'string', reach: 'browser', format: 'email', examples: ['a@b.example'], optional: false },
    { type: 'integer', stages: { staging: { minimum: 3, optional: true }, harvest: { default: 7 } } },
    { type: 'duration', stages: { staging: { default: '5m' } } },
  ),
)

test('a legend as JSON Schema and back loses nothing, and is a document of 2020-12', () => {
  const names = fc.constantFrom('HIVES', 'FEED_URL', 'X', 'LOG_LEVEL')
  fc.assert(
    fc.property(fc.dictionary(names, entry), fc.boolean(), (entries, top) => {
      const options = { stages: ['harvest'], ...(top && { topLayers: true, directories: ['secrets'] }) }
      const definition = { entries: entries as unknown as Entries, ...options }
      const document = JSON.parse(JSON.stringify(toJsonSchema(definition)))
      assert.ok(ajv.validateSchema(document), JSON.stringify([document, ajv.errors]))
      const back = legendFromJsonSchema(document)
      assert.deepEqual(JSON.parse(JSON.stringify(back)), JSON.parse(JSON.stringify(definition)))
    }),
    { numRuns: 500 },
  )
})
