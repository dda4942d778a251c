import type { LiftedFile, Target } from '../change.js'

/** What a person has to do besides, since lift does not install anything. */
export function nextSteps(changes: readonly LiftedFile[], { read }: Target): string {
  const manifest = read('package.json') ?? ''
  const lacks = (name: string) => !new RegExp(`"${name}"\\s*:`).test(manifest)
  const manifestAfter = changes.find(({ path }) => path === 'package.json')?.after ?? ''
  // What a production start needs has to be there without what a package is only developed with.
  const starting = /"(?:start|serve|prod|production)[^"]*"\s*:\s*"[^"]*\bmappa with\b/.test(manifestAfter)
  const runs = manifestAfter.includes('mappa with')
  const typed = changes.some(
    ({ path, after }) => /\.(?:tsx?|vue|svelte)$/.test(path) && after.includes("'virtual:mappa/settings'"),
  )
  const lines = [
    ...(lacks('mappa') ? ['The code imports mappa: npm install mappa'] : []),
    ...(typed && read('mappa.types.d.ts') === undefined
      ? ['TypeScript has to know what pages import: mappa types']
      : []),
    ...(runs && lacks('@mappa/cli')
      ? [`The scripts run its command: npm install ${starting ? '' : '--save-dev '}@mappa/cli`]
      : []),
  ]
  return lines.map((line) => `${line}\n`).join('')
}
