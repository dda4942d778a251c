import { dirname, join, normalize } from 'node:path'
import { textAt } from 'mappa/command'
import { importsIn } from '../declared/legend-text.js'
import type { Changing } from '../edits/plan.js'
import { layerNamesIn, projectFiles } from './files.js'
import type { SoundProject } from './project.js'

/** A project as it is before its variables change. */
export function changingOf({ root, legendFile, legendText, definition }: SoundProject): Changing {
  const read = readOnce(root, new Map([[legendFile, legendText]]))
  return {
    read,
    legendFile,
    definition,
    legendFiles: legendFile.endsWith('.json') ? [legendFile] : filesFrom(legendFile, read),
    layers: layerNamesIn(root),
    files: [...projectFiles(root)],
  }
}

/**
 * Reads each file of a project once: what is edited is what must still be there when it is written, however often it is asked for.
 */
export function readOnce(
  root: string,
  known = new Map<string, string | undefined>(),
): (path: string) => string | undefined {
  return (path) => {
    if (!known.has(path)) known.set(path, textAt(join(root, path)))
    return known.get(path)
  }
}

/** A legend's file, and those that it imports by relative paths, each once. */
function filesFrom(legendFile: string, read: (path: string) => string | undefined): readonly string[] {
  const found: string[] = []
  const open = [legendFile]
  for (let path = open.shift(); path !== undefined; path = open.shift()) {
    const text = read(path)
    if (text === undefined || found.includes(path)) continue
    found.push(path)
    for (const each of importsIn(path, text)) {
      const target = normalize(join(dirname(path), each)).replaceAll('\\', '/')
      // TypeScript names what it compiles to.
      const candidates = [
        target,
        target.replace(/\.([cm]?)js$/, '.$1ts'),
        `${target}.ts`,
        `${target}.js`,
        `${target}.mjs`,
      ]
      const file = candidates.find((candidate) => read(candidate) !== undefined)
      if (file !== undefined) open.push(file)
    }
  }
  return found
}
