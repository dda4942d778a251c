import type { Script } from 'node:vm'
import { tryPatternsWith } from 'mappa/command'

/** Milliseconds that all patterns may take together in one run of the command. */
const timeMax = 1000
/** Shorter texts take no pattern long that repeats once. */
const shortMax = 256

let left = timeMax
/** Those that have taken too long; they would again. */
const slow = new Set<string>()

/**
 * Has the patterns of a legend tried inside what can be interrupted, with the engine that a start uses: a legend in JSON is
 * only looked at, and one pattern can take longer than the universe is old.
 */
export function limitPatterns(): void {
  left = timeMax
  slow.clear()
  tryPatternsWith((pattern, text) => {
    if (text.length <= shortMax && !isRisky(pattern.source)) return pattern.test(text)
    return triedInTime(pattern, text)
  })
}

/** Made for the first that needs it: few do, and it takes a while. */
let place: { pattern?: RegExp; text?: string } | undefined
let script: Script | undefined

function triedInTime(pattern: RegExp, text: string): boolean | undefined {
  // Later ones must have their turn, too, after one that took all its time.
  const timeout = Math.floor(left / 2)
  if (timeout < 1 || slow.has(pattern.source)) return undefined
  const { createContext, Script: Compiled } = process.getBuiltinModule('node:vm')
  script ??= new Compiled('pattern.test(text)')
  place ??= createContext({}) as NonNullable<typeof place>
  const start = performance.now()
  try {
    place.pattern = pattern
    place.text = text
    return script.runInContext(place, { timeout }) as boolean
  } catch {
    slow.add(pattern.source)
    return undefined
  } finally {
    left -= performance.now() - start
  }
}

/** Only repetition can take long on a short text: two of them, one of a group, or a reference to what was matched. */
function isRisky(source: string): boolean {
  if (/\\[1-9k]/.test(source)) return true
  // Signs that are escaped or are in a class repeat nothing.
  const plain = source.replace(/\\./g, 'x').replace(/\[[^\]]*\]/g, 'x')
  const repetitions = (plain.match(/[*+?]|\{\d/g) ?? []).length
  return repetitions > (plain.includes(')') ? 0 : 1)
}
