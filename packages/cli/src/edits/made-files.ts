import { type Legend, readLayer, stagesOf, variablesOf } from 'mappa'
import { declarationPath, declarationsFor, isDeclaration, isForLoaded, mapPath } from '../declared/declaration.js'
import { placesIn } from '../declared/legend-text.js'
import { openQuote, samplePath, sampleText } from '../declared/sample.js'
import type { FileChange } from '../terminal/diff.js'

type ReadText = (path: string) => string | undefined

/** The sample as a legend makes it; `textOf` gives the layer files as they come to be. */
export function sampleChangeFor(definition: Legend, read: ReadText, textOf: (path: string) => string): FileChange[] {
  const path = samplePath
  const before = read(path)
  if (openQuote(before ?? '')) return []
  const shared = ['.env', '.env.development'].map((layer) => readLayer(textOf(layer)))
  const given = new Set(shared.flatMap((layer) => layer.names().filter((name) => layer.get(name) !== '')))
  const after = sampleText({ variables: variablesOf(definition), given }, before)
  return after === before ? [] : [{ path, before: before ?? null, after }]
}

/** Declarations, for anyone who writes TypeScript. */
export function declarationsOf(definition: Legend, legendFile: string, text: string, read: ReadText): FileChange[] {
  const before = read(declarationPath)
  if (before === undefined ? read('tsconfig.json') === undefined : !isDeclaration(before)) return []
  const loaded = isForLoaded(before)
  const declared = { definition, variables: variablesOf(definition), stages: stagesOf(definition), legendFile, loaded }
  const made = declarationsFor(declared, placesIn(legendFile, text))
  return [
    { path: declarationPath, before: before ?? null, after: made.text },
    { path: mapPath, before: read(mapPath) ?? null, after: made.map },
  ].filter((change) => change.before !== change.after)
}
