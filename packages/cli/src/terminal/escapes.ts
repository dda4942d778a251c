/** Characters that a terminal obeys, or that reorder or hide what is read beside them (UAX #9, Cf and C1). */
const unprinted = /[\u007f-\u009f\u061c\u200b-\u200f\u2028-\u202e\u2060-\u2069\ufeff]/g

/** JSON or code in which those characters stand as escapes. */
export function withEscapes(code: string): string {
  return code.replace(unprinted, escapedCharacter)
}

/** A text as a literal of JSON. */
export function jsonLiteral(text: string): string {
  return withEscapes(JSON.stringify(text))
}

/** A text as a literal of JavaScript, in single quotes. */
export function codeLiteral(text: string): string {
  return `'${jsonLiteral(text).slice(1, -1).replaceAll('\\"', '"').replaceAll("'", "\\'")}'`
}

/** A character of 16 bits as `\u202e`. */
export function escapedCharacter(character: string): string {
  return `\\u${character.charCodeAt(0).toString(16).padStart(4, '0')}`
}

/** A text as one word of a POSIX shell (2.2.2): in single quotes everything is itself. */
export function shellWord(text: string): string {
  return `'${text.replaceAll("'", "'\\''")}'`
}
