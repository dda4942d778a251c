import { closingQuote } from '../format/closing-quote.js'
/** Tells whether a value is an object with members, and no list. */
export function isRecord(value: unknown): value is Record<string, unknown> {
  return typeof value === 'object' && value !== null && !Array.isArray(value)
}

/** Deeper data is a mistake, or made to exhaust whatever reads it. */
const depthMax = 100

/** Tells whether data lies deeper within itself than anybody writes it. */
export function isDeep(value: unknown): boolean {
  // One level after the other, so that no depth exhausts the stack.
  let level: unknown[] = [value]
  for (let depth = 0; level.length > 0; depth++) {
    if (depth > depthMax) return true
    level = level.flatMap((each) =>
      typeof each === 'object' && each !== null && (Array.isArray(each) || isPlainObject(each))
        ? Object.values(each)
        : [],
    )
  }
  return false
}

function isPlainObject(value: object): boolean {
  const kind = Object.getPrototypeOf(value)
  return kind === null || Object.getPrototypeOf(kind) === null
}

/** Tells whether JSON text lies deeper within itself than anybody writes it, told without reading it. */
export function isDeepJson(text: string): boolean {
  let depth = 0
  const mark = /["[\]{}]/g
  for (let found = mark.exec(text); found; found = mark.exec(text)) {
    const [char] = found
    if (char === '[' || char === '{') depth++
    else if (char === ']' || char === '}') depth--
    else {
      const end = closingQuote(text, mark.lastIndex)
      if (end < 0) return false
      mark.lastIndex = end + 1
    }
    if (depth > depthMax) return true
  }
  return false
}

/** Tells whether a UTF-16 code unit is one of 0 to 9. */
export function isDigit(code: number): boolean {
  return code >= 48 && code <= 57
}
