import { type Token, Tokenizer, TokenizerMode } from 'parse5'

/** A start tag of a page. Offsets are in UTF-16 code units of the page. */
export interface PageTag {
  /** In lower case. */
  readonly name: string
  readonly start: number
  readonly end: number
  readonly attributes: readonly PageAttribute[]
}

export interface PageAttribute {
  readonly name: string
  /** With its character references resolved. */
  readonly value: string
  /** The whole attribute, its quotes among it. */
  readonly start: number
  readonly end: number
}

/** The text between a tag and its end tag, in which HTML reads no tags. */
export interface RawText {
  readonly tag: PageTag
  readonly start: number
  readonly end: number
}

export interface PageParts {
  /** Start and end tags, in order; end tags have no attributes and a name that begins with a slash. */
  readonly tags: readonly PageTag[]
  readonly comments: readonly { readonly start: number; readonly end: number }[]
  /** The contents of scripts, styles, titles and the like, in order. */
  readonly raw: readonly RawText[]
}

/** Content models of elements (HTML, 13.2.6.2 and 13.2.6.4.7). */
const modes: Readonly<Record<string, (typeof TokenizerMode)[keyof typeof TokenizerMode]>> = {
  script: TokenizerMode.SCRIPT_DATA,
  title: TokenizerMode.RCDATA,
  textarea: TokenizerMode.RCDATA,
  style: TokenizerMode.RAWTEXT,
  xmp: TokenizerMode.RAWTEXT,
  iframe: TokenizerMode.RAWTEXT,
  noembed: TokenizerMode.RAWTEXT,
  noframes: TokenizerMode.RAWTEXT,
  plaintext: TokenizerMode.PLAINTEXT,
}

/** The tags, comments and raw texts of a page, also of one that breaks off. */
export function pagePartsOf(text: string): PageParts {
  return tokenized(text, false)
}

/** The raw text of the element that begins at an offset; undefined if none does. */
export function rawTextAt(text: string, start: number): RawText | undefined {
  const [found] = tokenized(text.slice(start), true).raw
  if (!found) return undefined
  const { tag } = found
  const attributes = tag.attributes.map((each) => ({ ...each, start: each.start + start, end: each.end + start }))
  return {
    tag: { ...tag, start: tag.start + start, end: tag.end + start, attributes },
    start: found.start + start,
    end: found.end + start,
  }
}

function tokenized(text: string, isFirstOnly: boolean): PageParts {
  const tags: PageTag[] = []
  const comments: { start: number; end: number }[] = []
  const raw: RawText[] = []
  let open: PageTag | undefined
  const close = (end: number) => {
    if (open) {
      raw.push({ tag: open, start: open.end, end })
      if (isFirstOnly) tokenizer.pause()
    }
    open = undefined
  }
  const tagOf = ({ tagName, attrs, location }: Token.TagToken, slash: string): PageTag => ({
    name: slash + tagName,
    start: location?.startOffset ?? 0,
    end: location?.endOffset ?? 0,
    attributes: attrs.map(({ name, value }) => {
      const { startOffset = 0, endOffset = 0 } = location?.attrs?.[name] ?? {}
      return { name, value, start: startOffset, end: endOffset }
    }),
  })
  const nothing = () => {}
  const tokenizer = new Tokenizer(
    { sourceCodeLocationInfo: true },
    {
      onStartTag(token) {
        const tag = tagOf(token, '')
        tags.push(tag)
        const mode = modes[tag.name]
        if (mode === undefined) return
        open = tag
        tokenizer.state = mode
      },
      onEndTag(token) {
        const tag = tagOf(token, '/')
        close(tag.start)
        tags.push(tag)
      },
      onComment({ location }) {
        comments.push({ start: location?.startOffset ?? 0, end: location?.endOffset ?? 0 })
      },
      onEof: () => close(text.length),
      onDoctype: nothing,
      onCharacter: nothing,
      onNullCharacter: nothing,
      onWhitespaceCharacter: nothing,
    },
  )
  tokenizer.write(text, true)
  return { tags, comments, raw }
}
