import { fixedAt, placeOf, reachesBrowser } from '../legend/entry.js'
import type { Legend } from '../legend/legend.js'
import { entriesOf } from '../legend/legend.js'
import type { Survey } from '../settle/survey.js'
import { pageBlockId, scriptJson } from './page.js'

/**
 * Code of the settings module for a browser: a constant for each entry that may reach it, and nothing else. What is fixed
 * at start a built page takes from its own block; what is served is never built, and has the values here.
 */
export function browserModule(definition: Legend, { settings }: Survey, command: 'build' | 'serve'): string {
  const waiting = command === 'build' ? namesAtStart(definition) : []
  const lines = Object.entries(entriesOf(definition)).flatMap(([name, entry]) => {
    if (!reachesBrowser(entry)) return []
    if (!waiting.includes(name)) return [`export const ${name} = ${literal(valueAt(settings, placeOf(name, entry)))}`]
    const stages = Object.values(entry.stages ?? {})
    const mayLack = [entry, ...stages].some(({ optional }) => optional)
    return [`export const ${name} = /* @__PURE__ */ atStart(${JSON.stringify(name)}${mayLack ? ', true' : ''})`]
  })
  return `${waiting.length > 0 ? atStartCode : ''}${lines.join('\n')}\n`
}

/** A page without values is the fault of the one who served it. */
const atStartCode = `let values
function atStart(name, mayLack) {
  const isPage = typeof document !== 'undefined'
  if (!values && isPage) {
    const block = document.querySelector('script#${pageBlockId}[type="application/json"]')
    if (block && block.textContent.trim()) values = JSON.parse(block.textContent)
  }
  if (values && (mayLack || Object.prototype.hasOwnProperty.call(values, name))) return values[name]
  throw new Error(name + ' is fixed at start, but ' + (isPage
    ? 'this page has no value for it. Run: mappa stamp index.html --in-place'
    : 'there is no page here. Send it from the page with postMessage.'))
}
`

/** Variables that a page takes when it is served, rather than when it is built. */
export function namesAtStart(definition: Legend): readonly string[] {
  return Object.entries(entriesOf(definition)).flatMap(([name, entry]) =>
    reachesBrowser(entry) && fixedAt(entry) === 'start' ? [name] : [],
  )
}

function valueAt(settings: unknown, steps: readonly string[]): unknown {
  return steps.reduce((value, step) => (value as Record<string, unknown>)[step], settings)
}

/** A value as code, also safe inside a script element of a page. */
export function literal(value: unknown): string {
  return value === undefined ? 'undefined' : scriptJson(value)
}
