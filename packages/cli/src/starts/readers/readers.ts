import { readAsVite7, readAsVite8, readAsVite8OnNode22 } from './builder-reader.js'
import { readAsCompose } from './compose-reader.js'
import { readAsContainer } from './container-reader.js'
import { readAsNode20, readAsNode22 } from './node-reader.js'
import type { ReadAs } from './reader.js'
import { readAsServiceManager } from './service-reader.js'
import { readAsShell } from './shell-reader.js'

/** A program that reads layer files in a way of its own. */
export type ReaderName = 'node' | 'shell' | 'compose' | 'container' | 'service-manager' | 'page-builder'

/**
 * Each reader, as a sentence names it, and what it makes of a text: once for each of its versions that differ. Written from what those
 * programs do (`npm run field readers` asks them); the table in docs/format.md shows it.
 */
export const layerReaders: Readonly<
  Record<ReaderName, { readonly title: string; readonly versions: readonly [ReadAs, ...ReadAs[]] }>
> = {
  node: { title: 'Node', versions: [readAsNode20, readAsNode22] },
  shell: { title: 'a shell', versions: [readAsShell] },
  compose: { title: 'Compose', versions: [readAsCompose] },
  container: { title: 'the container engine', versions: [readAsContainer] },
  'service-manager': { title: 'the service manager', versions: [readAsServiceManager] },
  'page-builder': { title: 'Vite', versions: [readAsVite7, readAsVite8, readAsVite8OnNode22] },
}
