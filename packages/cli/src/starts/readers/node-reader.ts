import type { ReaderAnswer } from './reader.js'

const quotes = /^["'`]/

/**
 * Reads as Node does from 22 on (`util.parseEnv`, `--env-file`). Written to agree with 22.23 and 24.21; see docs/format.md.
 */
export function readAsNode22(text: string): ReaderAnswer {
  const values = new Map<string, string>()
  let rest = trimmed(text.replaceAll('\r', ''))
  while (rest !== '') {
    if (rest.startsWith('\n') || rest.startsWith('#')) {
      rest = behindLine(rest)
      continue
    }
    const sign = /[=\n]/.exec(rest)
    if (!sign) break
    if (sign[0] === '\n') {
      rest = trimmed(rest.slice(sign.index + 1))
      continue
    }
    let name = trimmed(rest.slice(0, sign.index))
    rest = rest.slice(sign.index + 1)
    if (name === '') continue
    if (rest === '' || rest.startsWith('\n')) {
      values.set(name, '')
      rest = rest.slice(1)
      continue
    }
    if (name.startsWith('export ')) name = name.slice('export '.length)
    rest = trimmed(rest)
    if (rest === '') {
      values.set(name, '')
      break
    }
    const close = quotes.test(rest) ? rest.indexOf(rest.charAt(0), 1) : -1
    if (close !== -1) {
      const inner = rest.slice(1, close)
      values.set(name, rest.startsWith('"') ? inner.replaceAll('\\n', '\n') : inner)
      rest = behindLine(rest.slice(close + 1))
      continue
    }
    const end = rest.indexOf('\n')
    const line = end === -1 ? rest : rest.slice(0, end)
    values.set(name, quotes.test(rest) ? line : trimmed(line.split('#', 1)[0] ?? ''))
    rest = behindLine(rest)
  }
  return { values }
}

function trimmed(text: string): string {
  return withoutEnds(text, ' \t\n\r')
}

/** A text without these signs at its ends. A pattern would take long for many of them within. */
function withoutEnds(text: string, signs: string): string {
  let start = 0
  let end = text.length
  while (start < end && signs.includes(text.charAt(start))) start++
  while (end > start && signs.includes(text.charAt(end - 1))) end--
  return text.slice(start, end)
}

function behindLine(text: string): string {
  const end = text.indexOf('\n')
  return end === -1 ? '' : trimmed(text.slice(end + 1))
}

/**
 * Reads as Node 20 does. Written to agree with 20.20; see docs/format.md.
 */
export function readAsNode20(text: string): ReaderAnswer {
  const values = new Map<string, string>()
  let rest = ofSpaces(text.replaceAll('\r', ''))
  while (rest !== '') {
    if (rest.startsWith('\n') || rest.startsWith('#')) {
      const end = rest.indexOf('\n')
      if (end !== -1) {
        rest = rest.slice(end + 1)
        continue
      }
    }
    const equals = rest.indexOf('=')
    if (equals === -1) break
    let name = ofSpaces(rest.slice(0, equals))
    rest = rest.slice(equals + 1)
    if (name === '' && equals === 0) break
    if (name.startsWith('export ')) name = name.slice('export '.length)
    if (rest === '' || rest.startsWith('\n')) {
      values.set(name, '')
      rest = rest.slice(1)
      continue
    }
    rest = ofSpaces(rest)
    if (rest === '') {
      values.set(name, '')
      break
    }
    const end = rest.indexOf('\n')
    if (quotes.test(rest)) {
      const close = rest.indexOf(rest.charAt(0), 1)
      if (close === -1) {
        // What is left is taken for a name, if it has an equals sign.
        if (end === -1) continue
        values.set(name, rest.slice(0, end))
        rest = rest.slice(end)
        continue
      }
      const inner = rest.slice(1, close)
      values.set(name, rest.startsWith('"') ? inner.replaceAll('\\n', '\n') : inner)
      const next = rest.indexOf('\n', close + 1)
      rest = next === -1 ? '' : rest.slice(next)
      continue
    }
    const line = end === -1 ? rest : rest.slice(0, end)
    values.set(name, ofSpaces(line.split('#', 1)[0] ?? ''))
    rest = end === -1 ? '' : rest.slice(end)
  }
  return { values }
}

function ofSpaces(text: string): string {
  return withoutEnds(text, ' ')
}
