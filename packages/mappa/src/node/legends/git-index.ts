import { fs, path as paths } from '../files/builtins.js'
import { repositoryTop } from '../files/root.js'

/**
 * Tells whether git holds a file of this name, by its index and without starting it. `name` must be one that no other file has,
 * as that of a compiled legend. An index that is not understood counts as one that does.
 */
export function isInIndex(directory: string, name: string): boolean {
  const top = repositoryTop(directory)
  if (top === undefined) return false
  const folder = gitFolder(paths.join(top, '.git'))
  const index = indexBytes(paths.join(folder, 'index'))
  if (index === undefined) return false
  if (listsName(index, name)) return true
  // A split index keeps most of its entries in another file.
  return fs.readdirSync(folder).some((each) => {
    const shared = each.startsWith('sharedindex.') ? indexBytes(paths.join(folder, each)) : undefined
    return shared !== undefined && listsName(shared, name)
  })
}

/** The folder of a repository, or of a work tree or submodule, whose `.git` is a file that names it. */
function gitFolder(path: string): string {
  const stats = fs.statSync(path)
  if (stats.isDirectory()) return path
  // A pipe would be waited for.
  if (!stats.isFile()) throw new TypeError('.git is neither a folder nor a file.')
  const [, named = ''] = /^gitdir: (.+?)\r?\n?$/.exec(fs.readFileSync(path, 'latin1')) ?? []
  return paths.resolve(paths.dirname(path), Buffer.from(named, 'latin1').toString('utf8'))
}

function indexBytes(path: string): Buffer | undefined {
  return fs.statSync(path, { throwIfNoEntry: false })?.isFile() ? fs.readFileSync(path) : undefined
}

function listsName(index: Buffer, name: string): boolean {
  if (index.toString('latin1', 0, 4) !== 'DIRC') return true
  const version = index.readUInt32BE(4)
  // Versions 2 and 3 have whole paths.
  if (version === 2 || version === 3) return index.includes(`${name}\0`)
  if (version !== 4) return true
  const found = [20, 32].map((digestBytes) => inCompressed(index, name, digestBytes))
  return found.includes(true) || found.every((each) => each === undefined)
}

/** The fields of an entry before its digest (gitformat-index(5)). Bytes. */
const statBytes = 40

/** The same for version 4, in which a path begins as the one before does. Undefined if its digests have another length. */
function inCompressed(index: Buffer, name: string, digestBytes: number): boolean | undefined {
  let path = ''
  let at = 12
  for (let left = index.readUInt32BE(8); left > 0; left--) {
    at += statBytes + digestBytes
    if (at + 2 > index.length) return undefined
    at += (index.readUInt16BE(at) & 0x4000) === 0 ? 2 : 4
    // An offset as in pack files: seven bits a byte, each more adding one.
    let removed = (index[at] ?? 0) & 127
    while (((index[at++] ?? 0) & 128) !== 0) removed = ((removed + 1) << 7) | ((index[at] ?? 0) & 127)
    const end = index.indexOf(0, at)
    if (end < 0 || removed > path.length) return undefined
    path = path.slice(0, path.length - removed) + index.toString('latin1', at, end)
    if (path.endsWith(name)) return true
    at = end + 1
  }
  return false
}
