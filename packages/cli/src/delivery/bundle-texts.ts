import { readdirSync, statSync } from 'node:fs'
import { join, resolve } from 'node:path'
import { textAt } from 'mappa/command'

/** A file of a bundle: its path from the folder above it, and its text. */
export interface BundleText {
  readonly path: string
  readonly text: string
}

/** Files of a bundle that may hold values; a map repeats texts of the other files. */
const mayHold = /\.(?:[cm]?js|html?|css|json|txt|xml|webmanifest)$/
/** Larger files are data. Bytes. */
const bundleFileMax = 32 * 1024 * 1024

/** The texts of a build's output, a folder or one file; undefined if it is not there. */
export function bundleTexts(root: string, named: string): readonly BundleText[] | undefined {
  const path = resolve(process.cwd(), named)
  const stats = statSync(path, { throwIfNoEntry: false }) ?? statSync(join(root, named), { throwIfNoEntry: false })
  if (!stats) return undefined
  if (stats.isFile()) {
    const text = textAt(path, bundleFileMax)
    return text === undefined ? undefined : [{ path: named, text }]
  }
  if (!stats.isDirectory()) return undefined
  const names = readdirSync(path, { recursive: true, encoding: 'utf8' }).filter((name) => mayHold.test(name))
  return names.sort().flatMap((name) => {
    const text = textAt(join(path, name), bundleFileMax)
    return text === undefined ? [] : [{ path: join(named, name), text }]
  })
}
