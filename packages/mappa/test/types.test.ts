// What matters here is that it compiles: `npm test` checks the types, and an unused @ts-expect-error is an error.
import assert from 'node:assert/strict'
import { join } from 'node:path'
import test from 'node:test'
import { layerFromValues, legend, type SettingOf, type Settings, settleLayers } from 'mappa'
import ts from 'typescript-6'
import { top } from '../../../test/helpers.js'

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
  const settings = settleLayers(definition, { stage: 'staging', layers: [layerFromValues('given', { PORT: '4100' })] })
  same<Settings<typeof definition.entries>['collector'], Expected['collector']>(true)
  same<typeof settings.LEVEL, Expected['LEVEL']>(true)
  same<typeof settings.SIZE, Expected['SIZE']>(true)
  same<typeof settings.ALERTS, Expected['ALERTS']>(true)
  same<typeof settings.DROP, Expected['DROP']>(true)
  same<typeof settings.NOTE, Expected['NOTE']>(true)
  same<SettingOf<typeof definition.entries.DROP>, number | undefined>(true)
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
  legend(
    {
      A: { type: 'string', stages: { harvest: { optional: true } } },
      B: {
        type: 'string',
        stages: {
          // @ts-expect-error: the legend does not name this stage
          harvst: { optional: true },
        },
      },
      C: { type: 'duration', default: '1h 30m' },
      D: { type: 'bytes', default: '10MiB' },
      E: {
        type: 'duration',
        // @ts-expect-error: no duration
        default: '5 bees',
      },
      F: {
        type: 'bytes',
        // @ts-expect-error: no size
        default: '10MX',
      },
      G: {
        type: 'string',
        // @ts-expect-error: an empty step
        as: 'a..b',
      },
      // @ts-expect-error: no name of a variable
      'H-I': { type: 'string' },
      // @ts-expect-error: nor is this
      '2': { type: 'string' },
    },
    { stages: ['harvest'] },
  )
  legend({
    A: {
      type: 'string',
      // @ts-expect-error: another entry is seen there
      as: 'a.b',
    },
    B: {
      type: 'string',
      // @ts-expect-error: and that one too
      as: 'a.b',
    },
    c: { type: 'string' },
    D: {
      type: 'string',
      // @ts-expect-error: a name is a place, too
      as: 'c',
    },
  })
  const names: string[] = ['harvest']
  legend({ A: { type: 'string', stages: { harvest: { optional: true } } } }, { stages: names })
  legend({ A: { type: 'string', stages: { preview: {} } } }, { stages: { preview: { like: 'staging' } } })
  // @ts-expect-error: a default of another type
  legend({ A: { type: 'integer', default: 'x' } })
  // @ts-expect-error: no such type
  legend({ A: { type: 'hive' } })
})

test('an editor shows the comment above an entry where its setting is read', () => {
  const file = join(top, 'packages/mappa/test/hovered.ts')
  const text = `import { legend, settleLayers } from 'mappa'
const definition = legend({
  /** Where readings come from */
  FEED_URL: { type: 'string', format: 'uri' },
  COLLECTOR_PORT: { type: 'port', as: 'collector.port' },
})
const settings = settleLayers(definition, { stage: 'test', layers: [] })
settings.FEED_URL`
  const { sys } = ts
  const service = ts.createLanguageService({
    readFile: sys.readFile,
    fileExists: sys.fileExists,
    directoryExists: sys.directoryExists,
    getCurrentDirectory: () => top,
    getScriptFileNames: () => [file],
    getScriptVersion: () => '1',
    getScriptSnapshot: (name) => {
      const found = name === file ? text : sys.readFile(name)
      return found === undefined ? undefined : ts.ScriptSnapshot.fromString(found)
    },
    getCompilationSettings: () => ({
      strict: true,
      module: ts.ModuleKind.NodeNext,
      target: ts.ScriptTarget.ES2022,
      types: [],
    }),
    getDefaultLibFileName: ts.getDefaultLibFilePath,
  })
  const shown = service.getQuickInfoAtPosition(file, text.length - 2)
  assert.equal(ts.displayPartsToString(shown?.displayParts), '(property) FEED_URL: string')
  assert.equal(ts.displayPartsToString(shown?.documentation), 'Where readings come from')
})

const more = legend({
  WAIT: { type: 'duration', default: '5s' },
  SIZES: { type: 'array', items: { type: 'integer' }, optional: true },
  YARDS: { type: 'array', items: { type: 'string', enum: ['meadow', 'orchard'] } },
  PLAN: { type: 'object', as: 'plan' },
  SINCE: { type: 'string', read: (text) => new Date(text) },
  MAYBE: { type: 'integer', optional: true, read: (value) => value > 3 },
  PAIR: {
    type: 'string',
    schema: { '~standard': { version: 1, vendor: 'x', validate: () => ({ value: [1, 'a'] as [number, string] }) } },
  },
})

test('lists, amounts, objects, read and schema have their types too', () => {
  type S = Settings<typeof more.entries>
  same<S['WAIT'], number>(true)
  same<S['SIZES'], readonly number[] | undefined>(true)
  same<S['YARDS'], readonly ('meadow' | 'orchard')[]>(true)
  same<S['plan'], { readonly [Name in 'x']: Record<string, unknown> }['x']>(true)
  same<S['SINCE'], Date>(true)
  same<S['MAYBE'], boolean | undefined>(true)
  same<S['PAIR'], [number, string]>(true)
  // As validators declare themselves: the input is a type of its own.
  type Issue = { readonly message: string; readonly path?: readonly PropertyKey[] }
  type Length = {
    readonly '~standard': {
      readonly version: 1
      readonly vendor: string
      readonly validate: (value: unknown) => { value: number } | { issues: readonly Issue[] }
      readonly types?: { readonly input: string; readonly output: number }
    }
  }
  same<Settings<{ A: { type: 'string'; schema: Length } }>['A'], number>(true)
  legend(
    { A: { type: 'integer' } },
    {
      rules: {
        'A is above 3': ({ A }) => A > 3,
        // @ts-expect-error: no such setting
        'B is above 3': ({ B }) => B > 3,
      },
    },
  )
  legend({
    A: {
      type: 'array',
      items: {
        type: 'integer',
        // @ts-expect-error: not a word of these items
        pattern: 'a',
      },
    },
  })
  // @ts-expect-error: a list says what its items are
  legend({ A: { type: 'array' } })
  // @ts-expect-error: a word of texts
  legend({ A: { type: 'bytes', format: 'uri' } })
})
