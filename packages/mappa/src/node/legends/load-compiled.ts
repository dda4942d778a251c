import { fs, path as paths } from '../files/builtins.js'
import { type CacheFiles, type CacheRecord, compiledIn, compiledModule, freshCopy } from './compiled-legend.js'
import { keepCopy, replaceFile } from './keep-copy.js'
import { failedLegend, type NoLegend } from './legend-faults.js'
import { type LoadedLegend, legendOf } from './legend-file.js'

/** A legend as one module, with the text of each file that it was made of; or why there is none. */
export type CompiledLegend = { readonly code: string; readonly inputs: CacheRecord['inputs'] } | NoLegend

/**
 * Loads a legend that must be compiled first, and keeps what the compiler made, so that the next run only compares texts.
 * `compile` is called only when something changed; without `isKept` nothing is left behind.
 */
export async function loadCompiled(
  path: string,
  isKept: boolean,
  compile: () => Promise<CompiledLegend>,
): Promise<LoadedLegend> {
  const name = paths.basename(path)
  let compiled = freshCopy(path)
  if (!compiled) {
    const made = await compile()
    if ('fault' in made) return made
    compiled = kept(isKept, path, made.code, made.inputs)
  }
  try {
    // A module is loaded once for each address, and a watching run loads it again when it has changed.
    return legendOf(await import(`${addressOf(compiled.module)}?${fs.statSync(compiled.module).mtimeMs}`), name)
  } catch (cause) {
    return failedLegend(name, cause)
  } finally {
    if (compiled.temporary) fs.rmSync(compiled.directory, { recursive: true, force: true })
  }
}

/** The legend of a compiled copy, if one is kept and fresh. */
export async function loadKept(path: string): Promise<LoadedLegend | undefined> {
  const compiled = compiledModule(path)
  return compiled === undefined ? undefined : legendOf(await import(addressOf(compiled)), paths.basename(path))
}

function addressOf(file: string): string {
  return process.getBuiltinModule('node:url').pathToFileURL(file).href
}

/** Keeps what was compiled where that may be; else for this run only. */
function kept(isKept: boolean, path: string, module: string, inputs: CacheRecord['inputs']): CacheFiles {
  const cache = isKept ? keepCopy(path, module, inputs) : undefined
  if (cache) return cache
  const directory = fs.mkdtempSync(paths.join(process.getBuiltinModule('node:os').tmpdir(), 'mappa-'))
  const passing = compiledIn(directory, directory, path, 0, true)
  replaceFile(passing.module, module)
  return passing
}
