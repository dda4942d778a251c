import { isName } from '../../format/names.js'
import { mustBeText } from '../../legend/given.js'
import type { Fault } from '../../settle/faults/faults.js'
import { type Layer, layerFromValues } from '../../settle/stack/layer.js'
import { fs, path } from './builtins.js'
import type { ReadOptions } from './files.js'
import { isDirectory, readTextFile } from './files.js'
import { shownPath } from './shown-path.js'

/**
 * A layer from a directory of one-value files, as container platforms mount secrets: each file is named as its
 * variable, and holds the value as it is; one final line end is dropped. Files whose name is not a variable's are left
 * alone. Undefined if there is no such directory; what cannot be read is among the layer's faults.
 */
export function layerFromDirectory(directory: string, root = process.cwd()): Layer | undefined {
  mustBeText(directory, 'layerFromDirectory', 'a directory')
  mustBeText(root, 'layerFromDirectory', 'the root')
  const full = path.resolve(root, directory)
  const fileOf = (name: string) => shownPath(path.join(directory, name))
  const names = listed(full, directory)
  if (names === undefined) return undefined
  if (!Array.isArray(names)) return { ...layerFromValues(directory, {}), source: 'directory', faults: [names] }
  const values: Record<string, string> = Object.create(null)
  const faults: Fault[] = []
  for (const name of names.filter(isName)) {
    const value = readValueFile(path.join(full, name), fileOf(name))
    if (typeof value === 'string') values[name] = value
    // A directory below is nobody's value; a file that vanished since the listing is not there.
    else if (value && !isDirectory(path.join(full, name))) faults.push({ ...value, name })
  }
  const layer = layerFromValues(directory, values, {
    source: 'directory',
    fileOf,
  })
  return { ...layer, faults }
}

/** The one value that a file holds: its text without one final line end. `name` is what messages call it. */
export function readValueFile(file: string, name: string, options: ReadOptions = {}): string | Fault | undefined {
  const text = readTextFile(file, name, options)
  if (typeof text !== 'string') return text
  const value = text.replace(/\r?\n$/, '')
  if (!value.includes('\0')) return value
  const message = `${name} contains a NUL character, which no environment can hold.`
  return { kind: 'nul', message, layer: name, remedy: 'Remove it. Write binary data as base64.' }
}

function listed(directory: string, name: string): string[] | Fault | undefined {
  try {
    return fs.readdirSync(directory).sort()
  } catch (error) {
    const { code } = error as NodeJS.ErrnoException
    if (code === 'ENOENT') return undefined
    const why = code === 'ENOTDIR' ? 'is a file' : code === 'EACCES' ? 'this user may not read it' : 'it cannot be read'
    return {
      kind: 'unreadable',
      message: `${name} must be a directory of one-value files, but ${why}.`,
      layer: name,
      remedy: code === 'EACCES' ? `Run: chmod u+rx ${name}` : 'Correct it in the legend.',
    }
  }
}
