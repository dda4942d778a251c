import { parseExpression } from '@babel/parser'
import MagicString from 'magic-string'
import { legendArguments } from '../../declared/legend-text.js'
import type { LiftedFile, Target } from '../change.js'
import type { Candidate } from '../finding.js'
import { type Node, nodesIn } from '../read/parse.js'

type Word = string | number | boolean | { readonly [word: string]: Word }

/** An entry's words, in the order in which people write them. */
export function wordsOfEntry({ kind, entry, reach }: Candidate): Record<string, Word> {
  const { neededIn } = entry
  return {
    type: entry.type,
    ...(kind === 'address' && { format: 'uri' }),
    ...(entry.secret && { secret: true }),
    ...(reach === 'browser' && { reach }),
    ...(entry.default !== undefined && { default: entry.default }),
    ...((entry.optional || neededIn) && { optional: true }),
    ...(neededIn && { stages: Object.fromEntries(neededIn.map((stage) => [stage, { optional: false }])) }),
  }
}

/** The legend with an entry for each candidate; the entries that are there stay as they are. */
export function legendChange(path: string, candidates: readonly Candidate[], { read }: Target): LiftedFile {
  const before = read(path)
  if (path.endsWith('.json'))
    return { path, before: before ?? null, after: withJsonEntries(before ?? '{}', candidates), secret: false }
  const entries = candidates.map((candidate) => `${candidate.name}: ${codeOf(wordsOfEntry(candidate))},`)
  if (before === undefined) {
    const after = `import { legend } from 'mappa/legend'\n\nexport default legend({\n${entries.map((entry) => `  ${entry}\n`).join('')}})\n`
    return { path, before: null, after, secret: false }
  }
  const object = legendObject(path, before)
  if (!object) throw new Error(`${path} has no legend({ … }) that entries could be added to.`)
  return {
    path,
    before,
    after: withProperties(
      before,
      object,
      entries.map((entry) => entry.slice(0, -1)),
      '  ',
      true,
    ),
    secret: false,
  }
}

/** Words as code: `{ type: 'port', default: 4100 }`. */
function codeOf(word: Word): string {
  if (typeof word === 'string')
    return `'${word.replace(/[\\']/g, '\\$&').replaceAll('\n', '\\n').replaceAll('\r', '\\r')}'`
  if (typeof word !== 'object') return String(word)
  const members = Object.entries(word).map(
    ([name, value]) => `${/^\w+$/.test(name) ? name : `'${name}'`}: ${codeOf(value)}`,
  )
  return `{ ${members.join(', ')} }`
}

/** The object of entries in a legend's code. */
function legendObject(path: string, text: string): Node | undefined {
  const [first] = legendArguments(path, text)
  return first?.type === 'ObjectExpression' ? first : undefined
}

const ownTypes: ReadonlySet<string> = new Set(['port'])
const schemaWords: ReadonlySet<string> = new Set(['type', 'format', 'default'])

/** The properties of a JSON Schema document with one more for each candidate; whoever must have a value is required. */
function withJsonEntries(text: string, candidates: readonly Candidate[]): string {
  const prefixed = (words: Record<string, Word>): Record<string, Word> =>
    Object.fromEntries(
      Object.entries(words).flatMap(([name, word]): [string, Word][] => {
        if (name === 'optional') return []
        if (name === 'type' && ownTypes.has(word as string))
          return [
            ['type', 'integer'],
            ['x-mappa-type', word],
          ]
        return [[schemaWords.has(name) ? name : `x-mappa-${name}`, word]]
      }),
    )
  const entries = candidates.map(
    (candidate) => `${JSON.stringify(candidate.name)}: ${spaced(prefixed(wordsOfEntry(candidate)))}`,
  )
  const needed = candidates
    .filter((each) => wordsOfEntry(each).optional !== true && each.entry.default === undefined)
    .map(({ name }) => JSON.stringify(name))
  let after = text
  const member = (name: string) =>
    nodesIn((parseExpression(after) as unknown as Node).properties).find(({ key }) => (key as Node).value === name)
      ?.value as Node | undefined
  const addMember = (name: string, value: string) => {
    after = withProperties(
      after,
      parseExpression(after) as unknown as Node,
      [`${JSON.stringify(name)}: ${value}`],
      '  ',
      false,
    )
  }
  if (!member('properties')) addMember('properties', '{}')
  after = withProperties(after, member('properties') as Node, entries, '    ', false)
  const required = member('required')
  if (needed.length === 0) return after
  if (!required) addMember('required', `[${needed.join(', ')}]`)
  else {
    const last = nodesIn(required.elements).at(-1)
    const code = new MagicString(after)
    code.appendLeft(last?.end ?? required.start + 1, (last ? ', ' : '') + needed.join(', '))
    after = code.toString()
  }
  return after
}

function spaced(words: Record<string, Word>): string {
  const members = Object.entries(words).map(
    ([name, word]) => `${JSON.stringify(name)}: ${typeof word === 'object' ? spaced(word) : JSON.stringify(word)}`,
  )
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
  const code = new MagicString(text)
  const last = nodesIn(object.properties).at(-1)
  const indent = last ? (/(?:^|\n)([ \t]*)$/.exec(text.slice(0, last.start))?.[1] ?? usual) : usual
  const lineEnd = text.includes('\r\n') ? '\r\n' : '\n'
  const lines = properties.map((property) => indent + property).join(`,${lineEnd}`) + (closing ? ',' : '')
  if (last) {
    const comma = /^\s*,/.exec(text.slice(last.end))?.[0]
    code.appendLeft(last.end + (comma?.length ?? 0), `${comma === undefined ? ',' : ''}${lineEnd}${lines}`)
  } else code.appendLeft(object.start + 1, `${lineEnd}${lines}${lineEnd}${indent.slice(2)}`)
  return code.toString()
}
