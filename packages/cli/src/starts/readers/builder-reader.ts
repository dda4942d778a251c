import { readAsNode20, readAsNode22 } from './node-reader.js'
import type { ReaderAnswer } from './reader.js'

const assignmentLine =
  /^\s*(?:export\s+)?([\w.-]+)(?:\s*=\s*?|:\s+?)(\s*'(?:\\'|[^'])*'|\s*"(?:\\"|[^"])*"|\s*`(?:\\`|[^`])*`|[^#\r\n]+)?\s*(?:#.*)?$/gm

/** Reads as Vite 7 does, and then expands. Written to agree with 7.3; see docs/format.md. */
export function readAsVite7(text: string, around: ReadonlyMap<string, string> = new Map()): ReaderAnswer {
  const values = new Map<string, string>()
  for (const [, name = '', written = ''] of text.replace(/\r\n?/g, '\n').matchAll(assignmentLine)) {
    const trimmed = written.trim()
    let value = trimmed.replace(/^(['"`])([\s\S]*)\1$/, '$2')
    if (trimmed.startsWith('"')) value = value.replaceAll('\\n', '\n').replaceAll('\\r', '\r')
    values.set(name, value)
  }
  return { values: expanded(values, around) }
}

/** Reads as Vite 8 does: as Node, and then expands. */
export function readAsVite8(text: string, around: ReadonlyMap<string, string> = new Map()): ReaderAnswer {
  return { values: expanded(readAsNode20(text).values as ReadonlyMap<string, string>, around) }
}

/** The same on a newer Node. */
export function readAsVite8OnNode22(text: string, around: ReadonlyMap<string, string> = new Map()): ReaderAnswer {
  return { values: expanded(readAsNode22(text).values as ReadonlyMap<string, string>, around) }
}

/** A mention that no backslash stands before: in braces with a word for the unset, or bare. */
const mention = /(?<!\\)\$\{([^{}]+)\}|(?<!\\)\$([A-Za-z_]\w*)/

function expanded(values: ReadonlyMap<string, string>, around: ReadonlyMap<string, string>): ReaderAnswer['values'] {
  // What the environment has wins over the file.
  const found = new Map<string, string | undefined>(values)
  let left = expandedOfFileMax
  for (const [name, value] of values) {
    const text = left > 0 ? expandedText(value, (each) => around.get(each) ?? found.get(each)) : undefined
    left -= text === undefined ? expandedMax : text.length
    found.set(name, text?.replaceAll('\\$', '$'))
  }
  return found
}

/** So many mentions are expanded of one value, to so many characters: behind that it may not end. */
const mentionsMax = 100
const expandedMax = 20_000
/** So much is expanded of one file. */
const expandedOfFileMax = 400_000

function expandedText(text: string, textOf: (name: string) => string | undefined): string | undefined {
  const seen = new Set<string>()
  let result = text
  for (let count = 0; count < mentionsMax; count++) {
    const match = mention.exec(result)
    if (!match) return result
    seen.add(result)
    const expression = match[1] ?? match[2] ?? ''
    const operator = /:\+|\+|:-|-/.exec(expression)?.[0]
    const [name = '', ...words] = operator === undefined ? [expression] : expression.split(operator)
    const word = words.join(operator)
    const own = textOf(name) ?? ''
    const given = operator?.endsWith('+') ? (own === '' ? '' : word) : own !== '' && !seen.has(own) ? own : word
    // As text, so that signs of a replacement count.
    result = result.replace(match[0], given)
    if (result.length > expandedMax) return undefined
    if (result === textOf(name)) return result
  }
  return undefined
}
