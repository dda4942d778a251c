import type { LiftedFile, Target } from '../change.js'

/** What a person has to do besides, since lift does not install anything. */
export function nextSteps(changes: readonly LiftedFile[], { read }: Target): string {
  const manifest = read('package.json') ?? ''
  const lacks = (name: string) => !new RegExp(`"${name}"\\s*:`).test(manifest)
  const runs = changes.some(({ path }) => path === 'package.json')
  const typed = changes.some(
    ({ path, after }) => /\.(?:tsx?|vue|svelte)$/.test(path) && after.includes("'virtual:mappa/settings'"),
  )
  const lines = [
    ...(lacks('mappa') ? ['The code imports mappa: npm install mappa'] : []),
    ...(typed && read('mappa.types.d.ts') === undefined
      ? ['TypeScript has to know what pages import: mappa types']
      : []),
    ...(runs && lacks('@mappa/cli') ? ['The scripts run its command: npm install --save-dev @mappa/cli'] : []),
  ]
  return lines.map((line) => `${line}\n`).join('')
}
