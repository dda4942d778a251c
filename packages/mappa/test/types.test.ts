// What matters here is that it compiles: `npm test` checks the types, and an unused @ts-expect-error is an error.
import assert from 'node:assert/strict'
import test from 'node:test'
import { layerFromValues, legend, type Settings, settle } from 'mappa'

type Same<A, B> = (<T>() => T extends A ? 1 : 2) extends <T>() => T extends B ? 1 : 2 ? true : false
const same = <A, B>(_: Same<A, B>) => undefined

const definition = legend({
  PORT: { type: 'port', as: 'collector.port' },
  HOST: { type: 'string', default: 'localhost', as: 'collector.host' },
  LEVEL: { type: 'string', enum: ['debug', 'info'], default: 'info' },
  SIZE: { type: 'integer', enum: [1, 2], optional: true },
  ALERTS: { type: 'boolean', stages: { staging: { optional: true } } },
  DROP: { type: 'number', optional: true, stages: { production: { optional: false } } },
  NOTE: { type: 'string', optional: true, default: '' },
})
type Expected = {
  readonly collector: { readonly port: number; readonly host: string }
  readonly LEVEL: 'debug' | 'info'
  readonly SIZE: 1 | 2 | undefined
  readonly ALERTS: boolean | undefined
  readonly DROP: number | undefined
  readonly NOTE: string
}

test('settings have exactly the types that the legend gives them', () => {
  const settings = settle(definition, { stage: 'staging', layers: [layerFromValues('given', { PORT: '4100' })] })
  same<Settings<typeof definition.entries>['collector'], Expected['collector']>(true)
  same<typeof settings.LEVEL, Expected['LEVEL']>(true)
  same<typeof settings.SIZE, Expected['SIZE']>(true)
  same<typeof settings.ALERTS, Expected['ALERTS']>(true)
  same<typeof settings.DROP, Expected['DROP']>(true)
  same<typeof settings.NOTE, Expected['NOTE']>(true)
  const expected: Expected = settings
  assert.deepEqual(
    { ...expected, collector: { ...expected.collector } },
    {
      collector: { port: 4100, host: 'localhost' },
      LEVEL: 'info',
      SIZE: undefined,
      ALERTS: undefined,
      DROP: undefined,
      NOTE: '',
    },
  )
  // @ts-expect-error: no such setting
  settings.collector.prt
  // @ts-expect-error: settings cannot be assigned
  assert.throws(() => (settings.collector.port = 1))
})

test('a wrong word is an error on its own line', () => {
  legend({
    A: {
      type: 'string',
      // @ts-expect-error: no such word
      minLenght: 3,
    },
  })
  legend({
    A: {
      type: 'boolean',
      // @ts-expect-error: not a word of this type
      minimum: 3,
    },
  })
  legend({
    A: {
      type: 'string',
      secret: true,
      // @ts-expect-error: a secret cannot reach the browser
      reach: 'browser',
    },
  })
  legend({
    A: {
      type: 'string',
      enum: ['a', 'b'],
      // @ts-expect-error: not in the enum
      default: 'c',
    },
  })
  legend({
    A: {
      type: 'string',
      secret: true,
      // @ts-expect-error: a secret cannot have a default
      default: 'x',
    },
  })
  legend({
    A: {
      type: 'string',
      stages: {
        staging: {
          // @ts-expect-error: the same in all stages
          reach: 'browser',
        },
      },
    },
  })
  // @ts-expect-error: a default of another type
  legend({ A: { type: 'integer', default: 'x' } })
  // @ts-expect-error: no such type
  legend({ A: { type: 'hive' } })
})
