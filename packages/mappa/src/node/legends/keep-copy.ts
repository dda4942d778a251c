import { fs } from '../files/builtins.js'
import { textAt } from '../files/files.js'
import {
  type CacheFiles,
  type CacheRecord,
  cacheFiles,
  cacheVersion,
  freshCopy,
  isCommitted,
  isOwn,
} from './compiled-legend.js'

/**
 * Keeps the one module that a legend in TypeScript was compiled into, for starts and later runs, with the texts of the files that
 * it was made of. Undefined without a place that only this user can write.
 */
export function keepCopy(path: string, module: string, inputs: CacheRecord['inputs']): CacheFiles | undefined {
  for (const cache of cacheFiles(path)) {
    try {
      if (!fs.lstatSync(cache.directory, { throwIfNoEntry: false })) {
        fs.mkdirSync(cache.directory, { recursive: true, mode: 0o755 })
        // A strict mask of the one who builds an image would lock out the one who runs it.
        fs.chmodSync(cache.directory, 0o755)
      }
      if (!isOwn(cache) || isCommitted(cache)) continue
      replaceFile(cache.module, module)
      // A compiler names a file by where a link leads; a copy is found by the legend's own path.
      const record = { version: cacheVersion, inputs: { [path]: textAt(path) ?? '', ...inputs } }
      replaceFile(cache.record, JSON.stringify(record satisfies CacheRecord))
      return cache
    } catch {
      // Not writable: the next one.
    }
  }
  return undefined
}

/** Keeps what a builder made of the text of a legend that imports nothing of the project's own, unless that is kept already. */
export function keepCompiled(path: string, text: string, module: string): void {
  try {
    if (!freshCopy(path)) keepCopy(path, module, { [path]: text })
  } catch {
    // A build needs no copy.
  }
}

/** Another run may read at the same time, so it must find the old file or the new one, never half of one. */
export function replaceFile(path: string, text: string): void {
  const fresh = `${path}.${process.pid}.new`
  fs.rmSync(fresh, { force: true })
  fs.writeFileSync(fresh, text, { mode: 0o644, flag: 'wx' })
  fs.chmodSync(fresh, 0o644)
  fs.renameSync(fresh, path)
}
