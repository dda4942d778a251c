import type { Legend } from 'mappa'
import { variablesOf } from 'mappa'
import { stagesOf } from 'mappa/command'
import { declarationHead, declarationPath, declarationsFor, mapPath } from '../../declare/declaration.js'
import { placesIn, withComments } from '../../declared/legend-text.js'
import type { LiftedFile, Target } from '../change.js'
import type { Candidate } from '../finding.js'
import { wordsOfEntry } from './legend.js'
import { relative } from './paths.js'

/** The settings module that an application gets; `typed` if the type of its settings is declared beside the legend. */
export function settingsText(module: string, legendFile: string, typed: boolean): string {
  const isJson = legendFile.endsWith('.json')
  // TypeScript names what it compiles to; JavaScript finds a legend in TypeScript only under its own name.
  const source = relative(module, module.endsWith('.ts') ? legendFile.replace(/\.([cm]?)ts$/, '.$1js') : legendFile)
  const lead = typed ? [`/// <reference path="${relative(module, declarationPath)}" />`] : []
  const name = typed ? 'settings: MappaSettings' : 'settings'
  const lines = isJson
    ? [
        "import { readFileSync } from 'node:fs'",
        "import { legendFromJsonSchema } from 'mappa'",
        "import { settle } from 'mappa/node'",
        '',
        `const definition = JSON.parse(readFileSync(new URL('${source}', import.meta.url), 'utf8'))`,
        'export const settings = settle(legendFromJsonSchema(definition), { from: import.meta.url })',
      ]
    : [
        ...lead,
        "import { settle } from 'mappa/node'",
        `import definition from '${source}'`,
        '',
        `export const ${name} = settle(definition, { from: import.meta.url })`,
      ]
  return `${lines.join('\n')}\n`
}

/**
 * The declarations of the legend as it comes to be: for settings modules in TypeScript, and where there are some already.
 * A legend that cannot be read gives none.
 */
export function declarationChanges(
  candidates: readonly Candidate[],
  { read, legendFile, definition }: Target,
  legend: LiftedFile,
  typed: boolean,
): LiftedFile[] {
  const before = read(declarationPath)
  const isOurs = before?.startsWith(declarationHead)
  if ((legendFile !== undefined && !definition) || (before === undefined ? !typed : !isOurs)) return []
  const own = Object.fromEntries(candidates.map((candidate) => [candidate.name, wordsOfEntry(candidate)]))
  const whole = { entries: { ...definition?.entries, ...own }, stages: definition?.stages ?? [] } as Legend
  const described = withComments(whole, legend.path, legend.after)
  const declared = {
    ...{ definition: described, variables: variablesOf(described) },
    ...{ stages: stagesOf(whole), legendFile: legend.path },
  }
  const { text, map } = declarationsFor(declared, placesIn(legend.path, legend.after))
  const made = (path: string, after: string) => ({ path, before: read(path) ?? null, after, secret: false })
  return [made(declarationPath, text), made(mapPath, map)]
}
