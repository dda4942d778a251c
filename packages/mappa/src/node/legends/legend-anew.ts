import { fs, path } from '../files/builtins.js'
import { failedLegend } from './legend-faults.js'
import { isTypeScript, type LoadedLegend, legendOf, loadLegendFile } from './legend-file.js'

/** Loads a legend's file as it is now, although this process has loaded it before. */
export async function loadLegendAnew(file: string): Promise<LoadedLegend> {
  const name = path.basename(file)
  if (name.endsWith('.json') || (isTypeScript(name) && !(process.features as { typescript?: unknown }).typescript))
    return loadLegendFile(file)
  try {
    // A module is loaded once for each address, and lies in memory until the process ends.
    const { href } = process.getBuiltinModule('node:url').pathToFileURL(file)
    return legendOf(await import(`${href}?${fs.statSync(file).mtimeMs}`), name)
  } catch (cause) {
    return failedLegend(name, cause)
  }
}
