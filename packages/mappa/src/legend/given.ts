import { isLegend } from './check.js'
import { isRecord } from './records.js'

/** A wrong argument in words. Many first calls of the library are slips. */
export function whatIs(given: unknown): string {
  if (given === undefined || given === null) return 'nothing'
  if (isLegend(given)) return 'a legend'
  if (Array.isArray(given)) return 'a list'
  if (typeof given === 'string') return 'text'
  if (typeof given === 'function') return 'a function'
  if (typeof (given as { then?: unknown }).then === 'function') return 'a promise (await it)'
  if (isLayer(given)) return 'a layer'
  return typeof given === 'object' ? 'an object' : `a ${typeof given}`
}

/** Tells whether something is a layer, by what is asked of one. */
export function isLayer(given: unknown): boolean {
  return isRecord(given) && typeof given.get === 'function' && typeof given.names === 'function'
}

/** @throws {TypeError} with the sentence, unless the call was right. */
export function must(isRight: boolean, sentence: string): asserts isRight {
  if (!isRight) throw new TypeError(sentence)
}

/** Ends unless it is a legend. */
export function mustBeLegend(given: unknown, call: string): void {
  must(isLegend(given), `${call} takes a legend, but got ${whatIs(given)}. Write: ${call}(definition)`)
}

/** Ends unless there is something that could be a legend; whether it is one, a fault says. */
export function mustHaveLegend(given: unknown, call: string): void {
  const could = isRecord(given) && !isLayer(given) && typeof given.then !== 'function'
  must(could, `${call} takes a legend first, but got ${whatIs(given)}. Write: ${call}(definition, …)`)
}

/** Ends unless options are an object of them. */
export function mustBeOptions(given: unknown, call: string, example: string): void {
  const isRight = isRecord(given) && !isLegend(given)
  must(isRight, `${call} takes options as an object, but got ${whatIs(given)}. Write: ${call}(definition, ${example})`)
}

/** Ends unless a value is text. */
export function mustBeText(given: unknown, call: string, what: string): void {
  must(typeof given === 'string', `${call} takes ${what} as text, but got ${whatIs(given)}.`)
}
