import { type Legend, stagesOf, variablesOf } from 'mappa'
import { declarationPath, declarationsFor, isDeclaration, isForLoaded, mapPath } from '../../declared/declaration.js'
import { placesIn, withComments } from '../../declared/legend-text.js'
import type { Candidate } from '../../guess/finding.js'
import type { LiftedFile, Target } from '../change.js'
import { wordsOfEntry } from './legend.js'
import { relative } from './paths.js'
import { type Form, specifierFor } from './settings-form.js'

/** The settings module that an application gets; `typed` if the type of its settings is declared beside the legend. */
export function settingsText(
  { module, place, requires, specifiers }: Form,
  legend: LiftedFile,
  typed: boolean,
): string {
  const legendFile = legend.path
  const isJson = legendFile.endsWith('.json')
  const isCommon = /^module\.exports\b/m.test(legend.after)
  // TypeScript names what it compiles to; JavaScript finds a legend in TypeScript only under its own name.
  const source = relative(module, module.endsWith('.ts') ? specifierFor(legendFile, specifiers) : legendFile)
  const lead = typed ? [`/// <reference path="${relative(module, declarationPath)}" />`] : []
  const name = typed ? 'settings: MappaSettings' : 'settings'
  const from = place === undefined ? '' : `, { from: ${place} }`
  const take = (names: string, specifier: string) =>
    requires ? `const ${names} = require('${specifier}')` : `import ${names} from '${specifier}'`
  const give = requires ? 'exports.settings' : `export const ${name}`
  const file = place === '__dirname' ? `join(__dirname, '${source}')` : `new URL('${source}', import.meta.url)`
  const lines = isJson
    ? [
        take('{ readFileSync }', 'node:fs'),
        ...(place === '__dirname' ? [take('{ join }', 'node:path')] : []),
        take('{ legendFromJsonSchema }', 'mappa'),
        take('{ settle }', 'mappa/node'),
        '',
        `const definition = JSON.parse(readFileSync(${file}, 'utf8'))`,
        `${give} = settle(legendFromJsonSchema(definition)${from})`,
      ]
    : [
        ...lead,
        take('{ settle }', 'mappa/node'),
        requires && !isCommon ? take('{ default: definition }', source) : take('definition', source),
        '',
        `${give} = settle(definition${from})`,
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
  const isOurs = before !== undefined && isDeclaration(before)
  if ((legendFile !== undefined && !definition) || (before === undefined ? !typed : !isOurs)) return []
  const fresh = candidates.filter(({ declared }) => !declared)
  const own = Object.fromEntries(fresh.map((candidate) => [candidate.name, wordsOfEntry(candidate)]))
  const whole = { entries: { ...definition?.entries, ...own }, stages: definition?.stages ?? [] } as Legend
  const described = withComments(whole, legend.path, legend.after)
  const declared = {
    definition: described,
    variables: variablesOf(described),
    stages: stagesOf(whole),
    legendFile: legend.path,
    loaded: isForLoaded(before),
  }
  const { text, map } = declarationsFor(declared, placesIn(legend.path, legend.after))
  const made = (path: string, after: string) => ({ path, before: read(path) ?? null, after, secret: false })
  return [made(declarationPath, text), made(mapPath, map)]
}
