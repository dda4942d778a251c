import { Needles } from '../leak/needles.js'
import { mustBeText } from '../legend/given.js'
import { pageValuesIn, secretTextsIn, stageOf } from '../settle/reading/settings.js'

/** The id of a page's block. */
export const pageBlockId = 'mappa-settings'

/**
 * The values that a page takes when it is served: those of entries with `reach: 'browser', fixed: 'start'`, by the names
 * of their variables, as JSON that may be in a `script` element. For a framework that writes the element itself.
 * @throws {TypeError} if these are not settings as `settle` gives them, or a value contains a secret.
 */
export function pageValues(settings: object): string {
  return scriptJson(openValues(settings))
}

const checkedPages = new WeakMap<object, Readonly<Record<string, unknown>>>()

/** A page's values, once verified to contain no secret. Kept, since many pages are made from the same settings. */
function openValues(settings: object): Readonly<Record<string, unknown>> {
  let values = checkedPages.get(settings)
  if (!values) {
    values = pageValuesIn(settings)
    const needles = new Needles()
    for (const text of secretTextsIn(settings)) needles.add(text, '')
    for (const [name, value] of Object.entries(values))
      if (needles.in(`${value}\n${JSON.stringify(value)}`).length > 0)
        throw new TypeError(`${name} reaches the browser, but contains the value of a secret, so no page was made.`)
    checkedPages.set(settings, values)
  }
  return values
}

/**
 * The element that a page takes them from. It holds data, so that a policy as strict as `script-src 'self'` allows it
 * (HTML, 4.12.1: a data block is not processed). It must be in front of scripts that are not modules.
 * @throws {TypeError} if these are not settings as `settle` gives them.
 *
 * ```ts
 * response.end(`<!doctype html><head>${pageBlock(settings)}</head>…`)
 * ```
 */
export function pageBlock(settings: object): string {
  const stage = stageOf(settings).name
  return `<script type="application/json" id="${pageBlockId}" data-stage="${stage}">${pageValues(settings)}</script>`
}

/**
 * A page with the element in it: in place of one that it has, else in front of its first script.
 * @throws {TypeError} if these are not settings as `settle` gives them.
 *
 * ```ts
 * const page = stampPage(readFileSync('dist/index.html', 'utf8'), settings)
 * ```
 */
export function stampPage(html: string, settings: object): string {
  mustBeText(html, 'stampPage', 'a page')
  const built = builtStageOf(html)
  const block = pageBlock(settings)
  return withPageBlock(html, built === undefined ? block : block.replace('>', () => ` data-built="${built}">`))
}

/** A page with a block that is still empty, and says which stage the page was built for; what has one stays as it is. */
export function withEmptyBlock(html: string, stage: string): string {
  if (pageBlockIn(html)) return html
  return withPageBlock(html, `<script type="application/json" id="${pageBlockId}" data-built="${stage}"></script>`)
}

/** The stage that a page was built for, if it says so: the plugin writes that into the empty block. */
export function builtStageOf(html: string): string | undefined {
  mustBeText(html, 'builtStageOf', 'a page')
  const { start, end } = pageBlockIn(html) ?? { start: 0, end: 0 }
  return builtFor.exec(html.slice(start, end))?.[1]
}

const builtFor = /\sdata-built="([a-z][a-z0-9-]*)"/

/** A page with an element in place of the block that it has, else in front of its first script. */
export function withPageBlock(html: string, block: string): string {
  const own = pageBlockIn(html)
  const { start, end } = own ?? placeIn(html)
  // On a line of its own where what follows stood on one.
  const [indent = undefined] = own ? [] : (/\r?\n[ \t]*$/.exec(html.slice(0, start)) ?? [])
  return html.slice(0, start) + block + (indent ?? '') + html.slice(end)
}

/** Finds where a page has its block; offsets in UTF-16 code units. */
export function pageBlockIn(html: string): { readonly start: number; readonly end: number } | undefined {
  for (const { start, tag, name } of tagsIn(html)) {
    if (name !== 'script' || !blockTag.test(tag)) continue
    const close = /<\/script\s*>/i.exec(html.slice(start + tag.length))
    return { start, end: close ? start + tag.length + close.index + close[0].length : start + tag.length }
  }
  return undefined
}

const blockTag = new RegExp(`\\sid\\s*=\\s*(?:"${pageBlockId}"|'${pageBlockId}'|${pageBlockId}(?=[\\s>/]))`, 'i')

/** In front of what may read it, else at the end of the head, or where the page's own content begins. */
function placeIn(html: string): { readonly start: number; readonly end: number } {
  let after = 0
  for (const { start, tag, name } of tagsIn(html)) {
    if (name === 'script' || name === '/head' || name === 'body') return { start, end: start }
    if (name === '!doctype' || name === 'html' || name === 'head') after = start + tag.length
  }
  return { start: after, end: after }
}

/** The tags of a page in order; not those in comments, nor in what scripts and styles hold. */
export function* tagsIn(html: string): Generator<{ start: number; tag: string; name: string }> {
  const opening = /<(?:!--|([!/]?[A-Za-z][^\s/>]*))/g
  for (let found = opening.exec(html); found; found = opening.exec(html)) {
    const { 1: given, index: start } = found
    if (given === undefined) {
      // `<!-->` is a whole comment, too (HTML, 13.2.5.43).
      const end = html.indexOf('-->', start + 2)
      if (end < 0) return
      opening.lastIndex = end + 3
      continue
    }
    const end = tagEnd(html, opening.lastIndex, given.startsWith('!'))
    // The rest of the page is in it.
    if (end === undefined) return
    const name = given.toLowerCase()
    yield { start, tag: html.slice(start, end), name }
    opening.lastIndex = end
    if (name !== 'script' && name !== 'style' && name !== 'title' && name !== 'textarea') continue
    const close = new RegExp(`</${name}(?=[\\s/>])`, 'gi')
    close.lastIndex = end
    opening.lastIndex = close.exec(html)?.index ?? html.length
  }
}

/** Finds where a tag ends, behind its name: quotes count only where a value begins (HTML, 13.2.5.35 to 38). */
function tagEnd(html: string, from: number, isDeclaration: boolean): number | undefined {
  const next = isDeclaration ? />/g : />|=[\t\n\f\r ]*(["'])/g
  next.lastIndex = from
  for (let found = next.exec(html); found; found = next.exec(html)) {
    const { 1: quote } = found
    if (quote === undefined) return next.lastIndex
    const close = html.indexOf(quote, next.lastIndex)
    if (close < 0) return undefined
    next.lastIndex = close + 1
  }
  return undefined
}

/** JSON that does not end the script element that it is in, and that older engines take for a text of JavaScript, too. */
export function scriptJson(value: unknown): string {
  return JSON.stringify(value).replace(
    /[<\u2028\u2029]/g,
    (char) => `\\u${char.charCodeAt(0).toString(16).padStart(4, '0')}`,
  )
}
