import { parseExpression } from '@babel/parser'
import MagicString from 'magic-string'
import { type JsonSchema, type Legend, toJsonSchema } from 'mappa'
import { type Node, nodesIn } from '../lift/read/parse.js'
import { legendArguments, membersOf } from './legend-text.js'

/** What an entry says. */
export type Word = string | number | boolean | readonly Word[] | { readonly [word: string]: Word }
export type Words = { readonly [word: string]: Word }

/** An entry that is to be written: its words, and what it is for, which stands above it as a comment. */
export interface WrittenEntry {
  readonly name: string
  readonly words: Words
  readonly description?: string
}

/** Lines of code are so long at most; a longer entry gets a line for each word. Columns. */
const lineMax = 100

/** A legend's text with further entries; those that are there stay, byte for byte. Undefined is a legend that is not there yet. */
export function withEntries(path: string, before: string | undefined, entries: readonly WrittenEntry[]): string {
  if (path.endsWith('.json')) return withJsonEntries(before ?? '{}', entries)
  const written = entries.map(({ name, words, description }) => entryCode(name, words, description))
  if (before === undefined) {
    const imported = path.endsWith('.cjs')
      ? "const { legend } = require('mappa/legend')"
      : "import { legend } from 'mappa/legend'"
    const lead = `${imported}\n\n${path.endsWith('.cjs') ? 'module.exports =' : 'export default'} legend(`
    if (written.length === 0) return `${lead}{})\n`
    return `${lead}{\n${written.map((entry) => `${entry.replace(/^/gm, '  ')},\n`).join('')}})\n`
  }
  const [object] = legendArguments(path, before)
  if (object?.type !== 'ObjectExpression')
    throw new RangeError(`${path} has no legend({ … }) that entries could be added to.`)
  return withProperties(before, object, written, '  ', true)
}

/** An entry as code, its comment above it: `COLLECTOR_PORT: { type: 'port', default: 4100 }`. */
function entryCode(name: string, words: Words, description: string | undefined): string {
  const comment = description ? `/** ${description.replaceAll('*/', '* /').replace(/\s+/g, ' ').trim()} */\n` : ''
  const line = `${name}: ${codeOf(words)}`
  if (line.length + 3 <= lineMax) return comment + line
  const members = Object.entries(words).map(([word, value]) => `  ${memberName(word)}: ${codeOf(value)},\n`)
  return `${comment}${name}: {\n${members.join('')}}`
}

const memberName = (name: string) => (/^[A-Za-z_]\w*$/.test(name) ? name : codeOf(name))

function codeOf(word: Word): string {
  if (typeof word === 'string')
    return `'${word.replace(/[\\']/g, '\\$&').replaceAll('\n', '\\n').replaceAll('\r', '\\r')}'`
  if (typeof word !== 'object') return String(word)
  if (Array.isArray(word)) return `[${word.map(codeOf).join(', ')}]`
  const members = Object.entries(word).map(([name, value]) => `${memberName(name)}: ${codeOf(value)}`)
  return `{ ${members.join(', ')} }`
}

/** The properties of a JSON Schema document with further ones; whoever must have a value is required. */
function withJsonEntries(text: string, entries: readonly WrittenEntry[]): string {
  const own = Object.fromEntries(
    entries.map(({ name, words, description }) => [name, { ...words, ...(description && { description }) }]),
  )
  const { properties = {}, required = [] } = toJsonSchema({
    entries: own,
    stages: [],
  } as unknown as Legend) as JsonSchema & {
    readonly properties?: Readonly<Record<string, Word>>
    readonly required?: readonly string[]
  }
  let after = text
  if (!/"\$schema"/.test(after) && after.trim() === '{}')
    after = '{\n  "$schema": "https://json-schema.org/draft/2020-12/schema",\n  "type": "object"\n}\n'
  const memberIn = (name: string) =>
    membersOf(parseExpression(after) as unknown as Node).find((each) => each.name === name)?.value
  const addMember = (name: string, value: string) => {
    after = withProperties(
      after,
      parseExpression(after) as unknown as Node,
      [`${JSON.stringify(name)}: ${value}`],
      '  ',
      false,
    )
  }
  if (!memberIn('properties')) addMember('properties', '{}')
  // What a type says by itself need not stand there.
  const lean = (name: string, words: Word) =>
    Object.fromEntries(
      Object.entries(words).filter(([word]) => !/^m(?:in|ax)imum$/.test(word) || Object.hasOwn(own[name] ?? {}, word)),
    )
  const written = Object.entries(properties).map(
    ([name, words]) => `${JSON.stringify(name)}: ${spaced(lean(name, words))}`,
  )
  after = withProperties(after, memberIn('properties') as Node, written, '    ', false)
  if (required.length === 0) return after
  const names = required.map((name) => JSON.stringify(name)).join(', ')
  const list = memberIn('required')
  if (!list) addMember('required', `[${names}]`)
  else {
    const last = nodesIn(list.elements).at(-1)
    const code = new MagicString(after)
    code.appendLeft(last?.end ?? list.start + 1, (last ? ', ' : '') + names)
    after = code.toString()
  }
  return after
}

/** JSON on one line, with spaces as people write it. */
function spaced(word: Word): string {
  if (typeof word !== 'object') return JSON.stringify(word)
  if (Array.isArray(word)) return `[${word.map(spaced).join(', ')}]`
  const members = Object.entries(word).map(([name, value]) => `${JSON.stringify(name)}: ${spaced(value)}`)
  return `{ ${members.join(', ')} }`
}

/** Adds properties behind the last one of an object, indented as that is. */
function withProperties(
  text: string,
  object: Node,
  properties: readonly string[],
  usual: string,
  closing: boolean,
): string {
  if (properties.length === 0) return text
  const code = new MagicString(text)
  const last = nodesIn(object.properties).at(-1)
  const indent = last ? (/(?:^|\n)([ \t]*)$/.exec(text.slice(0, last.start))?.[1] ?? usual) : usual
  const lineEnd = text.includes('\r\n') ? '\r\n' : '\n'
  const indented = properties.map((property) =>
    property
      .split('\n')
      .map((line) => indent + line)
      .join(lineEnd),
  )
  const lines = indented.join(`,${lineEnd}`) + (closing ? ',' : '')
  if (last) {
    const comma = /^\s*,/.exec(text.slice(last.end))?.[0]
    code.appendLeft(last.end + (comma?.length ?? 0), `${comma === undefined ? ',' : ''}${lineEnd}${lines}`)
  } else code.appendLeft(object.start + 1, `${lineEnd}${lines}${lineEnd}${indent.slice(2)}`)
  return code.toString()
}

/** A legend's text with a further stage, `like` another one or not. What is there stays; the same text if it names the stage already. */
export function withStage(path: string, before: string, name: string, like: string | undefined): string {
  const isJson = path.endsWith('.json')
  const [object, options] = isJson ? [parseExpression(before) as unknown as Node] : legendArguments(path, before)
  if (!object) throw new RangeError(`${path} has no legend({ … }) that a stage could be added to.`)
  const word = isJson ? 'x-mappa-stages' : 'stages'
  const code = isJson ? spaced : codeOf
  const stages = membersOf(isJson ? object : options).find((each) => each.name === word)?.value
  const fresh = like === undefined ? undefined : { [name]: { like } }
  if (!stages) {
    const value: Word = fresh ?? [name]
    if (isJson) return withProperties(before, object, [`${JSON.stringify(word)}: ${code(value)}`], '  ', false)
    if (options) return withProperties(before, options, [`stages: ${code(value)}`], '    ', true)
    return new MagicString(before).appendLeft(object.end, `, { stages: ${code(value)} }`).toString()
  }
  const edit = new MagicString(before)
  const members = membersOf(stages)
  const listed = nodesIn(stages.elements).map(({ value }) => String(value))
  if (members.some((each) => each.name === name) || listed.includes(name)) return before
  if (stages.type === 'ArrayExpression' && fresh) {
    // A list of names becomes an object, in which some are like others.
    const all: Words = { ...Object.fromEntries(listed.map((each) => [each, {}])), ...fresh }
    return edit.overwrite(stages.start, stages.end, code(all).replaceAll('{  }', '{}')).toString()
  }
  const last = nodesIn(stages.type === 'ArrayExpression' ? stages.elements : stages.properties).at(-1)
  const text =
    stages.type === 'ArrayExpression'
      ? code(name)
      : code({ [name]: like === undefined ? {} : { like } })
          .slice(2, -2)
          .replaceAll('{  }', '{}')
  return edit.appendLeft(last?.end ?? stages.start + 1, (last ? ', ' : '') + text).toString()
}
