import { type Dirent, readdirSync } from 'node:fs'
import { join } from 'node:path'
import { namesIn, textAt } from 'mappa/command'
import { holdsCode, type SourceFile } from '../code/parse.js'
import { git } from './git/git.js'

/** Folders of what others wrote, or what is made from the sources. */
const skippedFolders =
  /(?:^|\/)(?:node_modules|bower_components|jspm_packages|\.git|dist|build|out|coverage|vendor|\.cache|\.scratch)\//
/** Declarations that say what there is and take nothing, prose, locks, and files that are not text. */
const skippedFiles =
  /(?:^|\/)(?:\.env\.(?:example|sample)|mappa\.legend\.(?:[cm]?[jt]s|json)|package-lock\.json|yarn\.lock|pnpm-lock\.yaml)$|\.(?:d\.[cm]?ts|md|mdx|txt|rst|adoc|map|lock|png|jpe?g|gif|webp|avif|ico|svg|pdf|zip|gz|tgz|wasm|woff2?|ttf|eot|mp[34]|sqlite3?|db)$/i
/** Larger files are data. Bytes. */
const fileBytesMax = 1024 * 1024

/** The project's own files below its root that may read settings, one at a time: what git knows of, if there is any. */
export function* projectFiles(root: string): Generator<SourceFile> {
  for (const path of projectPaths(root)) {
    const text = textOf(join(root, path))
    if (text !== undefined) yield { path, text }
  }
}

/** The paths of those files from the root; without what is in the folders `apart`. */
export function* projectPaths(root: string, apart: readonly string[] = []): Generator<string> {
  for (const path of tracked(root) ?? below(root, '')) {
    const isSkipped = skippedFolders.test(path) || skippedFiles.test(path)
    if (!isSkipped && !apart.some((folder) => path.startsWith(folder))) yield path
  }
}

/** One of these files; undefined for one that is gone, too large, no text, or may not be read. */
export function projectFile(root: string, path: string): SourceFile | undefined {
  const text = textOf(join(root, path))
  return text === undefined ? undefined : { path, text }
}

/** Every text of a project that others may get, also prose and data, one at a time; not this machine's layers. */
export function* textFiles(root: string): Generator<SourceFile> {
  for (const path of tracked(root) ?? below(root, '')) {
    if (skippedFolders.test(path) || /(?:^|\/)\.env[^/]*\.local$|(?:^|\/)[^/]*-?lock\.(?:json|ya?ml)$/.test(path))
      continue
    const text = textOf(join(root, path))
    if (text !== undefined) yield { path, text }
  }
}

/** Files that make their folder a package, or something that another runtime runs or a service deploys, by itself. */
const ownManifests =
  /^(?:package\.json|deno\.jsonc?|wrangler\.(?:toml|jsonc?)|serverless\.(?:ya?ml|json)|fly\.toml|netlify\.toml|vercel\.json)$/

/** The folders below a root, outermost first, whose files are another package's: `client/`. */
export function foldersApart(root: string): readonly string[] {
  const folders = new Set<string>()
  for (const path of tracked(root) ?? below(root, '')) {
    const [, folder = '', name = ''] = /^(.*\/)?([^/]+)$/.exec(path) ?? []
    if (folder !== '' && ownManifests.test(name) && !skippedFolders.test(path) && isManifest(join(root, path)))
      folders.add(folder)
  }
  return [...folders].filter((each) => ![...folders].some((other) => other !== each && each.startsWith(other))).sort()
}

/** A package.json that says no more than how modules are read is part of the package that it is in. */
function isManifest(file: string): boolean {
  if (!file.endsWith('package.json')) return true
  try {
    return Object.keys(JSON.parse(textOf(file) ?? '{}')).some((name) => !/^(?:type|private|sideEffects)$/.test(name))
  } catch {
    return true
  }
}

/** The folders below a root that hold a legend, by their paths from it. */
export function legendsBelow(root: string): readonly string[] {
  const folders = [...(tracked(root) ?? below(root, ''))].flatMap((path) => {
    const [, folder] = /^(.+?)\/(?:src\/)?mappa\.legend\.(?:[cm]?[jt]s|json)$/.exec(path) ?? []
    return folder === undefined || folder === 'src' || skippedFolders.test(path) ? [] : [folder]
  })
  return [...new Set(folders)]
}

/** The layer files of a root, by their names. */
export function layerNamesIn(root: string): readonly string[] {
  return namesIn(root).filter(
    (name) => /^\.env(?:\.[a-z][a-z0-9-]*)*$/.test(name) && !/^\.env\.(?:example|sample)$/.test(name),
  )
}

/** Tells whether code below a root holds what lift looks at: reads of an environment, addresses, or keys. */
export function mayHoldSettings(root: string): boolean {
  let left = filesLookedAt
  for (const { path, text } of projectFiles(root)) {
    if (left-- === 0) return false
    if (holdsCode(path) && /\bprocess\.env\b|\bimport\.meta\.env\b|['"`]https?:\/\/|\.listen\(/.test(text)) return true
  }
  return false
}

/** More are not looked at for a word of advice. */
const filesLookedAt = 300

/** Paths from the root, with slashes; undefined without git. */
function tracked(root: string): readonly string[] | undefined {
  const answer = git(root, ['ls-files', '-z', '--cached', '--others', '--exclude-standard'])
  if (answer === undefined) return undefined
  const paths = [...new Set(answer.split('\0'))].filter((path) => path !== '').sort()
  // A folder that git leaves out as a whole is a project of its own all the same.
  return paths.length > 0 ? [...paths, ...localLayers(root)] : undefined
}

/**
 * Which of these files git ignores; none where there is no git, or where that leaves
 * out the whole folder, as it does with `legendFile`.
 */
export function ignoredFiles(root: string, legendFile: string, paths: readonly string[]): ReadonlySet<string> {
  const input = [legendFile, ...paths].join('\0')
  const answer = git(root, ['check-ignore', '-z', '--stdin'], input)
  const ignored = new Set((answer ?? '').split('\0').filter((path) => path !== ''))
  return ignored.has(legendFile) ? new Set() : ignored
}

/** Layer files of this machine, which git should not know of. */
function localLayers(root: string): string[] {
  return namesIn(root).filter((name) => /^\.env(?:\.[a-z][a-z0-9-]*)?\.local$/.test(name))
}

function* below(root: string, folder: string): Generator<string> {
  for (const entry of entriesIn(join(root, folder)).sort((a, b) => (a.name < b.name ? -1 : 1))) {
    const path = folder + entry.name
    // Links are not followed: they may lead out of the project, or round in it.
    if (entry.isDirectory() && !skippedFolders.test(`${path}/`)) yield* below(root, `${path}/`)
    else if (entry.isFile()) yield path
  }
}

/** Names in a folder; empty if it does not exist or cannot be listed. */
function entriesIn(folder: string): Dirent[] {
  try {
    return readdirSync(folder, { withFileTypes: true })
  } catch {
    return []
  }
}

/** The text of a file; undefined for one that is gone, too large, no text, or may not be read. */
function textOf(file: string): string | undefined {
  const text = textAt(file, fileBytesMax)
  return text?.includes('\0') ? undefined : text
}

/** Those of these paths from the root that have uncommitted changes. */
export function uncommittedPaths(root: string, paths: readonly string[]): readonly string[] {
  if (paths.length === 0) return []
  // git names them from the repository's top.
  const prefix = (git(root, ['rev-parse', '--show-prefix']) ?? '').trim()
  const options = ['--porcelain', '-z', '--no-renames', '--ignore-submodules=all', '--untracked-files=all']
  const answer = git(root, ['status', ...options]) ?? ''
  const changed = new Set(answer.split('\0').map((each) => each.slice(3)))
  return paths.filter((path) => changed.has(prefix + path))
}

/** The committed text of a file; undefined without one. */
export function committedText(root: string, path: string): string | undefined {
  return git(root, ['show', `HEAD:./${path}`])
}

/** Tells whether git would give back what is overwritten. */
export function isVersioned(root: string): boolean {
  return git(root, ['rev-parse', '--is-inside-work-tree'])?.trim() === 'true'
}
