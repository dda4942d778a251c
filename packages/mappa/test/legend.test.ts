import assert from 'node:assert/strict'
import test from 'node:test'
import { legendFromJsonSchema, survey } from 'mappa'

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
})
