import { resolve } from 'node:path'
import type { Fault } from 'mappa'
import { git } from './git.js'

/** Paths of what git has of a root, from there; undefined without git. */
export function trackedPaths(root: string): readonly string[] | undefined {
  return git(root, ['ls-files', '-z', '--cached'])
    ?.split('\0')
    .filter((path) => path !== '')
}

/** Tells whether git has a file; true without git, where it may come from another repository. */
export function mayBeTracked(root: string, path: string): boolean {
  return git(root, ['ls-files', '-z', '--cached', '--', path]) !== ''
}

/** Which of these paths git would take: neither ignored nor outside of it. Empty without git. */
export function takenPaths(root: string, paths: readonly string[]): readonly string[] {
  if (paths.length === 0 || git(root, ['rev-parse', '--is-inside-work-tree'])?.trim() !== 'true') return []
  const answer = git(root, ['check-ignore', '-z', '--no-index', '--stdin'], paths.join('\0'))
  if (answer === undefined) return []
  const ignored = new Set(answer.split('\0'))
  return paths.filter((path) => !ignored.has(path))
}

/** A layer of this machine that git has, or would take. */
export interface Unguarded {
  readonly path: string
  readonly tracked: boolean
}

/** Tells whether a path is that of a layer of one machine. */
export function isLocalLayer(path: string): boolean {
  return /(?:^|\/)\.env(?:\.[a-z][a-z0-9-]*)?\.local$/.test(path)
}

/** Which layers of this machine git has or would take; `tracked` is all that it has. */
export function unguardedLayers(
  root: string,
  local: readonly string[],
  tracked = trackedPaths(root) ?? [],
): readonly Unguarded[] {
  const has = tracked.filter((path) => isLocalLayer(path) && !path.includes('/'))
  const taken = takenPaths(
    root,
    local.filter((path) => !has.includes(path)),
  )
  return [...has.map((path) => ({ path, tracked: true })), ...taken.map((path) => ({ path, tracked: false }))]
}

/** Paths of the files that the next commit would add or change, from the root. */
export function stagedPaths(root: string): readonly string[] {
  const options = ['--cached', '--relative', '--name-only', '-z', '--no-renames', '--diff-filter=ACMR']
  return (git(root, ['diff', ...options]) ?? '').split('\0').filter((path) => path !== '')
}

/** A path as git writes it where it holds odd characters: in quotes, with escapes for bytes. */
export function gitPath(path: string): string {
  const name = path.replace(/\t$/, '')
  if (!name.startsWith('"')) return name
  const bytes: number[] = []
  const escapes: Readonly<Record<string, number>> = { n: 10, t: 9, r: 13, '"': 34, '\\': 92, a: 7, b: 8, f: 12, v: 11 }
  for (const [, octal, char, plain = ''] of name.slice(1, -1).matchAll(/\\([0-7]{3})|\\(.)|([^\\]+)/g))
    for (const each of octal ? [Number.parseInt(octal, 8)] : char ? [escapes[char] ?? 0] : Buffer.from(plain))
      bytes.push(each)
  return Buffer.from(bytes).toString('utf8')
}

/** Finds where a repository's hooks are: what its own settings say, else git's usual place. Undefined without git. */
export function hooksFolder(root: string): string | undefined {
  const top = git(root, ['rev-parse', '--show-toplevel'])?.trim()
  const common = git(root, ['rev-parse', '--git-common-dir'])?.trim()
  if (!top || !common) return undefined
  const named = git(root, ['config', '--local', '--get', 'core.hooksPath'])?.trim()
  return named ? resolve(top, named) : resolve(root, common, 'hooks')
}

/** A layer of this machine that git has, or would take. */
export function notIgnored(path: string, tracked: boolean): Fault {
  return {
    kind: 'not-ignored',
    message: `${path} ${tracked ? 'is for this machine, but git tracks it' : 'is not ignored by git'}.`,
    place: { file: path, line: 1, column: 1, endColumn: 2 },
    remedy: tracked
      ? `Rotate every secret in it: git history keeps them. Run: git rm --cached ${path} && mappa init`
      : 'Run: mappa init',
  }
}
