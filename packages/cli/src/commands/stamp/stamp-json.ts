import { type FilledForm, offsetIn, replaced, type Stamped, stoodFor, type Template } from './template.js'

/**
 * JSON: inside of a text the value becomes a part of it; where a value stands by itself it becomes one, a number or a switch as
 * what it is, all else as a text.
 */
export function stampJson(template: Template, filled: readonly FilledForm[]): Stamped {
  const stood = stoodFor(template, filled)
  const { text, words, pattern } = stood
  const inside = textRanges(text)
  const edits: { start: number; end: number; text: string }[] = []
  const misplaced: Stamped['misplaced'][number][] = []
  let range = 0
  for (const { 0: word, index: start } of text.matchAll(pattern)) {
    while ((inside[range]?.end ?? Number.POSITIVE_INFINITY) <= start) range++
    const isInside = (inside[range]?.start ?? Number.POSITIVE_INFINITY) <= start
    const value = words.get(word)
    const whole = value ? value.text : '${'
    const fresh = isInside
      ? JSON.stringify(whole).slice(1, -1)
      : JSON.stringify(value?.scalar === undefined ? whole : value.scalar)
    edits.push({ start, end: start + word.length, text: fresh })
  }
  const result = replaced(text, edits)
  const flaw = jsonFlaw(result)
  // A slip of the template's own: its values are whole. Where it is, is reported for the template, not for its result.
  if (flaw)
    misplaced.push({
      at: offsetIn(template, stood, jsonFlaw(text.replace(pattern, (word) => '0'.padEnd(word.length, ' '))) ?? 0),
      kind: 'bad-expansion',
      why: 'The template is not valid JSON here.',
      remedy: 'Correct it, or pass --as text.',
    })
  return { text: result, misplaced }
}

/** Finds where the texts of JSON stand, without their quotes. */
function textRanges(text: string): { readonly start: number; readonly end: number }[] {
  const ranges: { start: number; end: number }[] = []
  let start: number | undefined
  for (const { index, 0: mark } of text.matchAll(/\\[\s\S]|"/g)) {
    if (mark !== '"') continue
    if (start !== undefined) ranges.push({ start, end: index })
    start = start === undefined ? index + 1 : undefined
  }
  return ranges
}

/** The offset at which a text stops being JSON, as near as the engine says; undefined if it is JSON. */
function jsonFlaw(text: string): number | undefined {
  try {
    JSON.parse(text.replace(/^\ufeff/, ''))
    return undefined
  } catch (error) {
    const [, position] = /position (\d+)/.exec(String((error as Error).message)) ?? []
    return position === undefined ? 0 : Number(position)
  }
}
