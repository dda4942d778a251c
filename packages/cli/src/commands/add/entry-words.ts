import type { Word, Words } from '../../declared/legend-edits.js'
import { UsageError } from '../../terminal/usage-error.js'

/** The order in which an entry's words are written, whatever the order of the flags. */
const wordOrder =
  'type format items enum schemes secret reach fixed default optional as formerly file minimum maximum minLength maxLength pattern generate obtain'.split(
    ' ',
  )

/** Words of an entry from flags: numbers and switches as such, lists separated by commas. */
export function wordsFrom(flags: Readonly<Record<string, unknown>>): Words {
  const words: Record<string, Word> = {}
  const numeric = flags.type !== undefined && ['integer', 'number', 'port'].includes(String(flags.type))
  for (const word of wordOrder) {
    const given = flags[word]
    if (given === undefined) continue
    if (typeof given === 'boolean') words[word] = given
    else if (word === 'enum')
      words[word] = String(given)
        .split(',')
        .map((each) => valueOfType(each.trim(), flags.type))
    else if (word === 'schemes' || word === 'formerly')
      words[word] = String(given)
        .split(',')
        .map((each) => each.trim())
    else if (word === 'items') words[word] = { type: String(given) }
    else if (word === 'generate') words[word] = { bytes: Number(given), text: 'base64url' }
    else if (/^(?:min|max)(?:Length|Items)$/.test(word) || (numeric && /^m(?:in|ax)imum$|^multipleOf$/.test(word)))
      words[word] = numberFrom(word, String(given))
    else if (word === 'default') words[word] = valueOfType(String(given), flags.type)
    else words[word] = String(given)
  }
  return words
}

function numberFrom(word: string, text: string): number {
  const value = Number(text)
  if (text.trim() === '' || !Number.isFinite(value))
    throw new UsageError(`--${word.replace(/[A-Z]/g, (each) => `-${each.toLowerCase()}`)} takes a number.`)
  return value
}

/** A text of the command line as a legend writes a value of that type. */
function valueOfType(text: string, type: unknown): Word {
  if (type === 'boolean') return /^(?:true|yes|on|1)$/i.test(text)
  if (['integer', 'number', 'port'].includes(String(type)) && Number.isFinite(Number(text)) && text.trim() !== '')
    return Number(text)
  if (type === 'array') return text.split(',').map((each) => each.trim())
  return text
}
