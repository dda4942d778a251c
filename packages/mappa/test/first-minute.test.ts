// The slips of the first minute: a wrong door, no argument, a legend where layers are meant. Each is answered by a sentence.
import assert from 'node:assert/strict'
import test from 'node:test'
import * as core from 'mappa'
import * as etcd from 'mappa/etcd'
import * as node from 'mappa/node'
import * as page from 'mappa/page'
import * as testing from 'mappa/testing'
import { project } from '../../../test/helpers.js'

const definition = core.legend({ A: { type: 'string', default: 'x' } })
const layer = core.layerFromText('.env', 'A=1\n')
type Call = (...given: unknown[]) => unknown

test('what everyone tries first says what to write', () => {
  const verbs: Readonly<Record<string, unknown>> = { ...core, ...testing }
  const rows: readonly (readonly [call: unknown, given: readonly unknown[], sentence: RegExp])[] = [
    [
      core.settle,
      [definition],
      /'mappa' cannot read them\. Write: import \{ settle \} from 'mappa\/node'\..* settleLayers/,
    ],
    [core.survey, [definition], /import \{ survey \} from 'mappa\/node'\..* surveyLayers/],
    [core.watch, [definition], /import \{ watch \} from 'mappa\/node'\.$/],
    [core.settleLayers, [], /takes a legend first, but got nothing/],
    [core.settleLayers, [[layer]], /takes a legend first, but got a list/],
    [core.settleLayers, [layer], /takes a legend first, but got a layer/],
    [
      core.settleLayers,
      [definition],
      /takes options as an object, but got nothing\. Write: settleLayers\(definition, \{/,
    ],
    [core.settleLayers, [definition, definition], /but got a legend/],
    [core.surveyLayers, [definition, [layer]], /but got a list/],
    [core.surveyLayers, [definition, { layers: [] }], /needs a stage, but got nothing/],
    [
      core.surveyLayers,
      [definition, { stage: 'test', layers: definition }],
      /needs a list of layers, but got a legend/,
    ],
    [core.surveyLayers, [definition, { stage: 'test', layers: [definition] }], /item 1 of them is a legend/],
    [core.surveyLayers, [definition, { stage: 'test', layers: [layer, 'A=1'] }], /item 2 of them is text/],
    [node.settle, [], /settle takes a legend first, but got nothing/],
    [node.settle, [import('mappa')], /a promise \(await it\)/],
    [
      node.settle,
      [definition, import.meta.url],
      /but got text\. Write: settle\(definition, \{ from: import\.meta\.url \}\)/,
    ],
    [node.survey, [definition, { stage: 5 }], /takes a stage name, but got a number/],
    [node.watch, [definition, {}], /takes a function to call when settings change, but got nothing/],
    [core.readLayer, [], /takes the text of a layer/],
    [verbs.settingsFor, [], /settingsFor takes a legend first/],
  ]
  for (const [call, given, sentence] of rows)
    assert.throws(() => (call as Call)(...given), { name: 'TypeError', message: sentence })
})

/** What an engine says of code that was not meant so. */
const engine =
  /Cannot (?:read|destructure|convert|set|create)|is not (?:a function|iterable|defined|a constructor)|must be of type|Received |Invalid time|reading '|undefined \(/

test('no function of any entry point answers a wrong call with what the engine says', async () => {
  const root = project({ '.env': 'A=1\n' })
  const pool = [undefined, null, definition, layer, [layer], 'A=1', 5, {}, () => {}, { stage: 'test' }, { root }]
  const heard: string[] = []
  let calls = 0
  for (const [door, exported] of Object.entries({ core, node, page, etcd, testing }))
    for (const [name, call] of Object.entries(exported)) {
      if (typeof call !== 'function' || /^[A-Z]|^watch/.test(name)) continue
      for (const first of pool)
        for (const second of [undefined, definition, [layer], {}]) {
          calls++
          try {
            const made = await (call as Call)(first, second)
            ;(made as { close?: () => void } | undefined)?.close?.()
          } catch (error) {
            if (engine.test((error as Error).message)) heard.push(`${door}.${name}: ${(error as Error).message}`)
          }
        }
    }
  assert.deepEqual([...new Set(heard)], [])
  assert.ok(calls > 1500, `${calls} calls`)
})
