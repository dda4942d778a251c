import { holdsCode } from '../../code/parse.js'
import { declarationPath } from '../../declared/declaration.js'
import type { Candidate, Finding } from '../../guess/finding.js'
import type { Installed, LiftedFile, Target } from '../change.js'
import { needsAtRun, sectionWith } from './installed.js'

/** Steps that remain for the person, since lift installs nothing. */
export function nextSteps(
  moved: readonly Candidate[],
  changes: readonly LiftedFile[],
  { read, unsent, installed = () => 'missing' }: Target,
): readonly string[] {
  const manifestAfter = changes.find(({ path }) => path === 'package.json')?.after ?? ''
  // A production start needs its packages without development dependencies.
  const starting = /"(?:start|serve|prod|production)[^"]*"\s*:\s*"[^"]*\bmappa with\b/.test(manifestAfter)
  const runs = manifestAfter.includes('mappa with')
  const typed = changes.some(
    ({ path, after }) => /\.(?:tsx?|vue|svelte)$/.test(path) && after.includes("'virtual:mappa/settings'"),
  )
  const image = read('Dockerfile') ?? read('Containerfile') ?? ''
  const needsStage = unsent !== undefined && unsent.size > 0 && !/\b(?:NODE_ENV|MAPPA_STAGE)\b/.test(image)
  const python = changes.find(({ path }) => /\.(?:py|ipynb)$/.test(path))?.path
  const port = moved.find((candidate) => isListenedOn(candidate) && candidate.name !== 'PORT')
  const imports = changes.some(({ path }) => holdsCode(path))
  const hasTypes = read(declarationPath) !== undefined || changes.some(({ path }) => path === declarationPath)
  const lines = [
    ...(needsStage ? ['The image has no layer file, so name its stage there: ENV MAPPA_STAGE=production'] : []),
    ...(port === undefined
      ? []
      : [`A host's PORT does not change ${port.name}. To follow it, name it PORT with: mappa lift --pick`]),
    ...(python === undefined ? [] : [`Start Python with settings: mappa with -- python ${python}`]),
    ...(imports ? installSteps(changes, installed('mappa')) : []),
    ...(typed && !hasTypes ? ['TypeScript needs declarations. Run: mappa types'] : []),
    ...(runs && ['undeclared', 'missing'].includes(installed('@mappa/cli'))
      ? [`The scripts need the command. Run: npm install ${starting ? '' : '--save-dev '}@mappa/cli`]
      : []),
  ]
  return lines
}

/** Tells whether a port is that of the program itself, which hosts name PORT. */
function isListenedOn({ kind, reason, sites }: Candidate): boolean {
  const isPlain = ({ words, outer }: Finding) => words.join() === 'port' && /^(?:server)?$/.test(outer.join())
  return kind === 'port' && (reason.startsWith('A server listens on it') || sites.some(isPlain))
}

function installSteps(changes: readonly LiftedFile[], installed: Installed): readonly string[] {
  if (installed === 'missing') return ['The code imports mappa. Run: npm install mappa']
  if (installed === 'undeclared')
    return ['The code imports mappa. It is installed here, but no package.json names it. Run: npm install mappa']
  if (installed !== 'development' || !needsAtRun(changes)) return []
  const manifest = changes.find(({ path }) => path === 'package.json')?.after ?? ''
  return sectionWith(manifest, 'mappa') === 'here'
    ? ['mappa is now among the dependencies, since the code imports it when it runs. Run: npm install']
    : ['mappa is a development dependency, but the code imports it when it runs. Run: npm install --save-prod mappa']
}
