import { fileURLToPath } from 'node:url'
import { realOf } from 'mappa/plugin'
import { builders } from '../builders.js'

/** The imports of a legend that come from this library: always the copy beside this package, whatever the project has installed. */
export const legendImports: ReadonlySet<string> = new Set(['mappa', 'mappa/legend'])

/** Entry points that read files and settings of a server. */
export const serverEntries: readonly string[] = [
  'mappa/node',
  'mappa/etcd',
  'mappa/testing',
  'mappa/testing/register',
  'mappa/preload',
  'mappa/command',
  'mappa/plugin',
  ...Object.keys(builders).map((name) => `@mappa/build/${name}`),
]

/** The address of an entry point of the library. */
export function libraryAddress(name: string): string {
  return import.meta.resolve(name)
}

/** The paths of server entries as they lie on this disk, without their endings: of each there is a module of both kinds. */
export const serverFiles: readonly string[] = serverEntries.map((name) =>
  withoutEnding(realOf(fileURLToPath(libraryAddress(name)))),
)

/** The path of a module without its ending. */
export function withoutEnding(file: string): string {
  return file.replace(/\.[cm]?js$/, '')
}
