import { stagesOf, variablesOf } from 'mappa'
import {
  declarationPath,
  declarationsFor,
  isDeclaration,
  isForLoaded,
  isStaleDeclaration,
} from '../declared/declaration.js'
import { placesIn } from '../declared/legend-text.js'
import { sampleDifferences, samplePath } from '../declared/sample.js'
import { described } from './described.js'
import { givenNames } from './given-names.js'
import { textIn } from './made-file.js'
import type { SoundProject } from './project.js'

/** A made file that is stale, and the command that makes it anew. */
export interface Stale {
  readonly path: string
  readonly command: string
}

/** Which of the files that a project has had made are not what its legend makes of them now. */
export async function staleFiles(project: SoundProject): Promise<readonly Stale[]> {
  const { root, legendFile } = project
  const definition = await described(project)
  const variables = variablesOf(definition)
  const sample = textIn(root, samplePath)
  const isStale =
    sample !== undefined && sampleDifferences({ variables, given: givenNames(project) }, sample).length > 0
  const declared = textIn(root, declarationPath)
  const places = placesIn(legendFile, textIn(root, legendFile) ?? '')
  const stages = stagesOf(definition)
  const loaded = isForLoaded(declared)
  const fresh = declarationsFor({ definition, variables, stages, legendFile, loaded }, places).text
  return [
    ...(isStale ? [{ path: samplePath, command: 'mappa sample' }] : []),
    ...(declared !== undefined && isDeclaration(declared) && isStaleDeclaration(declared, fresh)
      ? [{ path: declarationPath, command: 'mappa types' }]
      : []),
  ]
}
