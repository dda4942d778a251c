import { wordsOf } from '../code/words.js'
import { isMadeUp, isRandom, looksLikeKey } from './opening-shapes.js'
import { isPlainPassword, mayOpen, opensByName } from './opens.js'

/** A credential by what stands around it, in a line. Offsets are UTF-16 code units. */
export interface Surrounded {
  readonly start: number
  readonly end: number
  readonly what: string
}

/**
 * Credentials whose own name is missing or says nothing: a key that is an argument, that follows a scheme, that has a prefix, or
 * stands in a command, a settings file or the address of a webhook. One record for each kind.
 */
const kinds: readonly ((line: string) => Iterable<Surrounded>)[] = [
  // client.auth('…'), setApiKey('…'), new MailClient('…')
  function* argument(line) {
    for (const match of line.matchAll(
      /(\bnew\s+)?(?<![\w$.])([A-Za-z_$][\w$.]{2,60})\(\s{0,4}(["'`])([^"'`\n]{8,500})\3/dg,
    )) {
      const [, isNew, callee = '', , value = ''] = match
      if (!takesKey(callee, isNew !== undefined)) continue
      const opens = isNew === undefined ? opensByName(value, ['api', 'key']) && looksLikeKey(value) : isKeyLike(value)
      if (opens) yield { ...spanOfGroup(match, 4), what: `a credential, given to ${callee}` }
    }
  },
  // Authorization: Bearer … (RFC 6750), Basic … (RFC 7617)
  function* scheme(line) {
    for (const match of line.matchAll(/\b(Bearer|Basic)\s{1,4}([\w.~+/-]{16,500}={0,2})(?![\w(])/dg)) {
      const [, name = '', value = ''] = match
      const opens = name === 'Basic' ? isUserAndPassword(value) : isKeyLike(value) || looksLikeToken(value)
      if (opens) yield { ...spanOfGroup(match, 2), what: `a credential, behind ${name}` }
    }
  },
  // hive_9fK…: few letters, and something that nobody made up
  function* prefixed(line) {
    for (const match of line.matchAll(/(?<![\w./@#$-])([a-z]{2,8}[_-])([A-Za-z0-9]{20,200})(?![\w./-])/dg)) {
      const [, , value = ''] = match
      if (isMixed(value) && isKeyLike(value)) yield { ...spanOfGroup(match, 2), what: 'a key with a prefix' }
    }
  },
  // The id of an access key, by which its secret half is found.
  function* accessKeyId(line) {
    for (const match of line.matchAll(/(?<![A-Za-z0-9])((?:AKIA|ASIA)[A-Z0-9]{16})(?![A-Za-z0-9])/dg))
      if (/\d/.test(match[0]) && !isMadeUp(match[0]) && !match[0].includes('EXAMPLE'))
        yield { ...spanOfGroup(match, 1), what: 'the id of an access key' }
  },
  // https://hooks.chat.example/services/T0/B0/…: who has the address may post.
  function* webhook(line) {
    for (const match of line.matchAll(
      /https?:\/\/[^\s"'`<>?#]{0,200}hook[^\s"'`<>?#]{0,200}\/([\w-]{16,100})(?![\w/-])/dgi,
    )) {
      const [, value = ''] = match
      if (isMixed(value) && isKeyLike(value))
        yield { ...spanOfGroup(match, 1), what: 'the address of a webhook with its key' }
    }
  },
  // curl -u name:password
  function* user(line) {
    for (const match of line.matchAll(
      /(?:^|\s)(?:-u|--user)[ =](["']?)([\w.@-]{1,60}):([^\s"'$<>{}]{8,100})\1(?=\s|$)/dg,
    )) {
      const [, , , value = ''] = match
      if (!isMadeUp(value) && (isPlainPassword(value) || looksLikeKey(value)))
        yield { ...spanOfGroup(match, 3), what: 'a password, behind --user' }
    }
  },
  // -H "X-Api-Key: …", --password=…, db.password=… in a settings file, ?password=… in an address
  function* setting(line) {
    const inHeader = /["']([A-Za-z][\w-]{2,60}):\s{0,4}([^\s"']{8,500})["']/dg
    const inOption = /(?:^|\s)--([a-z][\w-]{2,60})[ =]["']?([^\s"'$<>{}]{8,500})["']?(?=\s|$)/dg
    const inFile = /^\s*([A-Za-z][\w.-]{2,100}?)\s{0,4}[=:]\s{0,4}([^\s"'()<>{}[\],;`]{8,500})\s*$/dg
    const inQuery = /[?&;]([A-Za-z][\w-]{2,60})=([^\s"'&;<>`$]{8,500})/dg
    for (const pattern of [inHeader, inOption, inFile, inQuery])
      for (const match of line.matchAll(pattern)) {
        const [, name = '', value = ''] = match
        // In a line by itself a path through objects is code.
        const mayBeCode = pattern === inFile && /^[A-Za-z_$][\w$]*(?:\.[A-Za-z_$][\w$]*)*$/.test(value)
        if (mayBeCode && !isRandom(value)) continue
        // A badge's token opens the badge.
        if (pattern === inQuery && /\.(?:svg|png|gif)$/.test(line.slice(0, match.index))) continue
        if (opensByName(value, wordsOf(name))) yield { ...spanOfGroup(match, 2), what: `a credential, under ${name}` }
      }
  },
]

/** All of them in a line. */
export function surroundedIn(line: string): Surrounded[] {
  return kinds.flatMap((kind) => [...kind(line)])
}

/** A name and its value in two lines or two members, as manifests have them: `- name: DB_PASSWORD`, `value: …`. */
export function pairsIn(text: string): Surrounded[] {
  const pair =
    /["']?\bname["']?\s{0,4}:\s{0,4}["']?([A-Za-z_][\w.-]{2,100})["']?,?\s{0,80}["']?value["']?\s{0,4}:\s{0,4}["']?([^\s"',}]{8,500})/dg
  return [...text.matchAll(pair)].flatMap((match) => {
    const [, name = '', value = ''] = match
    return opensByName(value, wordsOf(name)) ? [{ ...spanOfGroup(match, 2), what: `a credential, under ${name}` }] : []
  })
}

function spanOfGroup(match: RegExpExecArray, group: number): { readonly start: number; readonly end: number } {
  const [start = 0, end = 0] = match.indices?.[group] ?? []
  return { start, end }
}

/** Words of functions that say what is done with a key, and not what it is. */
const verbs = new Set(['set', 'use', 'with', 'add', 'init', 'configure', 'create', 'register', 'update', 'put'])
const callers = new Set(['auth', 'authenticate', 'authorize', 'authorise', 'login', 'signin'])
const clients = /^(?:client|api|sdk|gateway|transport|mailer|connection|session|service)$/

/** Tells whether a function is one that is given a key. */
export function takesKey(callee: string, isNew: boolean): boolean {
  const last = callee.split('.').at(-1) ?? ''
  const words = wordsOf(last)
  if (isNew) return clients.test(words.at(-1) ?? '')
  if (words.length === 1) return callers.has(words[0] as string)
  return verbs.has(words[0] as string) && mayOpen(words.slice(1))
}

/** Nobody made it up, and it is neither a digest nor a word. */
function isKeyLike(value: string): boolean {
  return isRandom(value) && !isMadeUp(value) && !/^[0-9a-f]+$/.test(value)
}

function looksLikeToken(value: string): boolean {
  return looksLikeKey(value) && !isMadeUp(value) && /[0-9]/.test(value) && value.length >= 20
}

/** Letters of both sizes and digits, several of each: names of files and of classes have few. */
function isMixed(value: string): boolean {
  return [/[a-z]/g, /[A-Z]/g, /\d/g].every((kind) => (value.match(kind)?.length ?? 0) >= 3)
}

function isUserAndPassword(value: string): boolean {
  const text = Buffer.from(value, 'base64').toString('utf8')
  const [, password = ''] = /^[\x21-\x7e]{1,100}?:([\x21-\x7e]{6,100})$/.exec(text) ?? []
  return password !== '' && !isMadeUp(password)
}
