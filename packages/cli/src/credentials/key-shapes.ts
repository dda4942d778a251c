import { wordsOf } from '../code/words.js'
import { namesCredential } from '../guess/names.js'
import {
  hasUserInformation,
  isLabelledKey,
  isPlaceholderText,
  isRandom,
  isSignedToken,
  looksLikeKey,
} from '../guess/shapes.js'

/** A text that has the shape of a key, which no legend knows. Offsets are UTF-16 code units. */
export interface KeyShape {
  readonly start: number
  readonly end: number
  /** To follow "what looks like": `a private key`. */
  readonly what: string
}

/**
 * What may begin a key, or stand before one. A text without any of it is looked at no further, and most are: this pattern goes
 * over everything, the others over a line.
 */
const hints =
  /-----BEGIN [A-Z ]*PRIVATE KEY|[^\w]eyJ[\w-]{8}|[a-z][_-](?:live|test|prod|secret|private)[_-]\w{6}|:\/\/[^\s/:@]{0,64}:[^\s/@]{3,128}@|(?:pass(?:w(?:or)?d|phrase)?|secret|token|api_?-?key|access_?-?key|private_?-?key|auth|credential)[\w-]{0,24}["'`]?\s{0,4}(?::|=>?|:=)\s{0,4}["'`]?[^\s"'`]{8}/gi

/** So far a line is looked at on each side of a hint: what is longer is data. Characters. */
const lineReach = 600

/** Texts of the shape of a key, by what they are and by what stands before them. Linear. */
export function keyShapesIn(text: string): KeyShape[] {
  const found = new Map<number, KeyShape>()
  for (const { index } of text.matchAll(hints)) {
    const start = Math.max(text.lastIndexOf('\n', index) + 1, index - lineReach)
    const newline = text.indexOf('\n', index + 1)
    const end = Math.min(newline < 0 ? text.length : newline, index + lineReach)
    for (const shape of inLine(text.slice(start, end)))
      if (!found.has(start + shape.start))
        found.set(start + shape.start, { ...shape, start: start + shape.start, end: start + shape.end })
  }
  return [...found.values()].sort((a, b) => a.start - b.start)
}

function inLine(line: string): KeyShape[] {
  const key = line.search(/-----BEGIN [A-Z ]*PRIVATE KEY-----/)
  if (key >= 0) return [{ start: key, end: line.length, what: 'a private key' }]
  return [...ownShapes(line), ...namedValues(line)]
}

/** Words that say by themselves what they are. */
function ownShapes(line: string): KeyShape[] {
  return [...line.matchAll(/[A-Za-z][\w+.-]*:\/\/[^\s"'`<>)\]}]+|[\w.+/=~-]{12,500}/g)].flatMap(
    ({ 0: word, index }) => {
      const what = isSignedToken(word)
        ? 'a signed token'
        : isLabelledKey(word) && /\d/.test(word) && word.length >= 16 && !isMadeUp(word)
          ? 'a key that says what it is for'
          : hasUserInformation(word) && !isMadeUpAddress(word)
            ? 'an address with a password'
            : undefined
      return what === undefined ? [] : [{ start: index, end: index + word.length, what }]
    },
  )
}

/** A name, and the value that is given to it: in code, layers, JSON, YAML and command lines alike. */
const givenValue =
  /(?:^|[^\w$-])(?:["'`]?)([A-Za-z_$][\w$.-]{2,60})(?:["'`]?)\s{0,4}(?::=|=>|[:=])\s{0,4}(?:(["'`])([^"'`\n]{8,500})\2|([^\s"'`,;(){}[\]<>]{8,500}))/g

function namedValues(line: string): KeyShape[] {
  return [...line.matchAll(givenValue)].flatMap(({ 0: all, 1: name = '', 3: quoted, 4: bare, index }) => {
    const value = quoted ?? bare ?? ''
    const start = index + all.lastIndexOf(value)
    if (!namesCredential(wordsOf(name)) || isMadeUp(value)) return []
    // What stands without quotes is code as often as a value, so it has to look like nothing else.
    const isKey =
      quoted === undefined ? isRandom(value) : isRandom(value) || looksLikeKey(value) || isStrongPassword(value)
    return isKey ? [{ start, end: start + value.length, what: `a credential, under ${name}` }] : []
  })
}

/** What people are told to make of a password: small and capital letters, digits and signs, and no blank. */
function isStrongPassword(value: string): boolean {
  const kinds = [/[a-z]/, /[A-Z]/, /[0-9]/, /[!#%&*+,./:;=?@^_~-]/]
  return value.length <= 64 && !/[\s(){}<>[\]|\\$'"`]/.test(value) && kinds.every((kind) => kind.test(value))
}

/** What marks where a value belongs, takes it from elsewhere, or is made up for all to see. */
function isMadeUp(value: string): boolean {
  return (
    isPlaceholderText(value) ||
    /^urn:/i.test(value) ||
    (!isLabelledKey(value) && /password|secret|token/i.test(value)) ||
    /\$\{|\$\(|\{\{|<%|%[A-Z_]+%|^\$[A-Za-z_]|process\.env|import\.meta|\bexample\b|\bsample\b|\bdummy\b|\bfake\b|\bmock\b|\bplaceholder\b|\bredacted\b|secrets\./i.test(
      value,
    ) ||
    /(.)\1{5}|(.{2,4})\2{3}|0123|1234|abcd/i.test(value)
  )
}

function isMadeUpAddress(address: string): boolean {
  const [, user = '', password = '', host = ''] = /^[^:]+:\/\/([^:@/]*):([^@/]*)@([^/:?#]*)/.exec(address) ?? []
  const words = new Set([
    'pass',
    'password',
    'passwd',
    'pwd',
    'secret',
    'user',
    'username',
    'token',
    'changeme',
    'admin',
    'root',
    'test',
    'postgres',
    'mysql',
    'guest',
  ])
  if (isMadeUp(password) || words.has(password.toLowerCase()) || password.toLowerCase() === user.toLowerCase())
    return true
  return (
    password.length < 6 ||
    /^(?:localhost|127\.|0\.0\.0\.0|\[::1\])|(?:^|\.)(?:example|test|invalid|localhost)(?:\.|$)|^(?:host|hostname|domain|server)$/i.test(
      host,
    ) ||
    /[<>{}[\]*$]/.test(user + password)
  )
}
