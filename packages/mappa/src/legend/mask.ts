import { masked } from '../leak/ranges.js'
import type { AnyEntry } from './entry.js'

/** A mask shows at most this many characters, and never more than a third of the value: the rest must stay unguessable. */
const shownPrefixMax = 12

/**
 * A secret with nothing shown but a prefix that the legend's own pattern fixes: `tile_live_…(secret)`.
 * Whatever it shows is written in the legend, so it tells a reader which key it is and nothing of the key.
 */
export function mask(value: string, entry?: Pick<AnyEntry, 'pattern'>): string {
  const prefix = entry?.pattern === undefined ? '' : fixedPrefix(entry.pattern)
  const shows = prefix !== '' && value.startsWith(prefix) && prefix.length * 3 <= value.length
  return shows && prefix.length <= shownPrefixMax ? `${prefix}…${masked}` : masked
}

/** The plain characters that every match of `^…` starts with. */
function fixedPrefix(pattern: string): string {
  if (!pattern.startsWith('^') || /[|]/.test(pattern)) return ''
  const plain = /^[A-Za-z0-9_-]*/.exec(pattern.slice(1))?.[0] ?? ''
  // A quantifier behind the last character makes that one uncertain.
  return /^[*?{+]/.test(pattern.slice(1 + plain.length)) ? plain.slice(0, -1) : plain
}
