import { lstatSync, mkdirSync, mkdtempSync, rmSync, symlinkSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { dirname, join, posix, relative } from 'node:path'
import { legendFileNames, pathFrom, repositoryTop } from 'mappa/command'
import { git } from '../../project/git/git.js'

/** A project as a commit has it, in a folder of its own until it is closed. */
export interface Earlier {
  readonly root: string
  /** The first characters of the commit. */
  readonly commit: string
  close(): void
}

/** More files are not what a legend is made of. */
const legendFilesMax = 2000

/**
 * Takes the layers and the legend that a commit has out of git, with what the legend imports from the project;
 * packages are those that are installed now. Undefined if there is no such commit.
 */
export function earlierProject(root: string, revision: string): Earlier | undefined {
  // A revision that begins with a hyphen would be an option.
  if (revision.startsWith('-')) return undefined
  const commit = git(root, ['rev-parse', '--verify', '--quiet', '--end-of-options', `${revision}^{commit}`])?.trim()
  const top = repositoryTop(root)
  if (!commit || top === undefined) return undefined
  const inside = pathFrom(top, root)
  const listed = git(top, ['ls-tree', '-r', '-z', '--name-only', commit]) ?? ''
  const all = new Set(listed.split('\0').filter((path) => path !== ''))
  const folder = mkdtempSync(join(tmpdir(), 'mappa-since-'))
  try {
    // The search for a root ends at a repository's top.
    mkdirSync(join(folder, '.git'))
    for (const path of pathsFor(all, inside, (path) => git(top, ['show', `${commit}:${path}`]) ?? '')) {
      const text = git(top, ['show', `${commit}:${path}`])
      if (text === undefined) continue
      mkdirSync(dirname(join(folder, path)), { recursive: true })
      writeFileSync(join(folder, path), text, { mode: 0o600 })
    }
    const own = join(folder, inside)
    mkdirSync(own, { recursive: true })
    for (let at = root; ; at = dirname(at)) {
      const link = join(folder, relative(top, at), 'node_modules')
      if (lstatSync(join(at, 'node_modules'), { throwIfNoEntry: false })) symlinkSync(join(at, 'node_modules'), link)
      if (at === top || at === dirname(at)) break
    }
    return { root: own, commit: commit.slice(0, 10), close: () => rmSync(folder, { recursive: true, force: true }) }
  } catch (error) {
    rmSync(folder, { recursive: true, force: true })
    throw error
  }
}

/** Layers, legends, what those import, and what says how modules are read. */
function pathsFor(all: ReadonlySet<string>, inside: string, textOf: (path: string) => string): ReadonlySet<string> {
  const within = (path: string) => posix.join(inside, path)
  const legends = legendFileNames
    .flatMap((name) => [within(name), within(`src/${name}`)])
    .filter((path) => all.has(path))
  const wanted = new Set<string>()
  for (const path of all) {
    const folder = posix.dirname(path)
    const isBeside = folder === (inside || '.') || folder === '.'
    const isAbove = inside === '' || `${inside}/`.startsWith(folder === '.' ? '' : `${folder}/`)
    const name = posix.basename(path)
    if (isBeside && /^\.env(?:\.[a-z][a-z0-9-]*)*$/.test(name)) wanted.add(path)
    if (isAbove && /^(?:package|tsconfig|jsconfig)\.json$/.test(name)) wanted.add(path)
  }
  const open = [...legends]
  for (let path = open.pop(); path !== undefined && wanted.size < legendFilesMax; path = open.pop()) {
    if (wanted.has(path)) continue
    wanted.add(path)
    const from = posix.dirname(path)
    for (const [, name = ''] of textOf(path).matchAll(/(?:\bfrom|\bimport|\brequire)\s*\(?\s*['"](\.[^'"]*)['"]/g))
      for (const each of importedPaths(posix.join(from, name)).filter((each) => all.has(each))) open.push(each)
  }
  return wanted
}

const importEndings = ['', '.ts', '.mts', '.cts', '.js', '.mjs', '.cjs', '.json', '/index.ts', '/index.js']

/** Files that an import may mean: TypeScript imports name the compiled file. */
function importedPaths(path: string): readonly string[] {
  const bare = path.replace(/\.([cm]?)js$/, '.$1ts')
  return [...importEndings.map((ending) => path + ending), ...(bare === path ? [] : [bare])]
}
