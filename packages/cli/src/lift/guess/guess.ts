import type { Confidence, Kind } from '../finding.js'
import type { Context } from '../read/context.js'
import type { Literal } from '../read/literals.js'
import { namesAddress, namesCredential, namesHost, namesMail, namesPhone, namesPort, namesProse } from './names.js'
import {
  hasUserInformation,
  isConnection,
  isHost,
  isHostWithPort,
  isLabelledKey,
  isMail,
  isNominalHost,
  isPhone,
  isPrivateKey,
  isRandom,
  isSignedToken,
  webAddress,
} from './shapes.js'

/** What a literal is, if it is something to be moved. */
export interface Guess {
  readonly kind: Kind
  /** What goes into a layer. */
  readonly value: string
  readonly confidence: Confidence
  /** Why: a sentence that does not repeat it. */
  readonly reason: string
  /** What stays in code in front of it and behind it. */
  readonly lead?: string
  readonly rest?: string
  /** Whether it counts only beside others of the same value. */
  readonly echo?: boolean
}

export function guessNumber(value: number, { words, call, argument }: Context): Guess | undefined {
  if (!Number.isInteger(value) || value < 1 || value > 65535) return undefined
  const port = { kind: 'port' as const, value: String(value) }
  if (namesPort(words)) return { ...port, confidence: 'high', reason: 'Its name says that it is a port.' }
  if (call === 'listen' && argument === 0 && value >= 80)
    return { ...port, confidence: 'high', reason: 'A server listens on it.' }
  return undefined
}

export function guessText(literal: Literal, context: Context): Guess | undefined {
  const { text } = literal
  // A connection that goes on before its host is known cannot be cut there.
  if (
    literal.goesOn &&
    isConnection(text) &&
    !/^[a-z][a-z0-9+.-]*:\/\/(?:[^/@\s]*@)?[^/@:\s]+(?::[0-9]+)?\//i.test(text)
  )
    return undefined
  return guessByShape(text, context) ?? guessPlace(literal, context) ?? guessByName(text, context)
}

/** Credentials that show what they are, whatever they are called. */
function guessByShape(text: string, { words }: Context): Guess | undefined {
  const credential = { kind: 'credential' as const, value: text, confidence: 'high' as const }
  if (isPrivateKey(text)) return { ...credential, reason: 'It is a private key.' }
  if (isSignedToken(text)) return { ...credential, reason: 'It is a signed token.' }
  if (isConnection(text))
    return {
      kind: 'connection',
      value: text,
      confidence: 'high',
      reason: hasUserInformation(text) ? 'It says where a service is, with a password.' : 'It says where a service is.',
    }
  if (hasUserInformation(text))
    return { kind: 'connection', value: text, confidence: 'high', reason: 'It is an address with a password.' }
  if (isLabelledKey(text)) return { ...credential, reason: 'It looks like a key that says what it is for.' }
  if (
    isRandom(text) &&
    !namesProse(words) &&
    !/^(?:integrity|hash|checksum|sha|digest|etag|version|commit|className|class|d|path|id)$/.test(words.at(-1) ?? '')
  )
    return namesCredential(words)
      ? { ...credential, reason: 'Its name says that it is a credential, and it looks random.' }
      : { ...credential, confidence: 'low', reason: 'It is long and looks random.' }
  return undefined
}

/** Addresses, hosts with ports. An address in prose, in a link or of a standard is no setting. */
function guessPlace(literal: Literal, context: Context): Guess | undefined {
  const { words, call, markup } = context
  const { text, goesOn } = literal
  if (isHostWithPort(text) && (namesAddress(words) || words.length === 0))
    return { kind: 'host', value: text, confidence: 'high', reason: 'It is a host with a port.' }
  // In a template the address may end in the middle of its path.
  const address = webAddress(text)
  if (!address || isNominalHost(address.host)) return undefined
  const requested = call !== undefined && requests.has(call)
  if (
    !requested &&
    // A link is written out; an address that goes on with what is only known at run time is asked for something.
    ((namesProse(words) && !goesOn) ||
      (markup && !/^(?:action|data-api|endpoint|api|server)/i.test(context.name ?? '')))
  )
    return undefined
  const local = /^(?:localhost|127\.|0\.0\.0\.0|\[::1\])/.test(address.host)
  const guess = { kind: 'address' as const, value: address.origin, rest: address.path }
  if (requested) return { ...guess, confidence: 'high', reason: 'A request goes there.' }
  if (namesAddress(words)) return { ...guess, confidence: 'high', reason: 'Its name says that it is an address.' }
  if (local) return { ...guess, confidence: 'medium', reason: 'It is an address on this machine.' }
  if (goesOn) return { ...guess, confidence: 'medium', reason: 'An address is built on it.' }
  return { ...guess, confidence: 'low', reason: 'It is an address.', echo: true }
}

const requests = new Set([
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

function guessByName(text: string, { words, outer, name, listed }: Context): Guess | undefined {
  if (words.length === 0) return undefined
  // A list of words is about something else, and a token alone may be one of a language.
  if (namesCredential(words) && !listed && isPlainValue(text, name))
    return {
      kind: 'credential',
      value: text.replace(/^Bearer /, ''),
      lead: text.startsWith('Bearer ') ? 'Bearer ' : '',
      confidence:
        words.at(-1) === 'token' &&
        words.length < 3 &&
        /^[a-z]{1,10}$/.test(text) &&
        outer.length === 0 &&
        !/verify|auth|access|api/.test(words[0] ?? '')
          ? 'low'
          : 'high',
      reason: 'Its name says that it is a credential.',
    }
  if (namesPort(words) && /^[0-9]{2,5}$/.test(text))
    return { kind: 'port', value: text, confidence: 'high', reason: 'Its name says that it is a port.' }
  if (namesHost(words) && isHost(text))
    return { kind: 'host', value: text, confidence: 'high', reason: 'Its name says that it is a host.' }
  if (namesMail(words) && isMail(text))
    return {
      kind: 'mail',
      value: text,
      confidence: 'high',
      reason: 'It is an address that mail goes to or comes from.',
    }
  if (namesPhone(words) && isPhone(text))
    return {
      kind: 'phone',
      value: text,
      confidence: 'high',
      reason: 'It is a telephone number that something is sent to.',
    }
  return undefined
}

/** Whether a text could be a credential at all: not a sentence, the name of a field or a header, or a kind of input. */
function isPlainValue(text: string, name: string | undefined): boolean {
  if (/^Bearer \S+$/.test(text)) return true
  if (
    /\s/.test(text) ||
    text.length < 4 ||
    /^(?:true|false|null|undefined|none|text|password|string|hidden|bearer|basic|token|required|optional|current-password|new-password|include|same-origin|omit)$/i.test(
      text,
    )
  )
    return false
  // const API_TOKEN = 'apiToken' and token: 'X-Token' name a key or a header.
  if (/^[A-Z][A-Z0-9]*(?:_[A-Z0-9]+)+$/.test(text)) return false
  const plain = (each: string) => each.toLowerCase().replace(/[^a-z0-9]/g, '')
  return plain(text) !== plain(name ?? '') && !/^x-[a-z-]+$/i.test(text) && !/^[./<]/.test(text)
}
