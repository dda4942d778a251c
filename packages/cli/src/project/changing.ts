import { dirname, join, normalize } from 'node:path'
import { textAt } from 'mappa/command'
import { importsIn } from '../declared/legend-text.js'
import type { Changing } from '../edits/plan.js'
import { layerNamesIn, projectFiles } from './files.js'
import type { SoundProject } from './project.js'

/** A project as it is before its variables change. */
export function changingOf({ root, legendFile, definition }: SoundProject): Changing {
  const read = (path: string) => textAt(join(root, path))
  return {
    read,
    legendFile,
    definition,
    legendFiles: legendFile.endsWith('.json') ? [legendFile] : filesFrom(legendFile, read),
    layers: layerNamesIn(root),
    files: [...projectFiles(root)],
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
