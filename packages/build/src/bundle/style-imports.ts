import path from 'node:path'
import type { Fault } from 'mappa'
import { textAt } from 'mappa/plugin'
import { pathFrom } from './paths.js'
import type { Session } from './session.js'

/** Files in which styles import others. */
const styled = /\.(?:css|pcss|postcss|sss|scss|sass|less|styl|stylus|vue|svelte|astro)$/

/** Whatever a rule names in quotes or in `url()`: CSS Cascade 5, 2; and the words of other languages of styles for it. */
const named = /["']([^"'\n]{1,500})["']|url\(\s*([^"'()\s]{1,500})\s*\)/g
const rule = /@(?:import|use|forward|require|plugin|value|reference|config|source)\b([^;{}]{1,2000})/g

/**
 * The fault of a style that imports, itself or through others, a file that pages may not have. Styles are read by a program of their
 * own, which would print what it cannot parse.
 */
export function refusedStyleImport(file: string, session: Session): Fault | undefined {
  const { root } = session.project
  const seen = new Set<string>()
  const open = [file]
  for (let importer = open.pop(); importer !== undefined; importer = open.pop()) {
    if (seen.has(importer) || !styled.test(importer)) continue
    seen.add(importer)
    const text = textAt(importer)
    if (!text?.includes('@')) continue
    for (const [, rest = ''] of text.matchAll(rule))
      for (const [, quoted, bare] of rest.matchAll(named)) {
        const [given = ''] = (quoted ?? bare ?? '').split(/[?#]/)
        if (given === '' || /^[a-z][a-z0-9+.-]*:/i.test(given)) continue
        const target = path.resolve(path.dirname(importer), given)
        const why = session.keptFromPages(target)
        if (why !== undefined) return styleFault(pathFrom(root, target), pathFrom(root, importer), why)
        open.push(target)
      }
  }
  return undefined
}

function styleFault(file: string, importer: string, why: string): Fault {
  return {
    kind: 'beyond-reach',
    message: `${file} ${why}, but a style imports it.`,
    layer: file,
    place: { file: importer, line: 1, column: 1, endColumn: 2 },
    remedy: `Remove the import from ${importer}.`,
  }
}
