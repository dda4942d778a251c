import { type Context, contextOf } from './context.js'
import type { Node, SourceFile, Visit } from './parse.js'
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
import { stageTest } from './stages.js'
import { namesAddress, namesCredential, namesHost, namesMail, namesPhone, namesPort, namesProse } from './words.js'

export type Kind = 'credential' | 'address' | 'connection' | 'host' | 'port' | 'mail' | 'phone'
export type Confidence = 'high' | 'medium' | 'low'

/** A literal in code that is a setting or a key. Offsets are into the file's text, `[start, end)`. */
export interface Finding {
  readonly path: string
  readonly kind: Kind
  /** The whole literal, or the part of a template's text that is moved. */
  readonly start: number
  readonly end: number
  /** How it is written there, so that it can be replaced. */
  readonly form: 'string' | 'number' | 'template-text' | 'markup'
  /** What goes into a layer. */
  readonly value: string
  /** What goes into the layers of single stages, where code chooses by environment. */
  readonly stages?: Readonly<Record<string, string>>
  /** What stays in code in front of it (`Bearer `) and behind it: an address keeps its path. */
  readonly lead: string
  readonly rest: string
  /** Whether it counts only beside others of the same value: nothing but that value speaks for it. */
  readonly echo: boolean
  /** Whether a comment says that it stays in code. */
  readonly kept: boolean
  /** Where the literal starts; both count from 1. */
  readonly line: number
  readonly column: number
  /** The words of the name that it is given to, and of what it is a part of. */
  readonly words: readonly string[]
  readonly outer: readonly string[]
  readonly confidence: Confidence
  /** Why it was found: a sentence that does not repeat it. */
  readonly reason: string
}

/** What a literal is, if it is something to be moved. */
type Guess = Pick<Finding, 'kind' | 'value' | 'confidence' | 'reason'> & {
  readonly lead?: string
  readonly rest?: string
  readonly echo?: boolean
  readonly stages?: Readonly<Record<string, string>>
}

const keepComment = /\/[/*] ?mappa keep: ?\S/
const doubts =
  /change (?:this|me)|make (?:this )?configurable|todo.*(?:config|env|setting)|hard-?coded|move (?:this )?to (?:the )?(?:config|env)/i

/** Files whose values are made up for a purpose: tests, fixtures, stories, and the settings of tools. */
export function isTestFile(path: string): boolean {
  return /(?:^|\/)(?:tests?|__tests__|__mocks__|fixtures?|spec|specs|e2e|mocks?|stories|cypress|testdata)\/|\.(?:test|spec|stories|fixture|mock|bench)\.[^/]+$/.test(
    path,
  )
}

/** Collects the settings and keys among the literals of a file, as its trees are visited. */
export function findingsIn(file: SourceFile): { readonly visit: Visit; readonly findings: readonly Finding[] } {
  const { path, text } = file
  const findings: Finding[] = []
  const add = (node: Node, range: Pick<Finding, 'start' | 'end' | 'form'>, guess: Guess, context: Context) => {
    // Only now: in a file of one long line, looking round each literal would take for ever.
    const around = linesAround(text, node.start)
    const raised = guess.confidence !== 'high' && doubts.test(around)
    findings.push({
      path,
      ...range,
      lead: '',
      rest: '',
      echo: false,
      kept: keepComment.test(around),
      line: text.slice(0, range.start).split('\n').length,
      column: range.start - text.lastIndexOf('\n', range.start - 1),
      ...guess,
      words: context.words,
      outer: context.outer,
      ...(raised && {
        confidence: 'high' as const,
        reason: `${guess.reason} A comment beside it asks for it to be made configurable.`,
      }),
    })
  }
  /** Literals that are moved with what they are a part of. */
  const taken = new Set<Node>()
  const visit: Visit = (node, parents) => {
    if (taken.has(node)) return
    if (node.type === 'ConditionalExpression') {
      const chosen = guessByStage(node, parents)
      if (!chosen) return
      for (const branch of chosen.branches) taken.add(branch)
      add(node, { start: node.start, end: node.end, form: chosen.form }, chosen.guess, chosen.context)
      return
    }
    const literal = literalOf(node, parents.at(-1))
    if (!literal || !mayBeSetting(literal)) return
    // What a tag makes of a template is its own business.
    if (parents.at(-2)?.type === 'TaggedTemplateExpression') return
    const context = contextOf(
      node.type === 'TemplateElement' ? (parents.at(-1) as Node) : node,
      contextParents(node, parents),
    )
    if (context.fixed || context.compared) return
    const guess = literal.form === 'number' ? guessNumber(node.value as number, context) : guessText(literal, context)
    if (!guess) return
    const { start } = literal
    const end = literal.form === 'template-text' ? start + guess.value.length : literal.end
    const isMarkup = literal.form === 'string' && parents.at(-1)?.type === 'JSXAttribute'
    add(node, { start, end, form: isMarkup ? 'markup' : literal.form }, guess, context)
  }
  return { visit: isTestFile(path) ? () => {} : visit, findings }
}

/** `isProduction ? 'https://…' : 'http://…'`: one setting that has another value in a stage. */
function guessByStage(node: Node, parents: readonly Node[]) {
  const asked = stageTest(node.test)
  const [then, other] = [node.consequent as Node, node.alternate as Node]
  if (!asked || then.type !== other.type || !/^(?:String|Numeric)Literal$/.test(then.type)) return undefined
  const context = contextOf(node, parents)
  if (context.fixed || context.compared) return undefined
  const guessOf = (branch: Node) => {
    const literal = literalOf(branch, node) as Literal
    return literal.form === 'number' ? guessNumber(branch.value as number, context) : guessText(literal, context)
  }
  const [first, second] = [guessOf(then), guessOf(other)]
  const guess = first && !first.echo ? first : second
  if (!guess || guess.echo) return undefined
  // Where both go on alike, that stays; else each value moves as a whole.
  const same = first?.kind === second?.kind && first?.rest === second?.rest && first?.lead === second?.lead
  const [inStage, else_] = asked.negated ? [second, first] : [first, second]
  const [stageNode, elseNode] = asked.negated ? [other, then] : [then, other]
  const movedText = (own: Guess | undefined, branch: Node) => (same && own ? own.value : String(branch.value))
  const form: Finding['form'] = then.type === 'NumericLiteral' ? 'number' : 'string'
  return {
    branches: [then, other],
    form,
    context,
    guess: {
      ...guess,
      ...(!same && { rest: '', lead: '' }),
      value: movedText(else_, elseNode),
      stages: { [asked.stage]: movedText(inStage, stageNode) },
      reason: `${guess.reason} Code chooses it by environment.`,
    } satisfies Guess,
  }
}

/** What no rule below takes, told before looking at its surroundings. */
function mayBeSetting({ form, text }: Literal): boolean {
  if (form === 'number') return /^[1-9][0-9]{1,4}$/.test(text)
  return text.length > 3 && text.length <= 10_000
}

interface Literal {
  readonly form: 'string' | 'number' | 'template-text'
  readonly text: string
  readonly start: number
  readonly end: number
  /** Whether more follows that is only known when the code runs. */
  readonly goesOn: boolean
}

function literalOf(node: Node, parent: Node | undefined): Literal | undefined {
  const { start, end } = node
  if (node.type === 'StringLiteral') return { form: 'string', text: node.value as string, start, end, goesOn: false }
  if (node.type === 'NumericLiteral') return { form: 'number', text: String(node.value), start, end, goesOn: false }
  if (node.type !== 'TemplateElement') return undefined
  const { cooked, raw } = node.value as { cooked?: string; raw: string }
  // What is written with escapes cannot be cut by its length.
  if (cooked === undefined || cooked !== raw) return undefined
  // A template without expressions is a string of several lines.
  const whole = parent?.type === 'TemplateLiteral' && (parent.quasis as Node[]).length === 1
  if (whole) return { form: 'string', text: raw, start: parent.start, end: parent.end, goesOn: false }
  return { form: 'template-text', text: raw, start, end, goesOn: !node.tail }
}

/** A template's first text is used as the template is; a later one is a part of something. */
function contextParents(node: Node, parents: readonly Node[]): readonly Node[] {
  return node.type === 'TemplateElement' ? parents.slice(0, -1) : parents
}

function guessNumber(value: number, { words, call, argument }: Context): Guess | undefined {
  if (!Number.isInteger(value) || value < 1 || value > 65535) return undefined
  const port = { kind: 'port' as const, value: String(value) }
  if (namesPort(words)) return { ...port, confidence: 'high', reason: 'Its name says that it is a port.' }
  if (call === 'listen' && argument === 0 && value >= 80)
    return { ...port, confidence: 'high', reason: 'A server listens on it.' }
  return undefined
}

function guessText(literal: Literal, context: Context): Guess | undefined {
  const { text } = literal
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
  const address = webAddress(goesOn ? text.replace(/[/?#]$/, (sign) => `${sign}`) : text)
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
          ? 'medium'
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
  return plain(text) !== plain(name ?? '') && !/^x-[a-z-]+$/i.test(text) && !/^[./]/.test(text)
}

/** The line of an offset and the one above it, for comments. */
function linesAround(text: string, at: number): string {
  const start = text.lastIndexOf('\n', at - 1)
  const before = start <= 0 ? 0 : text.lastIndexOf('\n', start - 1) + 1
  const end = text.indexOf('\n', at)
  const above = text.slice(before, Math.max(start, 0))
  // A line of code above has comments of its own.
  const comment = /^\s*(?:\/\/|\/\*|\*)/.test(above) ? above : ''
  return `${comment}\n${text.slice(start + 1, end < 0 ? text.length : end)}`
}
