import type { ReaderAnswer } from './reader.js'

/** Longer lines are refused. Bytes, with the end of the line. */
const lineBytesMax = 64 * 1024
const encoder = new TextEncoder()

/**
 * Reads as `--env-file` of container engines does: a line is a name and all that follows the equals sign, quotes too. Written to agree
 * with `docker --env-file`; see the table in docs/format.md.
 */
export function readAsContainer(text: string): ReaderAnswer {
  const values = new Map<string, string | undefined>()
  const lines = text.replace(/^\uFEFF/, '').split('\n')
  for (const [at, each] of lines.entries()) {
    if (encoder.encode(each).length >= lineBytesMax) return { values: new Map(), refusedAt: at + 1 }
    // Blanks of Unicode are blanks here, too; a mark of byte order is not.
    const line = each
      .replace(/\r$/, '')
      .replace(/^[\t-\r \u0085\u00A0\u1680\u2000-\u200A\u2028\u2029\u202F\u205F\u3000]+/, '')
    if (line === '' || line.startsWith('#')) continue
    const equals = line.indexOf('=')
    const name = equals === -1 ? line : line.slice(0, equals)
    if (name === '' || /[ \t]/.test(name)) return { values: new Map(), refusedAt: at + 1 }
    if (equals !== -1) values.set(name, line.slice(equals + 1))
  }
  return { values }
}
