import assert from 'node:assert/strict'
import test from 'node:test'
import { type Entries, type Legend, legend, legendFromJsonSchema, type StandardSchema, survey } from 'mappa'

/** A validator that speaks the Standard Schema interface. */
function validator(validate: StandardSchema['~standard']['validate']): StandardSchema {
  return { '~standard': { version: 1, vendor: 'apiary', validate } }
}

const contradictory: readonly [entries: object, sentence: RegExp][] = [
  [{ 'A-B': { type: 'string' } }, /cannot be a variable's name/],
  [{ A: 'string' }, /A must be an object of words/],
  [{ A: {} }, /A must have a type/],
  [{ A: { type: 'hive' } }, /A must have a type/],
  [{ A: { type: 'string', colour: 'red' } }, /word "colour", which no entry has/],
  [{ A: { type: 'boolean', minimum: 1 } }, /word minimum, which its type does not have/],
  [{ A: { type: 'string', minLength: '3' } }, /minLength of A must be a count/],
  [{ A: { type: 'string', secret: true, reach: 'browser' } }, /secret and reaches the browser/],
  [{ A: { type: 'string', secret: true, default: 'x' } }, /secret and has a default/],
  [{ A: { type: 'port', default: 70_000 } }, /default of A must be a port from 1 to 65535, and is 70000/],
  [{ A: { type: 'integer', enum: [1, 1.5] } }, /enum of A holds 1.5/],
  [{ A: { type: 'string', pattern: '(' } }, /pattern of A does not compile/],
  [{ A: { type: 'number', minimum: 2, maximum: 1 } }, /minimum of A is above its maximum/],
  [{ A: { type: 'array' } }, /A is a list, and must say in items/],
  [{ A: { type: 'array', items: { type: 'port' } } }, /A is a list, and must say in items/],
  [{ A: { type: 'array', items: { type: 'string', secret: true } } }, /word items\.secret, which its type/],
  [{ A: { type: 'array', items: { type: 'integer', pattern: 'a' } } }, /word pattern, which its type/],
  [
    { A: { type: 'array', items: { type: 'string' }, delimiter: '"' } },
    /delimiter of A must be characters that no item/,
  ],
  [
    { A: { type: 'array', items: { type: 'integer' }, default: ['a'] } },
    /default of A must be a list separated by commas, each item a whole number/,
  ],
  [
    { A: { type: 'array', items: { type: 'string' }, minItems: 2, maxItems: 1 } },
    /minItems of A is above its maxItems/,
  ],
  [{ A: { type: 'duration', default: '5 minutes' } }, /default of A must be a duration such as 90s or 1\.5h/],
  [{ A: { type: 'duration', minimum: 'soon' } }, /minimum of A must be a number, or of a duration/],
  [{ A: { type: 'bytes', minimum: '1GB', maximum: '1MB' } }, /minimum of A is above its maximum/],
  [{ A: { type: 'string', format: 'phone' } }, /format of A must be one of uri, email/],
  [{ A: { type: 'string', schemes: [] } }, /schemes of A must be a list of texts/],
  [{ A: { type: 'string', empty: true } }, /empty of A must be 'keep'/],
  [{ A: { type: 'string', generate: { bytes: 8, text: 'hex' } } }, /generate of A must be \{ bytes/],
  [{ A: { type: 'string', read: 'x' } }, /read of A must be a function/],
  [{ A: { type: 'string', schema: {} } }, /schema of A must be a validator/],
  [{ A: { type: 'string', read: String, schema: validator(() => ({ value: 1 })) } }, /both read and schema/],
  [{ A: { type: 'string', formerly: ['B'] }, B: { type: 'string' } }, /A was formerly B, which is a name of B too/],
  [
    { A: { type: 'string', formerly: ['C'] }, B: { type: 'string', formerly: ['C'] } },
    /B was formerly C, which is a name of A too/,
  ],
  [{ A: { type: 'string', as: 'a..b' } }, /names joined by dots/],
  [{ A: { type: 'string', as: 'a.then' } }, /JavaScript gives then a meaning/],
  [{ A: { type: 'string', as: 'x' }, B: { type: 'string', as: 'x' } }, /B is seen as x, which collides with where A/],
  [{ A: { type: 'string', as: 'x.y' }, B: { type: 'string', as: 'x' } }, /B is seen as x, which collides with where A/],
  [
    { A: { type: 'string', as: 'x' }, B: { type: 'string', as: 'x.y' } },
    /B is seen as x\.y, which collides with where A/,
  ],
  [
    { A: { type: 'string', stages: { harvest: { optional: true } } } },
    /stage "harvest", which the legend does not name/,
  ],
  [
    { A: { type: 'string', stages: { staging: { secret: true } } } },
    /word secret in stage staging, which must be the same/,
  ],
  [
    { A: { type: 'integer', maximum: 5, stages: { staging: { default: 9 } } } },
    /default of A in stage staging must be/,
  ],
]

test('a legend that contradicts itself is a fault that names the entry', () => {
  for (const [entries, sentence] of contradictory) {
    const definition: Legend = { entries: entries as Entries, stages: [] }
    const { ok, faults, settings } = survey(definition, { stage: 'development', layers: [] })
    assert.ok(!ok && settings === undefined)
    assert.match(faults.map(({ message }) => message).join('\n'), sentence)
    assert.ok(faults.every(({ kind, remedy }) => kind === 'legend' && remedy))
  }
  const stages = survey(legend({}, { stages: ['Harvest', 'local'] }), { stage: 'test', layers: [] })
  assert.equal(stages.faults.length, 2)
  const rules = { entries: {}, stages: [], rules: { x: 1 } } as unknown as Legend
  assert.match(survey(rules, { stage: 'test', layers: [] }).faults[0]?.message ?? '', /^rules of the legend must be/)
})

test('a JSON legend is a JSON Schema document with our words under x-mappa-', () => {
  const definition = legendFromJsonSchema({
    $schema: 'https://json-schema.org/draft/2020-12/schema',
    type: 'object',
    properties: {
      COLLECTOR_PORT: { type: 'integer', 'x-mappa-type': 'port', default: 4100, 'x-mappa-as': 'collector.port' },
      ALERT_TOKEN: {
        type: 'string',
        'x-mappa-secret': true,
        'x-mappa-stages': { harvest: { 'x-mappa-optional': true } },
      },
      NOTE: { type: 'string' },
    },
    required: ['ALERT_TOKEN'],
    'x-mappa-stages': ['harvest'],
  })
  assert.deepEqual(definition.stages, ['harvest'])
  assert.deepEqual(
    { ...definition.entries },
    {
      COLLECTOR_PORT: { type: 'port', default: 4100, as: 'collector.port' },
      ALERT_TOKEN: { type: 'string', secret: true, stages: { harvest: { optional: true } } },
      NOTE: { type: 'string', optional: true },
    },
  )
  assert.equal(survey(definition, { stage: 'harvest', layers: [] }).ok, true)
  assert.equal(survey(definition, { stage: 'staging', layers: [] }).ok, false)
  for (const wrong of [null, [], {}, { properties: [] }, { properties: { A: 1 } }, legend({})])
    assert.throws(() => legendFromJsonSchema(wrong), TypeError)
})
