import { environmentReads } from './taken.js'

/**
 * While it is served, `import.meta.env` of a module gets the values: the line of Vite's own that makes it comes first, and
 * is made once for as long as the server runs. Nothing else of the code moves.
 */
export function withEnv(code: string, texts: ReadonlyMap<string, string>): string {
  const members = [...texts].map(([name, text]) => `${JSON.stringify(name)}: ${text}`)
  // Runners of tests put an object of their own in its place, as far as they have one.
  const [, own] = /\bObject\.assign\(([^(),]*\bimport\.meta\.env)\s*\)/.exec(code) ?? []
  const [, meta] = environment.exec(code) ?? []
  const target = own ?? (meta && `${meta}.env`)
  return members.length === 0 || target === undefined
    ? code
    : `Object.assign(${target}, { ${members.join(', ')} });${code}`
}

const environment = /\b(import\s*\.\s*meta|__vite_ssr_import_meta__)\s*\??\.\s*env\b/

/** A text with reads of an environment replaced. It keeps its lines, so that a source map still fits. */
export function withTexts(
  program: unknown,
  code: string,
  which: readonly ('import.meta' | 'process')[],
  texts: ReadonlyMap<string, string>,
): string {
  let [text, last] = ['', 0]
  const members = [...texts].map(([name, value]) => `${JSON.stringify(name)}: ${value}`)
  const reads = which.flatMap((each) =>
    environmentReads(program, each).filter(({ name }) =>
      name === undefined ? each === 'import.meta' : texts.has(name),
    ),
  )
  for (const { name, node } of [...reads].sort((a, b) => a.node.start - b.node.start)) {
    const read = code.slice(node.start, node.end)
    const value =
      name === undefined ? `{ ...${read}, ${members.join(', ')} }` : texts.get(name) + read.replace(/[^\n]/g, '')
    text += `${code.slice(last, node.start)}(${value})`
    last = node.end
  }
  return text + code.slice(last)
}

/** Replaces `%NAME%` in a page. In a script, the value is escaped as in a string. */
export function withPercentNames(html: string, texts: ReadonlyMap<string, string>): string {
  const script = /(<script\b[^>]*>)([\s\S]*?)(<\/script)/gi
  const filled = (text: string, write: (value: string) => string) =>
    text.replace(/%([A-Za-z_]\w*)%/g, (whole, name: string) => {
      const value = texts.get(name)
      return value === undefined ? whole : write(value === 'undefined' ? '' : (JSON.parse(value) as string))
    })
  const inMarkup = (text: string) =>
    filled(text, (value) => value.replace(/[&<>"']/g, (char) => `&#${char.charCodeAt(0)};`))
  const inScript = (text: string) => filled(text, (value) => escapedIn(value))
  let [page, last] = ['', 0]
  for (const { 0: whole, 1: open = '', 2: body = '', index } of html.matchAll(script)) {
    page += inMarkup(html.slice(last, index)) + inMarkup(open) + inScript(body)
    last = index + whole.length - '</script'.length
  }
  return page + inMarkup(html.slice(last))
}

/** A text as it stands between quotes of any kind in a script of a page. */
function escapedIn(value: string): string {
  return value.replace(
    /["'`\\$<>&\u2028\u2029\p{Cc}]/gu,
    (char) => `\\u${char.charCodeAt(0).toString(16).padStart(4, '0')}`,
  )
}
