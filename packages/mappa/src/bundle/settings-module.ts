import { type AnyEntry, placeOf } from '../legend/entry.js'
import type { Legend } from '../legend/legend.js'
import { entriesOf } from '../legend/legend.js'
import type { Survey } from '../settle/survey.js'

/** Whether a bundle is built, or served while it is worked on. */
export type BuildCommand = 'build' | 'serve'

/** Code of the settings module for a browser: a constant for each entry that may reach it, and nothing else. */
export function browserModule(definition: Legend, { settings }: Survey): string {
  const lines = Object.entries(entriesOf(definition)).flatMap(([name, entry]) => {
    if (!reachesBrowser(entry)) return []
    return [`export const ${name} = ${literal(valueAt(settings, placeOf(name, entry)))}`]
  })
  return `${lines.join('\n')}\n`
}

/** The texts of the variables that may reach a browser, as code; `undefined` for one that has none. */
export function pageTexts(definition: Legend, { texts }: Survey): ReadonlyMap<string, string> {
  const open = Object.entries(entriesOf(definition)).filter(([, entry]) => reachesBrowser(entry))
  return new Map(open.map(([name]) => [name, literal(texts.get(name))]))
}

/** Code of the settings module for a server: everything, settled when it starts, so that the bundle holds no value. */
export function serverModule(definition: Legend, legendPath: string, stage: string, servedAt?: string): string {
  // What is served has the page's root and stage; a bundle finds its root, and may be told another stage, where it starts.
  const told =
    servedAt === undefined
      ? `from: import.meta.url, builtFor: ${JSON.stringify(stage)}`
      : `root: ${JSON.stringify(servedAt)}, stage: ${JSON.stringify(stage)}`
  const json = legendPath.endsWith('.json')
  // What asks a remote source takes waiting.
  const verb = definition.remotes?.length ? 'settleAsync' : 'settle'
  const lines = [
    `import { ${verb} } from 'mappa/node'`,
    json ? "import { legendFromJsonSchema } from 'mappa'" : '',
    `import definition from ${JSON.stringify(legendPath)}`,
    `const settings = ${verb === 'settle' ? '' : 'await '}${verb}(${json ? 'legendFromJsonSchema(definition)' : 'definition'}, { ${told} })`,
    'export default settings',
    ...Object.entries(entriesOf(definition)).map(([name, entry]) => {
      const steps = placeOf(name, entry).map((step) => `[${JSON.stringify(step)}]`)
      return `export const ${name} = settings${steps.join('')}`
    }),
  ]
  return `${lines.join('\n')}\n`
}

export function reachesBrowser(entry: AnyEntry): boolean {
  return entry.reach === 'browser' && !entry.secret
}

function valueAt(settings: unknown, steps: readonly string[]): unknown {
  return steps.reduce((value, step) => (value as Record<string, unknown>)[step], settings)
}

/** JSON, also safe inside a script element of a page. */
function literal(value: unknown): string {
  return value === undefined
    ? 'undefined'
    : JSON.stringify(value).replace(
        /[<\u2028\u2029]/g,
        (char) => `\\u${char.charCodeAt(0).toString(16).padStart(4, '0')}`,
      )
}
