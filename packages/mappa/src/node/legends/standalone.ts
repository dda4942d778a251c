import { legend } from '../../legend/legend.js'

/** The one import of a legend that is made of nothing else: by the library's name or, in a compiled copy, by its address. */
const onlyImport = /^import \{ legend \} from (['"])(.+)\1;?[ \t]*\r?$/m
/** Its one export, as it is written, or as a compiler puts it. */
const onlyExport = /^export (?:default (?=legend\()|\{\s*(\w+) as default\s*\})/m

/**
 * What a module exports as its default that imports nothing but `legend`: it is run as a function, since Node's way of loading
 * a module takes longer than all the rest of a start. Undefined for whatever is not so plain, or fails; Node runs that.
 */
export function standaloneExport(text: string, file: string): unknown {
  const [words, taken, given] = [
    text.match(/\b(?:import|export|exports)\b/g),
    onlyImport.exec(text),
    onlyExport.exec(text),
  ]
  if (words?.length !== 2 || !taken || !given || !isLibrary(taken[2] as string)) return undefined
  const begin = taken.index + taken[0].length
  if (given.index < begin) return undefined
  // Modules are strict. It keeps its lines, for what is said of an error.
  const before = `'use strict';${text.slice(0, taken.index)}${text.slice(begin, given.index)}`
  const code = `${before}exports.default = ${given[1] ?? ''}${text.slice(given.index + given[0].length)}`
  const exports: { default?: unknown } = {}
  try {
    const run = process.getBuiltinModule('node:vm').compileFunction(code, ['legend', 'exports'], { filename: file })
    run(legend, exports)
    return exports.default
  } catch {
    return undefined
  }
}

function isLibrary(source: string): boolean {
  return source === 'mappa/legend' || source === 'mappa' || source === import.meta.url.replace(/[^/]*$/, 'legend.mjs')
}
