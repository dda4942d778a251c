import { SourceMap } from 'node:module'
import { dirname, resolve } from 'node:path'
import { fileURLToPath } from 'node:url'
import { textAt } from 'mappa/command'
import type { RawPlace } from './protocol.js'

/** Finds the places in the code that a person wrote for those in code as it ran, by its source maps (ECMA-426). */
export class CodePlaces {
  readonly #maps = new Map<string, SourceMap | undefined>()

  /** The same place with a path, or what Node calls code without a file, such as `[eval]`. */
  of({ file, line, column }: RawPlace): RawPlace {
    const path = pathOf(file)
    const map = this.#mapOf(path)
    const entry = map?.findEntry(line - 1, column - 1)
    // A part of the file may be made of nothing.
    if (!entry || !('originalSource' in entry) || !entry.originalSource) return { file: path, line, column }
    const source = /^[a-z]+:\/\//.test(entry.originalSource) ? pathOf(entry.originalSource) : entry.originalSource
    return {
      file: resolve(dirname(path), source),
      line: entry.originalLine + 1,
      column: entry.originalColumn + 1,
    }
  }

  #mapOf(path: string): SourceMap | undefined {
    if (!this.#maps.has(path)) this.#maps.set(path, sourceMapOf(path))
    return this.#maps.get(path)
  }
}

function pathOf(file: string): string {
  try {
    return file.startsWith('file:') ? fileURLToPath(file.replace(/[?#].*$/s, '')) : file
  } catch {
    return file
  }
}

function sourceMapOf(path: string): SourceMap | undefined {
  const named = /^\/\/[#@] ?sourceMappingURL=(\S+)\s*$/gm
  const address = [...(textAt(path) ?? '').matchAll(named)].at(-1)?.[1]
  if (address === undefined) return undefined
  const [, encoding, data] = /^data:[^,]*?(;base64)?,(.*)$/s.exec(address) ?? []
  const text =
    data === undefined
      ? textAt(resolve(dirname(path), decodeURIComponent(address)))
      : encoding
        ? Buffer.from(data, 'base64').toString('utf8')
        : decodeURIComponent(data)
  if (text === undefined) return undefined
  try {
    return new SourceMap(JSON.parse(text))
  } catch {
    return undefined
  }
}
