import type { Fault } from 'mappa'
import { readTextFile } from 'mappa/command'

const { statSync } = process.getBuiltinModule('node:fs')
const { dirname, join } = process.getBuiltinModule('node:path')

/** Files that a module loader reads first, and would wait for if one were a pipe. */
export function oddAbove(directory: string): Fault | undefined {
  for (let at = directory; ; at = dirname(at)) {
    for (const name of ['package.json', 'tsconfig.json', 'jsconfig.json']) {
      const file = join(at, name)
      const stats = statSync(file, { throwIfNoEntry: false })
      if (!stats || stats.isFile() || stats.isDirectory()) continue
      const found = readTextFile(file, name)
      if (typeof found === 'object') return found
    }
    if (at === dirname(at)) return undefined
  }
}
