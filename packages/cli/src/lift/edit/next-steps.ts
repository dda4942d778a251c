import type { Candidate } from '../../guess/finding.js'
import type { LiftedFile, Target } from '../change.js'

/** Steps that remain for the person, since lift installs nothing. */
export function nextSteps(
  moved: readonly Candidate[],
  changes: readonly LiftedFile[],
  { read, unsent }: Target,
): readonly string[] {
  const manifest = read('package.json') ?? ''
  const lacks = (name: string) => !new RegExp(`"${name}"\\s*:`).test(manifest)
  const manifestAfter = changes.find(({ path }) => path === 'package.json')?.after ?? ''
  // A production start needs its packages without development dependencies.
  const starting = /"(?:start|serve|prod|production)[^"]*"\s*:\s*"[^"]*\bmappa with\b/.test(manifestAfter)
  const runs = manifestAfter.includes('mappa with')
  const typed = changes.some(
    ({ path, after }) => /\.(?:tsx?|vue|svelte)$/.test(path) && after.includes("'virtual:mappa/settings'"),
  )
  const given = moved.filter(
    ({ secret, value, stages }) => secret && (value !== undefined || Object.keys(stages).length > 0),
  )
  const image = read('Dockerfile') ?? read('Containerfile') ?? ''
  const needsStage = unsent !== undefined && unsent.size > 0 && !/\b(?:NODE_ENV|MAPPA_STAGE)\b/.test(image)
  const python = changes.find(({ path }) => /\.(?:py|ipynb)$/.test(path))?.path
  const imports = changes.some(({ path }) => /\.(?:[cm]?[jt]sx?|html?|vue|svelte)$/.test(path))
  const lines = [
    ...(given.length > 0
      ? [`Set these on every other machine, host and container: ${given.map(({ name }) => name).join(', ')}`]
      : []),
    ...(needsStage ? ['The image has no layer file, so name its stage there: ENV MAPPA_STAGE=production'] : []),
    ...(python === undefined ? [] : [`Start Python with settings: mappa with -- python ${python}`]),
    ...(imports && lacks('mappa') ? ['The code imports mappa. Run: npm install mappa'] : []),
    ...(typed && read('mappa.types.d.ts') === undefined ? ['TypeScript needs declarations. Run: mappa types'] : []),
    ...(runs && lacks('@mappa/cli')
      ? [`The scripts need the command. Run: npm install ${starting ? '' : '--save-dev '}@mappa/cli`]
      : []),
  ]
  return lines
}
