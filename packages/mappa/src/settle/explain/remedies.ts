/** Remedies of faults and notices: sentences, and lines or commands to paste. */

import { encodeValue } from '../../format/value.js'
import { withoutCredentials } from '../../leak/credentials.js'
import { leastOf, mostOf, numberOf } from '../../legend/constraints.js'
import type { AnyEntry } from '../../legend/entry.js'
import { hides } from '../../legend/entry.js'
import { nearest } from '../../legend/text/nearest.js'
import { valueType } from '../../legend/value-types.js'
import { printable } from '../faults/faults.js'
import type { Problem, Reading } from '../reading/read.js'
import { type Layer, sourceFacts } from '../stack/layer.js'
import type { Hit } from '../stack/stack.js'
import { convert, textFor } from '../value/convert.js'
import { joinList, splitList } from '../value/lists.js'

export function rightValue(
  name: string,
  entry: AnyEntry,
  { layer, text }: Hit,
  { breach, item }: Problem,
): string | undefined {
  // Nobody can tell what a number alone was to be.
  const { units } = valueType(entry.type)
  if (breach === 'wrong-type' && units && !hides(entry) && /^\s*\d+(?:\.\d+)?\s*$/.test(text))
    return `Write the unit: ${units.map((unit) => `${name}=${text.trim()}${unit}`).join(' or ')}`
  const right = hides(entry)
    ? undefined
    : (meantValue(text, entry) ??
      (item === undefined ? (entry.examples?.[0] ?? entry.default ?? entry.enum?.[0]) : undefined))
  const meant = right === undefined ? undefined : textFor(entry, right)
  // The likely value comes from the text, which may hold a password that is not declared secret.
  if (meant !== undefined && withoutCredentials(meant) === meant)
    return `${sourceFacts(layer.source).remedy}: ${name}=${printable(writtenAs(meant, layer.source))}`
  if (entry.obtain) return `Obtain: ${entry.obtain}`
  const limit = breach === 'out-of-range' ? nearestLimit(text, entry) : undefined
  return limit && `${sourceFacts(layer.source).remedy}: ${name}=${limit}`
}

/** The limit that a number is beyond, as the legend has it: a value that is right, though perhaps not the intended one. */
function nearestLimit(text: string, entry: AnyEntry): string | undefined {
  const [minimum, maximum] = [leastOf(entry), mostOf(entry)]
  const value = numberOf(valueType(entry.type).amount ? text.trim() : Number(text), entry)
  const isAbove = value !== undefined && value > maximum
  const limit = isAbove ? (entry.maximum ?? maximum) : (entry.minimum ?? minimum)
  const written = typeof limit === 'number' ? textFor(entry, limit) : limit
  return !hides(entry) && 'value' in convert(written, entry) ? written : undefined
}

/** As it has to are in a layer file. */
function writtenAs(text: string, source: Layer['source']): string {
  return source === 'file' ? encodeValue(text) : text
}

/** The text that was most likely meant: letters for digits, junk after a number, a slip in one of a few words. */
function meantValue(text: string, entry: AnyEntry): string | undefined {
  const words = entry.enum?.map(String) ?? valueType(entry.type).choices ?? []
  if (words.length > 0) return nearest(text.trim(), words)
  const fits = (guess: string) => 'value' in convert(guess, entry)
  const word = text.trim()
  if (valueType(entry.type).amount) return [word.toLowerCase(), word.replace(/[_,](?=\d{3})/g, '')].find(fits)
  if (entry.type === 'array') {
    const divided = word.includes(',') ? word : word.replace(/\s*[;|]\s*|\s+/g, ',')
    return [divided, listOfMeant(word, entry)].find((each) => each !== undefined && each !== word && fits(each))
  }
  if (entry.type === 'string' && (entry.schemes || entry.format === 'uri'))
    return (entry.schemes ?? ['https'])
      .map((scheme) => `${scheme}://${word}`)
      .find((each) => /^[^\s:]+:\/\/[^\s/]+\.[^\s/]/.test(each) && fits(each))
  if (!valueType(entry.type).digits) return undefined
  return numbersMeant(word).find(fits)
}

/** The numbers that somebody may have meant by a text that says none. */
function numbersMeant(word: string): string[] {
  // Hexadecimal, exponents and 4100.0 say one number in another way, and no other.
  if (/^(?:0[xXoObB][0-9A-Fa-f]+|[+-]?\d+(?:\.\d*)?(?:[eE][+-]?\d+)?)$/.test(word)) return [String(Number(word))]
  const behind = /^([+-]?\d+(?:\.\d+)?)\D+$/.exec(word)
  return [
    word.replace(/[oO]/g, '0').replace(/[lI]/g, '1'),
    // Thousands are divided, or a comma stands for the point.
    ...(/^[+-]?\d{1,3}(?:([_, '])\d{3})(?:\1\d{3})*(?:\.\d+)?$/.test(word) ? [word.replace(/[_, ']/g, '')] : []),
    ...(/^[+-]?\d+,\d+$/.test(word) ? [word.replace(',', '.')] : []),
    ...(behind ? [behind[1] as string] : []),
  ]
}

/** A list whose wrong items are replaced by what was most likely meant. */
function listOfMeant(text: string, { items, delimiter }: AnyEntry): string | undefined {
  const found = text.startsWith('[') ? undefined : splitList(text, delimiter)
  if (!items || !found) return undefined
  const meant = found.map((each) => ('value' in convert(each, items) ? each : meantValue(each, items)))
  return meant.includes(undefined) ? undefined : joinList(meant, delimiter)
}

/** Tells how to make a fresh value, as a command that can be pasted; where it belongs is for anyone who pastes it to see to. */
export function freshRemedy(name: string, { generate }: AnyEntry): string | undefined {
  if (!generate) return undefined
  const { bytes, text } = generate
  const random = `Buffer.from(crypto.getRandomValues(new Uint8Array(${bytes}))).toString('${text}')`
  return `Run: node -p "'${name}=' + ${random}"`
}

/** Finds where this machine keeps what is its own. */
export function localFile({ name }: Reading['stage']): string {
  return name === 'development' ? '.env.local' : `.env.${name}.local`
}

/** Finds where a name gets a value: secrets on only this machine. */
export function setRemedy(
  name: string,
  { entries, stage, ancestry }: Pick<Reading, 'entries' | 'stage' | 'ancestry'>,
): string {
  const isSecret = entries.get(name)?.secret
  const isHere = ancestry.some((each) => each === 'development' || each === 'test')
  // On a deployed stage, a file of this machine helps nobody.
  if (isSecret && !isHere) return `Set it on the ${stage.name} host, or in .env.${stage.name}.local to try it here.`
  return `Write ${name}=… in ${isSecret ? `${localFile(stage)} (only this machine)` : `.env.${stage.name}`}.`
}

/** Finds where a person gets the value of an entry, or what else to do. */
export function obtainRemedy({ obtain }: Pick<AnyEntry, 'obtain'>, otherwise: string): string {
  return obtain ? `Obtain: ${obtain}` : otherwise
}
