import { createHash } from 'node:crypto'
import { existsSync, readdirSync, statSync } from 'node:fs'
import { basename, dirname, extname, join, sep } from 'node:path'
import * as zlib from 'node:zlib'
import { bytesAt, pathFrom } from 'mappa/command'
import type { FileWrite } from '../../writing/write.js'
import { listsFile, withDigestsRenewed } from './mentions.js'

/**
 * Where a builder has put a page and what belongs to it: the topmost folder over it below the root that is not a package or
 * repository; of a page outside of the root its own folder.
 */
export function outputFolderOf(page: string, root: string): string {
  let folder = dirname(page)
  if (!folder.startsWith(root + sep)) return folder
  const isApart = (at: string) => at === root || ['package.json', '.git'].some((name) => existsSync(join(at, name)))
  while (!isApart(dirname(folder))) folder = dirname(folder)
  return folder
}

/** Compressed copies, by ending: how to read one, and make it again. */
const compressions: Readonly<Record<string, readonly [read: Compression | undefined, write: Compression | undefined]>> =
  {
    '.gz': [zlib.gunzipSync, (bytes) => zlib.gzipSync(bytes, { level: 9 })],
    '.br': [zlib.brotliDecompressSync, zlib.brotliCompressSync],
    '.zst': [zstd('zstdDecompressSync'), zstd('zstdCompressSync')],
  }

type Compression = (bytes: Uint8Array) => Uint8Array

/** Node has it since 22.15. */
function zstd(name: string): Compression | undefined {
  return (zlib as unknown as Readonly<Record<string, Compression | undefined>>)[name]
}

/** Larger files, and more of them, are not page's. Bytes. */
const listBytesMax = 16 * 1024 * 1024
const filesMax = 20_000
/** Endings of files that may list other files of an output. */
const listEndings = /\.(?:[cm]?js|json|webmanifest|html?|txt|xml|map)$|\/(?:_headers|\.htaccess)$/

/** A file that gets another content. */
export interface OutputChange {
  /** Absolute. */
  readonly path: string
  readonly before: Uint8Array
  readonly after: Uint8Array
}

/** Files to write again so that an output is consistent, and files for a person to check. */
export interface Renewal {
  readonly writes: readonly FileWrite[]
  /** Paths of files that were made again beside those that were changed. */
  readonly renewed: readonly string[]
  readonly notices: readonly string[]
}

/**
 * Makes what was made of files anew after they have changed: compressed copies, and digests of them in lists of what to
 * store ahead and in integrity attributes; and what was made of that in turn. Mismatches are reported.
 */
export function renewOutput(folder: string, isWhole: boolean, changes: readonly OutputChange[]): Renewal {
  const files = isWhole ? outputFiles(folder) : namesBeside(folder)
  const contents = new Map(changes.map((change) => [change.path, change]))
  const lists = new Map<string, string>()
  const textOf = (file: string) => {
    const known = contents.get(file)?.after
    if (known) return Buffer.from(known).toString('utf8')
    if (!lists.has(file))
      lists.set(file, Buffer.from(sizeOf(file) <= listBytesMax ? (bytesAt(file) ?? []) : []).toString('utf8'))
    return lists.get(file) as string
  }
  const notices = new Set<string>()
  const renewed = new Set<string>()
  const given = new Set(changes.map(({ path }) => path))
  const change = (path: string, before: Uint8Array, after: Uint8Array) => {
    contents.set(path, { path, before: contents.get(path)?.before ?? before, after })
    if (!given.has(path)) renewed.add(path)
    return { path, before, after }
  }
  const named = (path: string) => pathFrom(folder, path) || basename(path)
  const open = [...changes]
  for (let one = open.shift(), rounds = 0; one && rounds < filesMax; one = open.shift(), rounds++) {
    const { path, before, after } = one
    for (const [ending, [read, write]] of Object.entries(compressions)) {
      const copy = files.includes(path + ending) ? bytesAt(path + ending) : undefined
      if (copy === undefined) continue
      const fresh = read && write && isCopy(read, copy, before) ? write(after) : undefined
      if (fresh) open.push(change(path + ending, copy, fresh))
      else
        notices.add(`${named(path + ending)} is not a copy of ${named(path)}, or cannot be made here. Make it again.`)
    }
    const [old, fresh] = [digestsOf(before), digestsOf(after)]
    for (const file of files) {
      if (file === path || !listEndings.test(file)) continue
      const text = textOf(file)
      const next = withDigestsRenewed(text, old, fresh)
      if (next !== text) open.push(change(file, Buffer.from(text), Buffer.from(next)))
      else if (!renewed.has(file) && listsFile(text, basename(path)))
        notices.add(`${named(file)} lists ${named(path)} with a wrong digest. Make that list again.`)
    }
  }
  const writes = [...contents.values()].map(({ path, before, after }) => ({ path, before, text: after }))
  return { writes, renewed: [...renewed].map(named), notices: [...notices] }
}

function isCopy(read: Compression, copy: Uint8Array, before: Uint8Array): boolean {
  try {
    return Buffer.compare(read(copy), before) === 0
  } catch {
    return false
  }
}

const algorithms = ['md5', 'sha1', 'sha256', 'sha384', 'sha512'] as const
const forms = ['hex', 'base64', 'base64url'] as const

function digestsOf(content: Uint8Array): readonly string[] {
  return algorithms.flatMap((algorithm) => forms.map((form) => createHash(algorithm).update(content).digest(form)))
}

function outputFiles(folder: string): string[] {
  const all = readdirSync(folder, { recursive: true, withFileTypes: true })
  return all
    .filter((each) => each.isFile() && !/[\\/]node_modules(?:[\\/]|$)/.test(each.parentPath))
    .slice(0, filesMax)
    .map((each) => join(each.parentPath, each.name))
}

function namesBeside(folder: string): string[] {
  return readdirSync(folder)
    .map((name) => join(folder, name))
    .filter((file) => statSync(file, { throwIfNoEntry: false })?.isFile())
}

/** Tells whether a file is a page, by its name. */
export function isPage(file: string): boolean {
  return /^\.x?html?$/i.test(extname(file))
}

function sizeOf(file: string): number {
  return statSync(file, { throwIfNoEntry: false })?.size ?? 0
}
