import { isLayer, must, mustBeOptions, whatIs } from '../legend/given.js'
import type { Sources } from './reading/read.js'

const example = "{ stage: 'production', layers: [layerFromText('.env', text)] }"

/** @throws {TypeError} with a sentence, unless there are a stage and layers. */
export function mustBeSources(given: unknown, call: string): asserts given is Sources {
  mustBeOptions(given, call, example)
  const { stage, layers } = given as unknown as Partial<Record<keyof Sources, unknown>>
  const isStage = typeof stage === 'string' || typeof (stage as { name?: unknown } | undefined)?.name === 'string'
  must(isStage, `${call} needs a stage, but got ${whatIs(stage)}. Write: ${call}(definition, ${example})`)
  must(
    Array.isArray(layers),
    `${call} needs a list of layers, but got ${whatIs(layers)}. Write: ${call}(definition, ${example})`,
  )
  const at = layers.findIndex((layer) => !isLayer(layer))
  must(
    at < 0,
    `${call} takes layers, but item ${at + 1} of them is ${whatIs(layers[at])}. Make it one with layerFromText or layerFromValues.`,
  )
}
