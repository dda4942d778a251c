/**
 * `node --import mappa/testing/register --test`: lets code under test import `virtual:mappa/settings` without a bundler.
 * It gets the values of this machine for the stage that is named, or `test`; so do settings that the code makes with `settle`.
 */
import type { AnyEntry } from '../legend/entry.js'
import { placeOf } from '../legend/entry.js'
import { createRequire, path } from '../node/files/builtins.js'
import { findRoot } from '../node/files/root.js'
import { legendOf } from '../node/legends/legend-file.js'

const { pathToFileURL } = process.getBuiltinModule('node:url')
const module = process.getBuiltinModule('node:module') as typeof import('node:module') & {
  registerHooks?: (hooks: object) => void
}
const name = 'virtual:mappa/settings'
// One process has one stage: settings that code under test makes itself have it, too.
process.env.MAPPA_STAGE ||= 'test'
const url = `data:text/javascript,${encodeURIComponent(moduleText())}`

if (module.registerHooks)
  module.registerHooks({
    resolve: (specifier: string, context: unknown, next: (specifier: string, context: unknown) => unknown) =>
      specifier === name ? { url, shortCircuit: true } : next(specifier, context),
  })
else
  module.register(
    `data:text/javascript,${encodeURIComponent(
      `export const resolve = (specifier, context, next) =>
        specifier === ${JSON.stringify(name)} ? { url: ${JSON.stringify(url)}, shortCircuit: true } : next(specifier, context)`,
    )}`,
  )

/** Settles when it is first imported, so that a test may set its values before. */
function moduleText(): string {
  const { directory, legendFile } = findRoot({ environmentRoot: process.env.MAPPA_ROOT })
  if (legendFile === undefined) throw new Error(`No legend in ${directory} or above it.`)
  const file = path.join(directory, legendFile)
  const isJson = legendFile.endsWith('.json')
  const loaded = isJson ? undefined : legendOf(createRequire(file)(file), legendFile)
  if (loaded && 'fault' in loaded) throw new Error(loaded.fault.message)
  const entries = (isJson ? createRequire(file)(file).properties : loaded?.definition.entries) as Record<
    string,
    AnyEntry
  >
  const library = (entry: string) => JSON.stringify(import.meta.resolve(`mappa/${entry}`))
  return [
    `import { loadLegendFile, settle } from ${library('node')}`,
    `import { legendOf } from ${library('plugin')}`,
    // A module is imported, so that whatever reads TypeScript for the tests reads it too.
    ...(isJson
      ? [`const loaded = loadLegendFile(${JSON.stringify(file)})`]
      : [
          `import * as legend from ${JSON.stringify(pathToFileURL(file).href)}`,
          `const loaded = legendOf(legend.default?.default ? legend.default : legend, ${JSON.stringify(legendFile)})`,
        ]),
    'if (loaded.fault) throw new Error(loaded.fault.message)',
    `const settings = settle(loaded.definition, { root: ${JSON.stringify(directory)}, stage: process.env.MAPPA_STAGE })`,
    'export default settings',
    ...Object.entries(entries).map(([name, entry]) => {
      const place = isJson ? (entry as { 'x-mappa-as'?: string })['x-mappa-as'] : undefined
      const steps = placeOf(name, place === undefined ? entry : { ...entry, as: place })
      return `export const ${name} = settings${steps.map((step) => `[${JSON.stringify(step)}]`).join('')}`
    }),
  ].join('\n')
}
