import { CST, type Document, isMap, Lexer, parseAllDocuments, Scalar, visit } from 'yaml'
import { yamlText } from '../../delivery/yaml-text.js'
import {
  type FilledForm,
  type Misplaced,
  offsetIn,
  replaced,
  type Stamped,
  type Stood,
  stoodFor,
  type Template,
} from './template.js'

/** Facts about a kind of YAML template. */
export interface YamlKind {
  /** True if it is a Compose file, which expands dollar characters itself: `$$` is one there. */
  readonly isCompose?: boolean
  /** Names of secrets, and of undeclared names, that a form holds. */
  readonly hiddenIn: (filled: FilledForm) => {
    readonly secrets: readonly string[]
    readonly undeclared: readonly string[]
  }
}

/** YAML 1.2.2, section 7.4.2: an implicit key has at most so many characters, quotes included. */
const keyMax = 1024

/** A scalar of the template that gets values. */
interface ScalarSite {
  readonly node: Scalar
  readonly start: number
  readonly end: number
  readonly inFlow: boolean
  readonly isKey: boolean
  /** The kind of the cluster's object that it is in, if it is in one. */
  readonly object: string | undefined
}

/**
 * YAML, all documents of a stream: what a scalar means after its values are in it is written so that it is read back as just
 * that. A scalar that is wholly a number or a switch stays one; all others are texts. Every other byte stays as it is.
 */
export function stampYaml(template: Template, filled: readonly FilledForm[], kind: YamlKind): Stamped {
  const stood = stoodFor(template, filled)
  const documents = parseAllDocuments(stood.text, {
    uniqueKeys: false,
    merge: true,
    logLevel: 'silent',
    prettyErrors: false,
  })
  const flaw = Array.isArray(documents) ? documents.flatMap(({ errors }) => errors)[0] : undefined
  if (flaw)
    return {
      text: template.text,
      misplaced: [
        {
          at: offsetIn(template, stood, flaw.pos[0]),
          kind: 'bad-expansion',
          why: `The template is not valid YAML here: ${flaw.message.split(/ at line |\n/)[0]}.`,
          remedy: 'Correct it, or pass --as text.',
        },
      ],
    }
  const sites = sitesIn(documents as readonly Document.Parsed[])
  const { text, words, pattern } = stood
  const misplaced: Misplaced[] = []
  const edits: { start: number; end: number; text: string }[] = []
  const meant = new Map<number, unknown>()
  const seen = new Set<string>()
  for (const [at, site] of sites.entries()) {
    const found = [...text.slice(site.start, site.end).matchAll(pattern)].map(([word]) => word)
    if (found.length === 0) continue
    for (const word of found) {
      seen.add(word)
      const value = words.get(word)
      if (value) for (const each of misplacedIn(value, site, kind)) misplaced.push(each)
    }
    const fresh = writtenScalar(site, stood, kind)
    meant.set(at, fresh.value)
    const first = words.get(found[0] as string)
    if (site.isKey && fresh.text.length > keyMax)
      misplaced.push({
        at: first?.mention.start ?? 0,
        kind: 'cannot-hold',
        why: 'makes a key longer than 1024 characters, the limit of YAML.',
        remedy: 'Shorten the value.',
      })
    edits.push({ start: site.start, end: site.end, text: fresh.text })
  }
  for (const { index, 0: word } of text.matchAll(pattern)) {
    if (seen.has(word)) continue
    const value = words.get(word)
    const before = value ? template.text.slice(value.mention.start, value.mention.end) : '\\${'
    edits.push({ start: index, end: index + word.length, text: before })
    if (value)
      misplaced.push({
        at: value.mention.start,
        kind: 'bad-expansion',
        why: 'is not in a value.',
        remedy: 'Put it in a value or in quotes.',
      })
  }
  const result = replaced(text, edits)
  if (misplaced.length === 0) assertMeant(result, sites.length, meant)
  return { text: result, misplaced }
}

/** The template without the forms in comments, which may name variables that do not exist. */
export function yamlTemplate(template: Template): Template {
  const { mentions, flaws, escapes } = template
  const forms = [...mentions, ...flaws.map((start) => ({ start, end: start + 2 }))]
  const veiled = forms.map(({ start, end }) => ({ start, end, text: 'x'.repeat(end - start) }))
  const text = replaced(template.text, [...veiled, ...escapes.map((start) => ({ start, end: start + 3, text: 'xxx' }))])
  const [isRemark, isFlawsRemark] = [remarksIn(text), remarksIn(text)]
  return {
    ...template,
    mentions: mentions.filter(({ start }) => !isRemark(start)),
    flaws: flaws.filter((at) => !isFlawsRemark(at)),
  }
}

/** Anyone who can read a cluster's objects can read all but its secrets. */
function misplacedIn(value: FilledForm, { object }: ScalarSite, { hiddenIn }: YamlKind): Misplaced[] {
  if (object === undefined || /Secret/.test(object)) return []
  const { secrets, undeclared } = hiddenIn(value)
  const at = value.mention.start
  if (secrets.length > 0)
    return [
      {
        at,
        kind: 'misplaced-secret',
        why: `is secret, but a ${object} is readable by everyone in the cluster.`,
        remedy: 'Take it from a Secret (secretKeyRef, envFrom). Run: mappa emit --as cluster',
      },
    ]
  return undeclared.map((name) => ({
    at,
    kind: 'misplaced-secret',
    why: `uses a name that is not in the legend, so it counts as secret, but stands in a ${object}.`,
    remedy: `Write: ${name}: { type: 'string' }`,
  }))
}

function sitesIn(documents: readonly Document.Parsed[]): ScalarSite[] {
  const sites: ScalarSite[] = []
  const kinds = new Map<unknown, string | undefined>()
  /** The kind of a cluster's object; a map is asked for it once, since it looks through all of its keys. */
  const kindOf = (node: unknown) => {
    if (!isMap(node)) return undefined
    if (!kinds.has(node)) {
      const kind = node.has('apiVersion') ? node.get('kind') : undefined
      kinds.set(node, typeof kind === 'string' ? kind : undefined)
    }
    return kinds.get(node)
  }
  for (const document of documents)
    visit(document, {
      Scalar(key, node, path) {
        const [start, end] = node.range ?? []
        if (start === undefined || end === undefined || end <= start) return
        const flow = path.some((each) => (isMap(each) || 'items' in each) && (each as { flow?: boolean }).flow === true)
        const object = path.map(kindOf).findLast((kind) => kind !== undefined)
        sites.push({ node, start, end, inFlow: flow, isKey: key === 'key', object })
      },
    })
  return sites
}

/** A scalar with its values filled in: its meaning and its spelling. */
function writtenScalar(
  site: ScalarSite,
  stood: Stood,
  kind: YamlKind,
): { readonly text: string; readonly value: unknown } {
  const { node, start, end, inFlow } = site
  const { words, pattern, text } = stood
  const source = text.slice(start, end)
  const whole = words.get(source)
  // A tag of its own says what it is.
  if (whole?.scalar !== undefined && node.type === Scalar.PLAIN && node.tag === undefined)
    return { text: String(whole.scalar), value: whole.scalar }
  const filledIn = (given: string, spell: (value: string) => string = (value) => value) =>
    given.replace(pattern, (word) => {
      const value = words.get(word)
      const fresh = value ? value.text : '${'
      return spell(value && kind.isCompose ? fresh.replaceAll('$', '$$$$') : fresh)
    })
  const value = filledIn(node.source ?? String(node.value))
  if (node.type === Scalar.BLOCK_LITERAL || node.type === Scalar.BLOCK_FOLDED) {
    const indent = /\n([ ]+)\S/.exec(source)?.[1] ?? ''
    const block = filledIn(source, (each) => each.replace(/\n(?=[^\n])/g, `\n${indent}`))
    // Values with blanks, line ends or special characters may read back differently: those take another way.
    return readBack(text.slice(lineStart(text, start), start) + block) === value
      ? { text: block, value }
      : { text: `${yamlText(value, { isQuoted: true })}${source.endsWith('\n') ? '\n' : ''}`, value }
  }
  if (node.type === Scalar.QUOTE_SINGLE && /^[\x20-\x7e]*$/.test(value))
    return { text: `'${value.replaceAll("'", "''")}'`, value }
  return { text: yamlText(value, { isQuoted: inFlow || node.type !== Scalar.PLAIN }), value }
}

function lineStart(text: string, at: number): number {
  return text.lastIndexOf('\n', at - 1) + 1
}

/** The text of the one block scalar that a piece of YAML ends in. */
function readBack(piece: string): unknown {
  try {
    const [document] = parseAllDocuments(piece, { logLevel: 'silent', prettyErrors: false }) as Document.Parsed[]
    let last: unknown
    if (!document || document.errors.length > 0) return undefined
    visit(document, { Scalar: (_, node) => void (last = node.source ?? node.value) })
    return last
  } catch {
    return undefined
  }
}

/** Tells whether an offset lies in a remark; asked for rising offsets. */
function remarksIn(text: string): (offset: number) => boolean {
  const tokens = new Lexer().lex(text)
  let [end, isRemark] = [0, false]
  return (offset) => {
    while (end <= offset) {
      const { value, done } = tokens.next()
      if (done) return false
      // Some tokens are marks of the lexer's own, which stand nowhere in the text.
      if (['\u0002', '\u0018', '\u001f'].includes(value)) continue
      end += value.length
      isRemark = CST.tokenType(value) === 'comment'
    }
    return isRemark
  }
}

/** Nothing leaves that is read otherwise than it was meant. */
function assertMeant(result: string, count: number, meant: ReadonlyMap<number, unknown>): void {
  const documents = parseAllDocuments(result, {
    uniqueKeys: false,
    merge: true,
    logLevel: 'silent',
    prettyErrors: false,
  })
  const sites = Array.isArray(documents) ? sitesIn(documents as Document.Parsed[]) : []
  const isRight = [...meant].every(([at, value]) => {
    const node = sites[at]?.node
    return typeof value === 'string' ? node?.source === value && typeof node.value !== 'number' : node?.value === value
  })
  if (sites.length !== count || !isRight || (documents as Document.Parsed[]).some(({ errors }) => errors.length > 0))
    throw new Error('The stamped YAML reads back differently.')
}
