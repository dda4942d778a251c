import { entriesOf, fixedAt, type Legend, placeOf, reachesBrowser, type Survey } from 'mappa'
import { literal, textAt } from 'mappa/plugin'

/** Whether a bundle is built or served during development. */
export type BuildCommand = 'build' | 'serve'

/** The texts of the variables that are put into a page when it is built, as code; `undefined` for one that has none. */
export function pageTexts(definition: Legend, { texts }: Survey): ReadonlyMap<string, string> {
  const open = Object.entries(entriesOf(definition)).filter(
    ([, entry]) => reachesBrowser(entry) && fixedAt(entry) === 'build',
  )
  return new Map(open.map(([name]) => [name, literal(texts.get(name))]))
}

/**
 * Code of the settings module for a server: everything, settled when it starts, so that the bundle holds no value. `here` is
 * what says in code where the bundle lies, `outputAt` where its builder puts it, from the root.
 */
export function serverModule(
  definition: Legend,
  legendPath: string,
  survey: Survey,
  { here, outputAt }: { readonly here: string; readonly outputAt?: string | undefined },
  servedAt?: string,
): string {
  const { stage, texts } = survey
  // A served module has the page's root and stage. A bundle finds its root, and may get another stage, where it starts.
  const options =
    servedAt === undefined
      ? `from: ${here}, builtFor: ${JSON.stringify(stage.name)}${outputAt ? `, outputAt: ${JSON.stringify(outputAt)}` : ''}${builtInText(definition, texts)}`
      : `root: ${JSON.stringify(servedAt)}, stage: ${JSON.stringify(stage.name)}`
  const json = legendPath.endsWith('.json')
  // A remote source cannot be asked synchronously.
  const verb = definition.remotes?.length ? 'settleAsync' : 'settle'
  const lines = [
    `import { ${verb} } from 'mappa/node'`,
    json ? "import { legendFromJsonSchema } from 'mappa'" : '',
    // Not every builder takes JSON for a module; it has no values but defaults.
    json
      ? `const definition = ${literal(JSON.parse(textAt(legendPath) ?? '{}'))}`
      : `import definition from ${JSON.stringify(legendPath)}`,
    `const settings = ${verb === 'settle' ? '' : 'await '}${verb}(${json ? 'legendFromJsonSchema(definition)' : 'definition'}, { ${options} })`,
    'export default settings',
    servedAt === undefined ? asBuiltCode(stage.name) : '',
    ...Object.entries(entriesOf(definition)).map(([name, entry]) => {
      const steps = placeOf(name, entry).map((step) => `[${JSON.stringify(step)}]`)
      const value = `settings${steps.join('')}`
      if (servedAt !== undefined || !reachesBrowser(entry) || fixedAt(entry) === 'start')
        return `export const ${name} = ${value}`
      const built = literal(valueAt(survey.settings, placeOf(name, entry)))
      return `export const ${name} = /* @__PURE__ */ asBuilt(${JSON.stringify(name)}, ${value}, ${built})`
    }),
  ]
  return `${lines.join('\n')}\n`
}

/** Values of server entries that are fixed at build. */
function builtInText(definition: Legend, texts: Survey['texts']): string {
  const built = Object.entries(entriesOf(definition)).flatMap(([name, entry]) =>
    !reachesBrowser(entry) && !entry.secret && fixedAt(entry) === 'build' && texts.has(name)
      ? [[name, texts.get(name)]]
      : [],
  )
  return built.length > 0 ? `, built: ${literal(Object.fromEntries(built))}` : ''
}

/** A page that a server renders must be the one that the browser goes on with, and that has what was built in. */
function asBuiltCode(stage: string): string {
  return `function asBuilt(name, value, built) {
  const [here, there] = [value, built].map((each) => JSON.stringify(each) ?? 'nothing')
  if (here !== there) console.warn(name + " is " + here + " here, but " + there + " in the pages, which were built for ${stage}. Build them for this stage, or write fixed: 'start' in its entry.")
  return value
}`
}

function valueAt(settings: unknown, steps: readonly string[]): unknown {
  return steps.reduce((value, step) => (value as Record<string, unknown>)[step], settings)
}
