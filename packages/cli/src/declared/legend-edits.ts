import { parseExpression } from '@babel/parser'
import MagicString from 'magic-string'
import { type JsonSchema, type Legend, toJsonSchema } from 'mappa'
import { type Node, nodesIn } from '../code/parse.js'
import { codeLiteral, jsonLiteral } from '../terminal/escapes.js'
import { legendArguments, membersOf, objectsOfEntries } from './legend-text.js'

/** The value of a word of an entry. */
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
  if (object?.type !== 'ObjectExpression') throw new RangeError(`${path} has no legend({ … }) to add entries to.`)
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
  if (typeof word === 'string') return codeLiteral(word)
  if (typeof word !== 'object') return String(word)
  if (Array.isArray(word)) return `[${word.map(codeOf).join(', ')}]`
  const members = Object.entries(word).map(([name, value]) => `${memberName(name)}: ${codeOf(value)}`)
  return `{ ${members.join(', ')} }`
}

/** The properties of a JSON Schema document with further ones; anyone who must have a value is required. */
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
  // A trait of the type itself is not written.
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
  if (typeof word === 'string') return jsonLiteral(word)
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
  const comma = last && /^\s*,/.exec(text.slice(last.end))?.[0]
  const lines = indented.join(`,${lineEnd}`) + ((last ? comma !== undefined : closing) ? ',' : '')
  if (last) {
    code.appendLeft(last.end + (comma?.length ?? 0), `${comma === undefined ? ',' : ''}${lineEnd}${lines}`)
  } else code.appendLeft(object.start + 1, `${lineEnd}${lines}${lineEnd}${indent.slice(2)}`)
  return code.toString()
}

/**
 * An option of a legend, and where it stands or would stand.
 * @throws {RangeError} if there is no legend that it can be written into.
 */
function optionIn(path: string, before: string, name: string) {
  const isJson = path.endsWith('.json')
  const [object, options] = isJson ? [parseExpression(before) as unknown as Node] : legendArguments(path, before)
  if (!object) throw new RangeError(`${path} has no legend({ … }) to write ${name} into.`)
  const word = isJson ? `x-mappa-${name}` : name
  const value = membersOf(isJson ? object : options).find((each) => each.name === word)?.value
  return { isJson, object, options, word, value, code: isJson ? spaced : codeOf }
}

/** A legend's text with a further stage, `like` another one or not. What is there stays; the same text if it names the stage already. */
export function withStage(path: string, before: string, name: string, like: string | undefined): string {
  const { isJson, object, options, word, code, value: stages } = optionIn(path, before, 'stages')
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

/**
 * A legend's text that accepts further kinds, at the end of its list. What is there stays, byte for byte.
 * @throws {RangeError} if there is no legend that it can be written into.
 */
export function withAccepted(path: string, before: string, accepted: readonly Words[]): string {
  const { isJson, object, options, word, code, value: list } = optionIn(path, before, 'accepted')
  const texts = accepted.map((each) => code(each))
  if (list && list.type !== 'ArrayExpression')
    throw new RangeError(`${path} makes its list of accepted kinds elsewhere: write it there.`)
  const last = nodesIn(list?.elements).at(-1)
  if (list)
    return new MagicString(before)
      .appendLeft(last?.end ?? list.start + 1, (last ? ', ' : '') + texts.join(', '))
      .toString()
  const value = `[${texts.join(', ')}]`
  if (isJson) return withProperties(before, object, [`${JSON.stringify(word)}: ${value}`], '  ', false)
  if (options) return withProperties(before, options, [`accepted: ${value}`], '    ', true)
  return new MagicString(before).appendLeft(object.end, `, { accepted: ${value} }`).toString()
}

/** A member of an object that declares entries, in a legend or in a file that it is spread from. */
interface EntryNode {
  readonly object: Node
  readonly property: Node
  readonly keyStart: number
}

/** Finds where a text declares an entry: in the legend's own object, or in any object of entries that is exported. */
function entryIn(path: string, text: string, name: string): EntryNode | undefined {
  for (const object of entryObjects(path, text)) {
    const at = membersOf(object).findIndex((each) => each.name === name)
    const property = nodesIn(object.properties).find(({ key }) => memberKey(key) === name)
    const member = membersOf(object)[at]
    if (property && member) return { object, property, keyStart: member.keyStart }
  }
  return undefined
}

function memberKey(key: unknown): string | undefined {
  const { name, value } = (key ?? {}) as { name?: string; value?: unknown }
  return name ?? (typeof value === 'string' ? value : undefined)
}

/** The objects of a text that hold entries: those whose members say their types. */
function entryObjects(path: string, text: string): readonly Node[] {
  if (path.endsWith('.json')) {
    const properties = jsonMember(text, 'properties')
    return properties ? [properties] : []
  }
  const [own] = legendArguments(path, text)
  return [...(own?.type === 'ObjectExpression' ? [own] : []), ...objectsOfEntries(path, text)]
}

function jsonMember(text: string, name: string): Node | undefined {
  return membersOf(parseExpression(text) as unknown as Node).find((each) => each.name === name)?.value
}

/** Tells whether a text declares an entry of that name. */
export function declares(path: string, text: string, name: string): boolean {
  return entryIn(path, text, name) !== undefined
}

/** A text without an entry, the comment right above it included; what else stands there stays, byte for byte. */
export function withoutEntry(path: string, text: string, name: string): string {
  const found = entryIn(path, text, name)
  if (!found) return text
  const { object, property } = found
  const all = nodesIn(object.properties)
  const at = all.indexOf(property)
  const before = all[at - 1]
  const commaBehind = (end: number) => end + (/^\s*,/.exec(text.slice(end))?.[0].length ?? 0)
  const comma = commaBehind(property.end)
  const hasComma = comma > property.end
  // A note behind it on its line goes with it.
  const end = comma + (/^[ \t]*\/\/[^\r\n]*/.exec(text.slice(comma))?.[0].length ?? 0)
  const lead = before ? commaBehind(before.end) : object.start + 1
  // A note at the end of the line in front belongs to that; so does what a blank line divides from this entry.
  const gap = text.slice(lead, property.start)
  const note = before ? (/^[ \t]*\/[/*][^\n]*/.exec(gap)?.[0].length ?? 0) : 0
  const blank = /^[\s\S]*\n[ \t]*\r?\n(?=[\s\S])/.exec(gap.slice(note))?.[0].replace(/\r?\n$/, '').length ?? 0
  let start = lead + note + blank
  // The last one without a comma takes the comma in front along.
  if (!hasComma && before && at === all.length - 1) start = note + blank === 0 ? before.end : start
  const edited = text.slice(0, start) + text.slice(end)
  const rest =
    all.length === 1
      ? edited.replace(/(\{)\s*(\})/, (whole, open, close, offset: number) =>
          offset === object.start ? open + close : whole,
        )
      : edited
  return path.endsWith('.json') ? withoutRequired(rest, name) : rest
}

function withoutRequired(text: string, name: string): string {
  const list = jsonMember(text, 'required')
  const all = nodesIn(list?.elements)
  const at = all.findIndex(({ value }) => value === name)
  const own = all[at]
  if (!list || !own) return text
  const [start, end] =
    all.length === 1
      ? [own.start, own.end]
      : at > 0
        ? [(all[at - 1] as Node).end, own.end]
        : [own.start, (all[1] as Node).start]
  return text.slice(0, start) + text.slice(end)
}

/** A text in which an entry has another name; with `formerly`, the old one stays readable. */
export function withEntryRenamed(path: string, text: string, name: string, fresh: string, formerly: boolean): string {
  const found = entryIn(path, text, name)
  if (!found) return text
  const isJson = path.endsWith('.json')
  const code = new MagicString(text)
  code.overwrite(found.keyStart, found.keyStart + name.length, fresh)
  if (formerly) {
    const entry = found.property.value as Node
    const word = isJson ? 'x-mappa-formerly' : 'formerly'
    const list = membersOf(entry).find((each) => each.name === word)?.value
    const write = isJson ? spaced : codeOf
    const last = nodesIn(list?.elements).at(-1)
    if (list) code.appendLeft(last?.end ?? list.start + 1, (last ? ', ' : '') + write(name))
    else {
      const end = nodesIn(entry.properties).at(-1)
      const member = `${isJson ? JSON.stringify(word) : word}: ${write([name])}`
      if (end) code.appendLeft(end.end, `, ${member}`)
      else code.appendLeft(entry.start + 1, ` ${member} `)
    }
  }
  const after = code.toString()
  if (!isJson) return after
  const own = nodesIn(jsonMember(after, 'required')?.elements).find(({ value }) => value === name)
  return own ? after.slice(0, own.start) + JSON.stringify(fresh) + after.slice(own.end) : after
}
