import { type Context, lastName } from '../code/context.js'
import { isNode, type Node, nodesIn } from '../code/parse.js'
import { identifierIn } from '../code/reads.js'
import { wordsOf } from '../code/words.js'
import { plainWords } from './names.js'

/** What a value is given to, as words of a name: what that is about, and what the value is for it. */
export interface Taker {
  readonly about: readonly string[]
  readonly as?: string
}

const encryptionKey: Taker = { about: ['encryption'], as: 'key' }
const signingSecret: Taker = { about: ['signing'], as: 'secret' }
const derived: readonly Taker[] = [
  { about: ['encryption'], as: 'password' },
  { about: ['encryption'], as: 'salt' },
]

/** Calls that sign, encrypt or open something, and the arguments that they do it with. */
export const openers: Readonly<Record<string, readonly (Taker | undefined)[]>> = {
  createHmac: [undefined, { about: ['hmac'], as: 'secret' }],
  createCipheriv: [undefined, encryptionKey],
  createDecipheriv: [undefined, encryptionKey],
  createCipher: [undefined, encryptionKey],
  createDecipher: [undefined, encryptionKey],
  createSecretKey: [{ about: ['signing'], as: 'key' }],
  cookieParser: [{ about: ['cookie'], as: 'secret' }],
  pbkdf2: derived,
  pbkdf2Sync: derived,
  scrypt: derived,
  scryptSync: derived,
  sign: [undefined, signingSecret],
  verify: [undefined, signingSecret],
  encrypt: [undefined, encryptionKey],
  decrypt: [undefined, encryptionKey],
}

/** Names that a file imports from packages, with the words for those. */
export type Imports = ReadonlyMap<string, readonly string[]>

/** The names that a node brings into a file from a package. */
export function importsOf(node: Node): readonly (readonly [local: string, words: readonly string[]])[] {
  if (node.type === 'ImportDeclaration') {
    const words = packageWords((node.source as Node).value)
    return words === undefined ? [] : nodesIn(node.specifiers).map(({ local }) => [identifierIn(local) ?? '', words])
  }
  if (node.type !== 'VariableDeclarator' || !isNode(node.id)) return []
  const words = packageWords(requiredIn(node.init))
  if (words === undefined) return []
  const ids = node.id.type === 'ObjectPattern' ? nodesIn(node.id.properties).map(({ value }) => value) : [node.id]
  return ids.map((id) => [identifierIn(id) ?? '', words])
}

/** `require('…')`, alone or in front of a member. */
function requiredIn(node: unknown): unknown {
  if (!isNode(node)) return undefined
  if (node.type === 'MemberExpression') return requiredIn(node.object)
  const [first] = nodesIn(node.arguments)
  return node.type === 'CallExpression' && identifierIn(node.callee) === 'require' ? first?.value : undefined
}

/** The words for a package: its scope, or its name; undefined for what is no package, or says nothing. */
function packageWords(source: unknown): readonly string[] | undefined {
  if (typeof source !== 'string' || /^(?:[./~#]|node:|@\/)/.test(source)) return undefined
  if (source === 'jsonwebtoken') return ['jwt']
  const [, scope, name = ''] = /^(?:@([^/]+)\/)?([^/]+)/.exec(source) ?? []
  const words = wordsOf(scope ?? name).filter((word) => !/^(?:node|js|sdk|api|apis|client|rest|web|lib)$/.test(word))
  return words.length === 0 || builtIn.has(source) ? undefined : words
}

const builtIn = new Set('crypto http https http2 net tls fs path url util os stream events child_process'.split(' '))

/** Words of classes and functions that do not say what they are for. */
const plainTakers =
  /^(?:client|service|provider|api|sdk|instance|manager|factory|wrapper|adapter|connector|connection|create|make|build|init|initialize|get|new|use|register|configure|setup|stringify|assign|merge|extend|set|add|define|from|of|options|config)$/

/** What takes a value, by what it is an argument of, or its object, or the object around that. */
export function takerOf(
  { call, argument, owner }: Context,
  parents: readonly Node[],
  imports: Imports,
): Taker | undefined {
  const own = Object.hasOwn(openers, call ?? '') ? openers[call ?? '']?.[argument ?? -1] : undefined
  // Of those that sign, a package says what.
  if (own) return own === signingSecret ? { ...own, about: signerOf(owner, imports) } : own
  const at = parents.findLastIndex(({ type }) => !inside.test(type))
  const taking = parents[at]
  if (!taking || !/^(?:New|Call|OptionalCall)Expression$/.test(taking.type)) return undefined
  const name = lastName(taking.callee)
  // What asks for an address does not say whose it is.
  if (requests.has(name ?? '')) return undefined
  const holder = isNode(taking.callee) ? identifierIn(taking.callee.object) : undefined
  const from = imports.get(holder ?? name ?? '') ?? packageWords(requiredIn(taking.callee))
  const setter = call === undefined ? undefined : /^set(?=[A-Z])(.+)$/.exec(call)?.[1]
  if (setter !== undefined && from)
    return { about: [...from, ...wordsOf(setter).slice(0, -1)], as: wordsOf(setter).at(-1) ?? '' }
  const made = taking.type === 'NewExpression' ? tellingOf(wordsOf(name ?? '')) : []
  if (made.length > 0) return { about: made }
  const declared = parents[at - 1]?.type === 'VariableDeclarator' ? identifierIn(parents[at - 1]?.id) : undefined
  const given = tellingOf(wordsOf(declared ?? ''))
  const about = given.length > 0 && parents.length - 1 > at ? given : from
  return about && about.length > 0 ? { about } : undefined
}

function signerOf(owner = '', imports: Imports): readonly string[] {
  return imports.get(owner) ?? (/jwt/i.test(owner) ? ['jwt'] : ['signing'])
}

/** What may be between a value and the call that takes it. */
const inside =
  /^(?:Object(?:Expression|Property)|ArrayExpression|TemplateLiteral|TS\w+Expression|LogicalExpression|AwaitExpression)$/

function tellingOf(words: readonly string[]): readonly string[] {
  return words.filter((word) => !plainTakers.test(word) && !plainWords.has(word))
}

/** Functions and classes that ask for what their first argument says, by their last name. */
export const requests = new Set([
  'fetch',
  'URL',
  'WebSocket',
  'EventSource',
  'request',
  'get',
  'post',
  'put',
  'patch',
  'delete',
  'head',
  'axios',
  'got',
  'ky',
  'ofetch',
  'sendBeacon',
  'open',
  'connect',
  'createClient',
  'Request',
  'proxy',
])
