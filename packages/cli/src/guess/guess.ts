import type { Context } from '../code/context.js'
import type { Literal } from '../code/literals.js'
import { isNode, type Node, nodesIn, oncePerNode } from '../code/parse.js'
import { wordsOf } from '../code/words.js'
import { namesCredential, namesMisspelt, namesSomeKey } from '../credentials/opening-names.js'
import {
  hasUserInformation,
  isLabelledKey,
  isPlaceholderText,
  isPrivateKey,
  isRandom,
  isSignedToken,
  looksLikeKey,
} from '../credentials/opening-shapes.js'
import { openingOf } from '../credentials/opens.js'
import type { Confidence, IfUsed, Kind } from './finding.js'
import {
  isPlainAddress,
  namesAccountId,
  namesAddress,
  namesDatabase,
  namesHost,
  namesLimit,
  namesMail,
  namesMode,
  namesParty,
  namesPhone,
  namesPort,
  namesProse,
  namesSwitch,
  namesUser,
} from './names.js'
import {
  type Address,
  isConnection,
  isHost,
  isHostWithPort,
  isMail,
  isNominalHost,
  isPhone,
  isRepository,
  looksAsked,
  webAddress,
} from './shapes.js'
import { openers, requests } from './taker.js'

/** The guess about a literal that is a setting. */
export interface Guess {
  readonly kind: Kind
  /** The text for a layer. */
  readonly value: string
  readonly confidence: Confidence
  /** Why: a sentence that does not repeat it. */
  readonly reason: string
  /** The texts in front of it and behind it that stay in code. */
  readonly lead?: string
  readonly rest?: string
  /** True if it counts only beside others of the same value. */
  readonly echo?: boolean
  /** True if it only marks where a real value belongs. */
  readonly placeholder?: boolean
  /** Conditions on the use of its name. */
  readonly ifUsed?: IfUsed
}

/** Classifies a literal by its text and its surroundings. */
export function guessOf(literal: Literal, context: Context): Guess | undefined {
  if (literal.form === 'number') return guessNumber(Number(literal.text), context)
  if (literal.form === 'list') return guessList(literal, context)
  return literal.form === 'boolean' ? guessSwitch(literal.text === 'true', context) : guessText(literal, context)
}

/** Addresses, hosts or receivers of which code has a list: one setting, if that has a name and each of them is one. */
function guessList(literal: Literal, context: Context): Guess | undefined {
  if (context.words.length === 0) return undefined
  const items = literal.text.split(',')
  const guesses = items.map((text) => guessText({ ...literal, form: 'string', text }, { ...context, listed: true }))
  const [first] = guesses
  const isOne = guesses.every(
    (each, at) =>
      each?.kind === first?.kind &&
      each?.value === items[at] &&
      !each?.echo &&
      !each?.ifUsed &&
      each?.confidence !== 'low',
  )
  if (!first || !isOne || !/^(?:address|host|mail)$/.test(first.kind)) return undefined
  return { kind: first.kind, value: literal.text, confidence: first.confidence, reason: first.reason }
}

/** A credential is one for sure where `guard` would find it, too; any other still is what its surroundings say. */
function asSure(guess: Guess | undefined, { words }: Context): Guess | undefined {
  if (guess?.kind !== 'credential' || guess.confidence !== 'high' || guess.placeholder) return guess
  return openingOf(guess.value, words) === undefined ? { ...guess, confidence: 'medium' } : guess
}

function guessNumber(value: number, context: Context): Guess | undefined {
  const { words, outer, call, argument, part } = context
  if (!Number.isInteger(value) || value < 1) return undefined
  if (value <= 65535 && value > 9) {
    const port = { kind: 'port' as const, value: String(value) }
    if (namesPort(words) && !isUsualPort(value, context))
      return { ...port, confidence: 'high', reason: 'Its name says it is a port.' }
    if (call === 'listen' && argument === 0) return { ...port, confidence: 'high', reason: 'A server listens on it.' }
  }
  // A factor is not a limit.
  return namesLimit(words, outer) && !part
    ? { kind: 'limit', value: String(value), confidence: 'low', reason: 'Its name says it is a limit.' }
    : undefined
}

/** Tells whether a port is that of every web server (RFC 9110, 4.2), which goes with the scheme rather than being chosen. */
function isUsualPort(value: number, { words, chosen, object }: Context): boolean {
  return (value === 80 || value === 443) && (chosen || object !== undefined || /^def(?:ault)?$/.test(words[0] ?? ''))
}

function guessSwitch(value: boolean, { words }: Context): Guess | undefined {
  return namesSwitch(words)
    ? { kind: 'switch', value: String(value), confidence: 'low', reason: 'Its name says it is a switch.' }
    : undefined
}

export function guessText(literal: Literal, context: Context): Guess | undefined {
  return asSure(guessAnyText(literal, context), context)
}

function guessAnyText(literal: Literal, context: Context): Guess | undefined {
  const { text } = literal
  if (namesMadeUp(context)) return undefined
  // A connection that goes on before its host is known cannot be cut there.
  if (
    literal.goesOn &&
    isConnection(text) &&
    !/^[a-z][a-z0-9+.-]*:\/\/(?:[^/@\s]*@)?[^/@:\s]+(?::[0-9]+)?\//i.test(text)
  )
    return undefined
  const guess = guessByShape(text, context) ?? guessPlace(literal, context)
  if (guess) return guess
  // A scheme, the head of a template and a suffix are not values.
  if (literal.form === 'template-text' || context.part) return undefined
  return (
    guessByUse(text, context) ??
    guessByName(text, context) ??
    guessBesideOthers(text, context) ??
    guessByLaterUse(text, context)
  )
}

/** Tells whether a name says that its value is made up, to be shown or tried out. */
function namesMadeUp({ words, outer }: Context): boolean {
  return [...words, ...outer].some((word) => madeUp.has(word))
}

const madeUp = new Set('mock mocks mocked fake dummy stub fixture fixtures example examples sample samples'.split(' '))

/** Credentials that show what they are, whatever they are called. */
function guessByShape(text: string, context: Context): Guess | undefined {
  const { words, makes, call } = context
  const credential = { kind: 'credential' as const, value: text, confidence: 'high' as const }
  if (isPrivateKey(text)) return { ...credential, reason: 'It is a private key.' }
  if (isSignedToken(text)) return { ...credential, reason: 'It is a signed token.' }
  // The address of a resource that is shown beside its title.
  if (isConnection(text) && !hasUserInformation(text) && isShown(context)) return undefined
  if (isConnection(text))
    return {
      kind: 'connection',
      value: text,
      confidence: 'high',
      reason: hasUserInformation(text)
        ? 'It is the address of a service, with a password.'
        : 'It is the address of a service.',
    }
  if (hasUserInformation(text))
    return { kind: 'connection', value: text, confidence: 'high', reason: 'It is an address with a password.' }
  if (isLabelledKey(text)) return { ...credential, reason: 'It looks like a prefixed API key.' }
  if (
    isRandom(text) &&
    !namesProse(words) &&
    !namesAccountId(words) &&
    !/^(?:integrity|hash|checksum|sha|digest|etag|version|commit|className|class|d|path|id)$/.test(words.at(-1) ?? '')
  )
    return namesCredential(words) || namesSomeKey(words) || namesMisspelt(words)
      ? { ...credential, reason: 'Its name says it is a credential, and it looks random.' }
      : makes && !/^[0-9a-f-]+$/i.test(text) && !keepsText.test(call ?? '')
        ? { ...credential, reason: 'It looks random, and code creates a client with it.' }
        : { ...credential, confidence: 'low', reason: 'It is long and looks random.' }
  return undefined
}

/** Functions that hold text as it is, instead of asking a service with it. */
const keepsText =
  /^(?:Array|Blob|Boolean|Buffer|Date|Error|Event|File|Function|Map|Number|Object|Path|Proxy|RegExp|Request|Response|Set|String|Symbol|URL|Worker)$|(?:Array|Error|Event|Id|ID|Hash|Exception|Signal|Encoder|Decoder|Pattern|Regex|Path)$/

/** Addresses, hosts with ports. An address in prose, in a link or of a standard is not a setting. */
function guessPlace(literal: Literal, context: Context): Guess | undefined {
  const { words, call, markup } = context
  const { text, goesOn } = literal
  if (isHostWithPort(text) && (namesAddress(words) || words.length === 0))
    return { kind: 'host', value: text, confidence: 'high', reason: 'It is a host with a port.' }
  // In a template the address may end in the middle of its path.
  const address = webAddress(text)
  if (!address || isNominalHost(address.host) || isRepository(address) || namesParty(words)) return undefined
  // new URL(request.url, 'http://localhost') needs a base, whichever it is.
  if (call === 'URL' && context.argument === 1 && /^(?:localhost|127\.0\.0\.1|[a-z]+)$/i.test(address.host))
    return undefined
  const requested = call !== undefined && requests.has(call)
  if (
    !requested &&
    // A link is written out; an address that goes on with what is only known at run time is asked for something.
    ((namesProse(words) && !goesOn) ||
      (markup && !/^(?:action|data-api|endpoint|api|server)/i.test(context.name ?? '')))
  )
    return undefined
  if (literal.form === 'string' && !goesOn && isShown(context)) return undefined
  const local = /^(?:localhost|127\.|0\.0\.0\.0|\[::1\])/.test(address.host)
  const guess = { kind: 'address' as const, value: address.origin, rest: address.path }
  if (requested) return { ...guess, confidence: 'high', reason: 'A request uses it.' }
  const plain = isPlainAddress(words)
  if (namesAddress(words) && (!plain || isRequested(address, context)))
    return { ...guess, confidence: 'high', reason: 'Its name says it is an address.' }
  if (local) return { ...guess, confidence: 'medium', reason: 'It is an address on this machine.' }
  if (goesOn || context.part) return { ...guess, confidence: 'medium', reason: 'Code builds an address from it.' }
  // A returned value is for the callers.
  if (looksAsked(address) && (words.length > 0 || call === undefined) && !plain && !context.listed)
    return { ...guess, confidence: 'medium', reason: 'It looks like an API address.' }
  // A requested address may have any name. If nothing requests it here, it may be a setting elsewhere.
  const ifUsed = context.object === undefined && context.name !== undefined
  return {
    ...guess,
    confidence: 'low',
    reason: 'It is an address.',
    echo: true,
    ...(ifUsed && { ifUsed: { name: context.name as string, as: 'address' } }),
  }
}

/** Names of headers and schemes in front of a key (RFC 9110, 11.1). */
const scheme = /^(?:Bearer|Basic|Token|ApiKey|Api-Key|Key|Bot|Digest|JWT|AWS4-HMAC-SHA256) (?=\S{3,}$)/i

/** Tells whether a value stands where code takes what it characters, encrypts or lets in with. */
export function opens({ call, argument, owner, words, outer, listed, name }: Omit<Context, 'object'>): boolean {
  if (
    call !== undefined &&
    argument !== undefined &&
    Object.hasOwn(openers, call) &&
    openers[call]?.[argument] !== undefined
  )
    return name === undefined || !/^(?:crypto|subtle)$/.test(owner ?? '') || !/^(?:sign|verify)$/.test(call)
  const last = words.at(-1) ?? ''
  const keeps = /cookie|session|keygrip|csrf|jwt|auth/
  const isKept = outer.some((word) => keeps.test(word))
  if (last === 'secret' || last === 'secrets') return isKept
  // A cookie's key is its name; its keys are what it is signed with.
  return (
    last === 'keys' &&
    (isKept || /^(?:exports|config)$/.test(owner ?? '') || (listed && /^(?:app|server|koa)$/.test(owner ?? '')))
  )
}

function guessByUse(text: string, context: Context): Guess | undefined {
  const credential = { kind: 'credential' as const, value: text, confidence: 'high' as const }
  if (opens(context) && isPlaceholderText(text))
    return { ...credential, placeholder: true, reason: 'It is a placeholder for a credential.' }
  if (opens(context) && text.length > 2 && !/^(?:sha|md5|hs|rs|es|aes)[-\w]*$/i.test(text))
    return { ...credential, reason: 'Code signs, encrypts or authenticates with it.' }
  return undefined
}

function guessByLaterUse(text: string, context: Context): Guess | undefined {
  const { name, object, words } = context
  const credential = { kind: 'credential' as const, value: text, confidence: 'high' as const }
  // A credential may have any name.
  return name !== undefined &&
    !aside.test(name) &&
    !namesCredential(words) &&
    text.length > 3 &&
    !isMemberOfMany(object)
    ? {
        ...credential,
        reason: 'Code signs, encrypts or authenticates with it.',
        ifUsed: { name, as: 'secret' },
      }
    : undefined
}

/** The text beside a key where it is used. */
const aside =
  /^(?:alg|algorithm|encoding|digest|hash|method|mode|format|type|iss|issuer|sub|subject|aud|audience|name|message)$/i

/** Tells whether an object is a table of texts rather than something with settings in it. */
function isMemberOfMany(object: Node | undefined): boolean {
  return Array.isArray(object?.properties) && object.properties.length > 40
}

function guessByName(text: string, context: Context): Guess | undefined {
  const { words, outer, name, listed, object } = context
  if (words.length === 0) return undefined
  const named = namesCredential(words) && !isStatus(text) && !isCookieName(text, words)
  const credential = { kind: 'credential' as const, confidence: 'high' as const }
  const lead = words.at(-1) === 'authorization' || /^bearer /i.test(text) ? (scheme.exec(text)?.[0] ?? '') : ''
  // A list of words is about something else, and a token alone may be one of a language.
  // What is shown in place of a secret.
  if (context.chosen && /^[*•x.]+$/i.test(text)) return undefined
  if (named && !listed && isPlaceholderFor(text, context) && !isProse(text, object) && !namesProse(outer))
    return {
      ...credential,
      value: text,
      placeholder: true,
      reason: 'It is a placeholder for a credential.',
    }
  if (named && !listed && isPlainValue(text.slice(lead.length), name, words) && !isProse(text, object))
    return {
      ...credential,
      value: text.slice(lead.length),
      lead,
      confidence:
        words.at(-1) === 'token' &&
        words.length < 3 &&
        /^[a-z]+(?:-[a-z]+)*$/.test(text) &&
        (outer.length === 0 || text.length < 5 || /^[a-z]+-token$/.test(text)) &&
        !/verify|auth|access|api/.test(words[0] ?? '')
          ? 'low'
          : 'high',
      reason: 'Its name says it is a credential.',
    }
  if ((namesSomeKey(words) || namesMisspelt(words)) && !listed && looksLikeKey(text) && !isProse(text, object))
    return { ...credential, value: text, reason: 'It looks like a key, and its name says so.' }
  if (namesPort(words) && /^[0-9]{2,5}$/.test(text) && !isUsualPort(Number(text), context))
    return { kind: 'port', value: text, confidence: 'high', reason: 'Its name says it is a port.' }
  if (namesHost(words) && isHost(text))
    return { kind: 'host', value: text, confidence: 'high', reason: 'Its name says it is a host.' }
  // A host in place of an address.
  if (namesAddress(words) && /\.[a-z]{2,}$/i.test(text) && text.split('.').length > 2 && isHost(text))
    return { kind: 'host', value: text, confidence: 'high', reason: 'Its name says it is a path or an address.' }
  if (namesMail(words) && isMail(text))
    return {
      kind: 'mail',
      value: text,
      confidence: 'high',
      reason: 'It is a sender or receiver of mail.',
    }
  if (namesPhone(words) && isPhone(text))
    return {
      kind: 'phone',
      value: text,
      confidence: 'high',
      reason: 'It is a telephone number to send to.',
    }
  return undefined
}

/** Ids, users, databases, modes: what is recognised by its name and its surroundings. */
function guessBesideOthers(text: string, { words, outer, object, listed }: Context): Guess | undefined {
  // A path is a route.
  if (listed || words.length === 0 || !/^[\w.@:~+=-][\w.@:~+/=-]{1,99}$/.test(text)) return undefined
  const beside = object ? besideIn(object) : alone
  const isOpened = beside.credential || beside.host || outer.some((word) => letIn.test(word))
  const account = { kind: 'account' as const, value: text }
  if (namesAccountId(words) && /[0-9]/.test(text) && text.length > 5)
    return { ...account, confidence: 'high', reason: 'It identifies the application to a service.' }
  if (namesAccountId(words))
    return { ...account, confidence: 'low', reason: 'It may identify the application to a service.' }
  if (namesUser(words) && isOpened && beside.count > 1)
    return { ...account, confidence: 'high', reason: 'It is the user name of a credential.' }
  if (namesDatabase(words) && isOpened && beside.count > 1)
    return { ...account, confidence: 'high', reason: 'It is the name of a database, beside its address.' }
  if (beside.credential && beside.count > 1 && placesOfServices.test(words.at(-1) ?? ''))
    return { ...account, confidence: 'medium', reason: 'It stands beside a credential.' }
  if (namesMode(words) && /^(?:sandbox|live)$/.test(text))
    return {
      kind: 'choice',
      value: text,
      confidence: 'high',
      reason: 'It switches a service between test and real mode.',
    }
  return undefined
}

/** Last words of names that say where in a service a credential lets in. */
const placesOfServices = /^(?:region|bucket|zone|cluster|tenant|workspace|queue|topic)$/

/** Names of the members of an object, in order. */
const besideIn = oncePerNode((object) => {
  const names = nodesIn(object.properties).map((each) => wordsOf(keyText(each) ?? ''))
  return { count: names.length, credential: names.some(namesCredential), host: names.some(namesHost) }
})
const alone = { count: 0, credential: false, host: false }

const letIn =
  /^(?:smtp|auth|database|db|mysql|postgres|pg|mongo|mongodb|redis|ftp|sftp|ldap|imap|pop3|mailer|transport)$/

function keyText(property: Node): string | undefined {
  const { key } = property
  const text = isNode(key) && !property.computed ? (key.name ?? key.value) : undefined
  // A number may be a key, too.
  return typeof text === 'string' ? text : undefined
}

/** Tells whether an address is one that is shown: it stands beside a title, a label or a picture. */
function isShown({ words, object }: Context): boolean {
  return object !== undefined && isPlainAddress(words) && isShownIn(object)
}

const isShownIn = oncePerNode(({ properties }) => nodesIn(properties).some((each) => shown.test(keyText(each) ?? '')))

const shown = /^(?:title|label|caption|alt|icon|image|picture|description|text|subtitle|author|license|emoji)$/i

/** Tells whether a plain `url` is asked rather than shown: by its looks, or by what stands beside it. */
function isRequested(address: Address, { object }: Context): boolean {
  return looksAsked(address) || (object !== undefined && isRequest(object))
}

const isRequest = oncePerNode(({ properties }) =>
  nodesIn(properties).some((each) =>
    /^(?:method|headers|body|data|json|form|qs|params|timeout|auth|baseurl|responsetype|maxbodylength)$/i.test(
      keyText(each) ?? '',
    ),
  ),
)

function isPlaceholderFor(text: string, { words, object, name }: Context): boolean {
  if (isPlaceholderText(text)) return true
  // PAGE_TOKEN in place of a page's token; in a constant it is the name of a variable or a header.
  const own = wordsOf(text)
  return (
    object !== undefined &&
    /^[A-Z]+(?:_[A-Z]+){1,2}$/.test(text) &&
    !/^[A-Z0-9_]+$/.test(name ?? '') &&
    own.at(-1) === words.at(-1)
  )
}

/** Tells whether a text is one of several that people read: translations, messages, labels. */
function isProse(text: string, object: Node | undefined): boolean {
  const isRead = /\s|^\p{Lu}\p{Ll}+$|[^\x00-\x7f]/u.test(text)
  return isRead && object !== undefined && isReadIn(object)
}

/** Tells whether most texts of an object are prose. */
const isReadIn = oncePerNode(({ properties }) => {
  const texts = nodesIn(properties).flatMap(({ value }) =>
    isNode(value) && value.type === 'StringLiteral' ? [value.value as string] : [],
  )
  const read = texts.filter((each) => /^\p{Lu}?\p{Ll}+(?: \p{L}+)+|^\p{Lu}\p{Ll}+$|[^\x00-\x7f]/u.test(each))
  return texts.length > 1 && read.length * 2 > texts.length
})

/** Tells whether the key of a cookie or a session is what it is called: `cookieKey: 'sessionId'`. */
function isCookieName(text: string, words: readonly string[]): boolean {
  return (
    /^(?:cookie|session|token|auth) key$/.test(words.slice(-2).join(' ')) &&
    /^[a-z][\w.-]*(?:sid|id|session|token|auth|cookie|user)$/i.test(text)
  )
}

/** Tells whether a text says whether there is a value, in place of it: `not set`, `******`. */
function isStatus(text: string): boolean {
  const plain = text.replace(/[*•.…<>()[\]_-]+/g, ' ').trim()
  return /^(?:(?:not|is|are) )?(?:set|unset|configured|missing|present|provided|defined|undefined|redacted|hidden|masked|found|available|empty|loaded)$/i.test(
    plain,
  )
}

/** Tells whether a text could be a credential at all: not a sentence, the name of a field or a header, or a kind of input. */
function isPlainValue(text: string, name: string | undefined, words: readonly string[]): boolean {
  if (
    text.length < 3 ||
    text !== text.trim() ||
    /^(?:true|false|null|undefined|none|text|password|string|hidden|bearer|basic|token|required|optional|current-password|new-password|include|same-origin|omit)$/i.test(
      text,
    )
  )
    return false
  // keyboard cat: few words in small letters, that do not speak of themselves.
  if (/\s/.test(text)) {
    const own = wordsOf(text)
    if (own.length > 6 || own.some((word) => words.includes(word)) || /[^\x20-\x7e]|^[A-Z][a-z]+ |[.?:,]$/.test(text))
      return false
  }
  // const API_TOKEN = 'apiToken' and token: 'X-Token' name a key or a header.
  if (/^[A-Z][A-Z0-9]*(?:_[A-Z0-9]+)+$/.test(text)) return false
  const own = wordsOf(text)
  const isKey = /^(?:keys?|name|field|header)$/.test(words.at(-1) ?? '')
  if ((own.length > 1 || isKey) && own.every((word) => words.includes(word))) return false
  const plain = (each: string) => each.toLowerCase().replace(/[^a-z0-9]/g, '')
  return plain(text) !== plain(name ?? '') && !/^x-[a-z-]+$/i.test(text) && !/^[./<]/.test(text)
}
