import { type DefaultTreeAdapterTypes, Parser, parseFragment, type Token } from 'parse5'
import {
  type FilledForm,
  type Mention,
  type Misplaced,
  replaced,
  type Stamped,
  type Stood,
  stoodFor,
  type Template,
} from './template.js'

/** What a page does with the text at a place. */
type Use = 'text' | 'left' | 'data' | 'code' | 'raw' | 'tag'

/** A range of a page whose text is used alike. */
interface PageRange {
  readonly start: number
  readonly end: number
  readonly use: Use
  readonly tag?: Tag | undefined
}

interface Tag {
  readonly tagName: string
  readonly attrs: readonly Token.Attribute[]
  /** Where each attribute stands, by its name as it is written. */
  readonly places: Readonly<Record<string, Token.Location>>
}

/**
 * HTML: values become text, or a part of an attribute in quotes, and never code. Where a page runs or opens what it holds, a value is
 * written as that place needs it or refused. Scripts and comments keep their own `${…}`; scripts have `pageValues`.
 */
export function stampHtml(
  template: Template,
  filled: readonly FilledForm[],
  schemesOf: (mention: Mention) => readonly string[],
): Stamped {
  const stood = stoodFor(template, filled)
  const misplaced: Misplaced[] = []
  const edits: { start: number; end: number; text: string }[] = []
  const rangeAt = rangeFinder(rangesIn(stood.text))
  for (const { index, 0: word } of stood.text.matchAll(stood.pattern)) {
    const value = stood.words.get(word)
    const range = rangeAt(index)
    const edit = (text: string) => edits.push({ start: index, end: index + word.length, text })
    if (range?.use === 'left' || !value) {
      // What is not a form of ours stays as it was written.
      edit(value ? template.text.slice(value.mention.start, value.mention.end) : range?.use === 'left' ? '\\${' : '${')
      continue
    }
    const refused =
      (range && refusalAt(range, index, value, { stood, schemes: schemesOf(value.mention) })) ??
      refusalBehindAmpersand(stood.text, index, index + word.length, value)
    if (refused) misplaced.push({ at: value.mention.start, kind: 'bad-expansion', ...refused })
    edit(range?.use === 'data' ? inJson(value.text) : htmlText(value.text))
  }
  const result = replaced(stood.text, edits)
  return { text: result, misplaced }
}

/** The template without the forms that a page keeps for itself. */
export function pageTemplate(template: Template): Template {
  const forms = template.mentions.map((mention) => ({ mention, text: '', scalar: undefined }))
  const stood = stoodFor({ ...template, escapes: [] }, forms)
  const rangeAt = rangeFinder(rangesIn(stood.text))
  const kept = new Set<Mention>()
  for (const { index, 0: word } of stood.text.matchAll(stood.pattern)) {
    const mention = stood.words.get(word)?.mention
    if (mention && rangeAt(index)?.use === 'left') kept.add(mention)
  }
  const leftAt = rangeFinder(rangesIn(template.text))
  return {
    ...template,
    mentions: template.mentions.filter((mention) => !kept.has(mention)),
    // In quotes it is no template of the script's own.
    kept: [...kept].filter(({ start, end }) => /^(["'])\1$/.test(`${template.text[start - 1]}${template.text[end]}`)),
    flaws: template.flaws.filter((at) => leftAt(at)?.use !== 'left'),
  }
}

/** Finds the range of an offset; asked for rising offsets. */
function rangeFinder(ranges: readonly PageRange[]): (at: number) => PageRange | undefined {
  let next = 0
  return (at) => {
    while ((ranges[next]?.end ?? Number.POSITIVE_INFINITY) <= at) next++
    const range = ranges[next]
    return range && range.start <= at ? range : undefined
  }
}

/** Elements whose content a page shows as it is written, or not at all. */
const rawElements = new Set(['iframe', 'noembed', 'noframes', 'xmp', 'plaintext'])

/** Notes where tags and comments are, also of those that a browser only takes the attributes of, such as a second body. */
class Places extends Parser<DefaultTreeAdapterTypes.DefaultTreeAdapterMap> {
  readonly ranges: PageRange[] = []
  readonly #text: string
  /** The end of the last section of characters. */
  #sectionEnd = 0

  constructor(text: string) {
    // Without scripts what stands in noscript is read as HTML.
    super({
      sourceCodeLocationInfo: true,
      scriptingEnabled: false,
      onParseError: ({ code, startOffset }) => {
        // A tag that never ends is no token. What is put behind a page may end it.
        const { currentToken } = this.tokenizer as unknown as { readonly currentToken: Token.Token | null }
        const start = currentToken?.location?.startOffset
        if (code === 'eof-in-tag' && start !== undefined)
          this.ranges.push({ start, end: startOffset, use: 'tag', tag: { tagName: '', attrs: [], places: {} } })
      },
    })
    this.#text = text
  }

  override onCharacter(token: Token.CharacterToken): void {
    this.#noteSections(token)
    super.onCharacter(token)
  }

  override onWhitespaceCharacter(token: Token.CharacterToken): void {
    this.#noteSections(token)
    super.onWhitespaceCharacter(token)
  }

  /** `<![CDATA[…]]>` within images and formulas, where a text stands as it is (HTML, 13.2.5.69). */
  #noteSections({ location }: Token.CharacterToken): void {
    if (!location || !this.tokenizer.inForeignNode) return
    const { startOffset, endOffset } = location
    const next = (from: number) => this.#text.slice(from, endOffset).indexOf('<![CDATA[') + from
    for (let at = next(startOffset); at >= Math.max(startOffset, this.#sectionEnd); at = next(this.#sectionEnd)) {
      const start = at + 9
      const end = this.#text.indexOf(']]>', start)
      this.#sectionEnd = end < 0 ? this.#text.length : end
      this.ranges.push({
        start,
        end: this.#sectionEnd,
        use: 'raw',
        tag: { tagName: '![CDATA[', attrs: [], places: {} },
      })
    }
  }

  override onStartTag(token: Token.TagToken): void {
    const { tagName, attrs, location } = token
    // The parser changes names and attributes of some later.
    this.#note('tag', location, { tagName, attrs: attrs.map((each) => ({ ...each })), places: location?.attrs ?? {} })
    super.onStartTag(token)
  }

  override onEndTag(token: Token.TagToken): void {
    this.#note('left', token.location)
    super.onEndTag(token)
  }

  override onComment(token: Token.CommentToken): void {
    this.#note('left', token.location)
    super.onComment(token)
  }

  override onDoctype(token: Token.DoctypeToken): void {
    this.#note('left', token.location)
    super.onDoctype(token)
  }

  #note(use: Use, location: Token.Location | null, tag?: Tag): void {
    if (location) this.ranges.push({ start: location.startOffset, end: location.endOffset, use, tag })
  }
}

/** Where a page's tags, comments and scripts are, as a browser's parser finds them; in order, and apart. */
function rangesIn(text: string): PageRange[] {
  const parser = new Places(text)
  parser.tokenizer.write(text, true)
  const { ranges } = parser
  const open: DefaultTreeAdapterTypes.Node[] = [parser.document]
  for (let node = open.pop(); node; node = open.pop()) {
    if ('content' in node) open.push(node.content)
    if ('childNodes' in node) for (const child of node.childNodes) open.push(child)
    if (!('tagName' in node)) continue
    const { startTag, endTag } = node.sourceCodeLocation ?? {}
    const use = contentUse(node)
    if (!use || !startTag) continue
    const tag = { tagName: node.tagName, attrs: node.attrs, places: {} }
    ranges.push({ start: startTag.endOffset, end: contentEnd(node, endTag, text.length), use, tag })
  }
  ranges.sort((a, b) => a.start - b.start || b.end - a.end)
  // What lies in a script of an image is a part of that.
  const apart: PageRange[] = []
  for (const range of ranges) if (range.start >= (apart.at(-1)?.end ?? 0)) apart.push(range)
  return apart
}

/** Where the content of an element ends: one of HTML that is not closed goes on to the end of the page. */
function contentEnd(
  element: DefaultTreeAdapterTypes.Element,
  endTag: Token.Location | undefined,
  length: number,
): number {
  if (!isForeign(element)) return endTag?.startOffset ?? length
  // In an image a tag of HTML closes it, and the parser may take the end of a script in it for its own.
  const last = element.childNodes.at(-1)?.sourceCodeLocation?.endOffset ?? 0
  return Math.max(element.sourceCodeLocation?.startTag?.endOffset ?? 0, endTag?.startOffset ?? 0, last)
}

function isForeign({ namespaceURI }: DefaultTreeAdapterTypes.Element): boolean {
  return namespaceURI !== 'http://www.w3.org/1999/xhtml'
}

function contentUse(element: DefaultTreeAdapterTypes.Element): Use | undefined {
  const { tagName } = element
  if (tagName === 'style') return 'code'
  if (rawElements.has(tagName)) return isForeign(element) ? undefined : 'raw'
  if (tagName !== 'script') return undefined
  const type = attributeOf(element, 'type')?.trim().toLowerCase() ?? ''
  // Data blocks that the standards know (HTML, 4.12.1; Speculation Rules).
  return /^(?:application\/(?:ld\+)?json|importmap|speculationrules)$/.test(type) ? 'data' : 'left'
}

/** The value of an attribute, by its name as it is written: the parser takes some of SVG apart, and gives them capitals. */
function attributeOf({ attrs }: Pick<Tag, 'attrs'>, name: string): string | undefined {
  const written = ({ prefix, name }: Token.Attribute) => (prefix ? `${prefix}:${name}` : name).toLowerCase()
  return attrs.find((each) => written(each) === name)?.value
}

type Refusal = Pick<Misplaced, 'why' | 'remedy'>
interface Surroundings {
  readonly stood: Stood
  readonly schemes: readonly string[]
}

/** Why a value must not stand at a place of a page; undefined if it may. */
function refusalAt(range: PageRange, at: number, value: FilledForm, around: Surroundings): Refusal | undefined {
  const { use, tag } = range
  if (use === 'code') return isPlainWord(value.text) ? undefined : inCode('a style')
  if (use === 'raw' && htmlText(value.text) !== value.text)
    return { why: `is in <${tag?.tagName}>, which shows it otherwise.`, remedy: 'Put it into another element.' }
  if (use === 'data' && !isInJsonText(around.stood.text.slice(range.start, at)))
    return { why: 'is in JSON, but not in a text of it.', remedy: 'Put it in double quotes.' }
  if (use !== 'tag' || !tag) return undefined
  const name = attributeAt(tag, at)
  const location = name === undefined ? undefined : tag.places[name]
  if (name === undefined || !location || !/["']/.test(around.stood.text[location.endOffset - 1] as string))
    return {
      why: 'is in a tag, but not in a quoted attribute.',
      remedy: 'Put the whole value of the attribute in quotes.',
    }
  return refusalIn(tag, name, value, around)
}

/**
 * Behind an ampersand a value may become a part of a character reference, and so another character (HTML, 13.2.5.72). Only the part of
 * the text that may belong to it is looked at.
 */
function refusalBehindAmpersand(text: string, start: number, end: number, value: FilledForm): Refusal | undefined {
  const [before] = /&(?:#x?)?[A-Za-z0-9]{0,40}$/i.exec(text.slice(Math.max(0, start - 44), start)) ?? []
  if (before === undefined) return undefined
  const behind = /^[A-Za-z0-9]{0,40}[=;]?/.exec(text.slice(end))?.[0] ?? ''
  const meant = `${before}${value.text}${behind}`.replaceAll('\r', '')
  const page = parseFragment(
    `<i title="${before}${htmlText(value.text)}${behind}"></i>${before}${htmlText(value.text)}${behind}`,
  )
  const [element, shown] = page.childNodes as [DefaultTreeAdapterTypes.Element, DefaultTreeAdapterTypes.TextNode?]
  if ([element.attrs[0]?.value, shown?.value].every((each) => each?.replaceAll('\r', '') === meant)) return undefined
  return { why: 'follows an ampersand, and would be read as another character.', remedy: 'Write &amp; in front of it.' }
}

function inCode(where: string): Refusal {
  return {
    why: `is in ${where}, which is code.`,
    remedy: 'Put it into the text, an attribute such as data-…, or pageValues.',
  }
}

/** Attributes that hold addresses, of HTML, SVG and older pages. */
const addresses = new Set(
  'href src action formaction xlink:href poster cite data background longdesc usemap manifest ping profile codebase archive icon srcset imagesrcset classid dynsrc lowsrc'.split(
    ' ',
  ),
)
/** Those of them that hold several. */
const lists = new Set(['srcset', 'imagesrcset', 'ping', 'archive'])
/** Schemes that run nothing. */
const plainSchemes = ['http', 'https', 'mailto', 'tel']

function refusalIn(tag: Tag, name: string, value: FilledForm, { stood, schemes }: Surroundings): Refusal | undefined {
  if (/^on/.test(name) || name === 'srcdoc') return inCode(name)
  // Attributes by which libraries mark code in pages.
  if (/^(?:[@:([*#]|v-|x-(?!on$)|ng-|hx-on)/.test(name)) return inCode(name)
  if (name === 'style') return isPlainWord(value.text) ? undefined : inCode('a style')
  const { tagName } = tag
  if (/^(?:set|animate)/i.test(tagName) && /^(?:to|from|by|values|attributename)$/i.test(name)) return inCode(name)
  if (tagName === 'meta' && name === 'content' && attributeOf(tag, 'http-equiv') !== undefined)
    return inCode('a meta element of a header')
  if (!addresses.has(name)) return undefined
  const written = attributeOf(tag, name) ?? ''
  const whole = written.replace(stood.pattern, (word) => stood.words.get(word)?.text ?? '${')
  const allowed = [...plainSchemes, ...schemes]
  const several = lists.has(name) ? whole.split(/[\s,]+/) : []
  const bad = [whole, ...several].find((each) => {
    const scheme = schemeOf(each)
    return scheme !== undefined && !allowed.includes(scheme)
  })
  if (bad === undefined) return undefined
  return {
    why: `makes ${name} an address that begins with ${schemeOf(bad)}:, which may run code.`,
    remedy: `Use an address of ${plainSchemes.join(', ')}, or name the scheme in the entry: schemes.`,
  }
}

/** The scheme of an address as browsers read it: blanks and control characters in front of it and in it do not count (URL, 4.4). */
function schemeOf(address: string): string | undefined {
  return /^([a-z][a-z0-9+.-]*):/i.exec(address.replace(/[\0- ]/g, ''))?.[1]?.toLowerCase()
}

/** Tells whether a text is one word or number, also with a unit, or a colour, which mean the same in any language. */
function isPlainWord(text: string): boolean {
  return /^#?[A-Za-z0-9][A-Za-z0-9.%-]*$/.test(text) && !text.includes('--')
}

function isInJsonText(before: string): boolean {
  let isInside = false
  for (const [mark] of before.matchAll(/\\[\s\S]|"/g)) if (mark === '"') isInside = !isInside
  return isInside
}

/** The attribute of a tag that an offset lies in. */
function attributeAt({ places }: Tag, at: number): string | undefined {
  let found = indexes.get(places)
  if (!found) {
    found = Object.entries(places).sort(([, a], [, b]) => a.startOffset - b.startOffset)
    indexes.set(places, found)
  }
  let [low, high] = [0, found.length]
  while (low < high) {
    const middle = (low + high) >> 1
    if ((found[middle]?.[1].endOffset ?? 0) <= at) low = middle + 1
    else high = middle
  }
  const [name, location] = found[low] ?? []
  return location && location.startOffset < at ? name : undefined
}

/** A tag's attributes in order: one may have thousands. */
const indexes = new WeakMap<object, readonly (readonly [string, Token.Location])[]>()

/** HTML, 13.2.3.5: a carriage return that stands for itself is read as a line feed. */
const chars: Readonly<Record<string, string>> = {
  '&': '&amp;',
  '<': '&lt;',
  '>': '&gt;',
  '"': '&quot;',
  "'": '&#39;',
  '\r': '&#13;',
}

function htmlText(value: string): string {
  return value.replace(/[&<>"'\r]/g, (char) => chars[char] as string)
}

/** A part of a text of JSON that no script element ends in. */
function inJson(value: string): string {
  return JSON.stringify(value)
    .slice(1, -1)
    .replace(/[<>&\u2028\u2029]/g, (char) => `\\u${char.charCodeAt(0).toString(16).padStart(4, '0')}`)
}
