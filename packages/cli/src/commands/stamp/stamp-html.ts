import { type PageAttribute, type PageTag, pagePartsOf } from '../../code/page-parts.js'
import { type FilledForm, type Misplaced, replaced, type Stamped, type Template } from './template.js'

/** Which part of a page an offset lies in. */
interface PageRange {
  readonly start: number
  readonly end: number
  readonly kind: 'tag' | 'left'
  readonly tag?: PageTag
}

/**
 * HTML: values become text, or a part of an attribute in quotes. Scripts, styles and comments are left as they are: `${…}` is
 * their own there, and scripts have `pageValues`.
 */
export function stampHtml(template: Template, filled: readonly FilledForm[]): Stamped {
  const { text, escapes } = template
  const misplaced: Misplaced[] = []
  const edits: { start: number; end: number; text: string }[] = []
  const ranges = rangesIn(text)
  const rangeAt = rangeFinder(ranges)
  for (const { mention, text: value } of filled) {
    const range = rangeAt(mention.start)
    if (range?.kind === 'left') continue
    const attribute = range?.tag && attributeAt(range.tag, mention.start)
    if (range?.tag && !(attribute && /["']/.test(text[attribute.end - 1] as string)))
      misplaced.push({
        at: mention.start,
        kind: 'bad-expansion',
        why: 'is in a tag, but not in a quoted attribute.',
        remedy: 'Put the whole value of the attribute in quotes.',
      })
    edits.push({ start: mention.start, end: mention.end, text: htmlText(value) })
  }
  const rangeOf = rangeFinder(ranges)
  for (const at of escapes) if (rangeOf(at)?.kind !== 'left') edits.push({ start: at, end: at + 1, text: '' })
  return { text: replaced(text, edits), misplaced }
}

/** The template without the forms that a page keeps for itself. */
export function pageTemplate(template: Template): Template {
  const rangeAt = rangeFinder(rangesIn(template.text))
  const isOurs = (at: number) => rangeAt(at)?.kind !== 'left'
  const mentions = template.mentions.filter(({ start }) => isOurs(start))
  const again = rangeFinder(rangesIn(template.text))
  return { ...template, mentions, flaws: template.flaws.filter((at) => again(at)?.kind !== 'left') }
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

function rangesIn(text: string): PageRange[] {
  const { tags, comments, raw } = pagePartsOf(text)
  const left = raw.filter(({ tag }) => tag.name === 'script' || tag.name === 'style')
  return [
    ...tags.map((tag): PageRange => ({ start: tag.start, end: tag.end, kind: 'tag', tag })),
    ...[...comments, ...left].map(({ start, end }): PageRange => ({ start, end, kind: 'left' })),
  ].sort((a, b) => a.start - b.start)
}

/** The attribute of a tag that an offset lies in. They are in order. */
function attributeAt({ attributes }: PageTag, at: number): PageAttribute | undefined {
  let [low, high] = [0, attributes.length]
  while (low < high) {
    const middle = (low + high) >> 1
    if ((attributes[middle] as PageAttribute).end <= at) low = middle + 1
    else high = middle
  }
  const found = attributes[low]
  return found && found.start < at ? found : undefined
}

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
