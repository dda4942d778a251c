import { readFileSync } from 'node:fs'

/** The text of a file; undefined for one that is not there or cannot be read. */
export function textAt(file: string): string | undefined {
  try {
    return readFileSync(file, 'utf8')
  } catch {
    return undefined
  }
}
