import fs from 'node:fs'
import path from 'node:path'
import type { Fault, Survey } from 'mappa'
import { leaksOf } from 'mappa/plugin'
import { pathFrom } from './paths.js'

/** Files of an output that were searched before they were written: their sizes by path, in bytes. */
export type Searched = Map<string, number>

/**
 * Searches what a build has left in its folder for secrets: what is copied there, and what other plugins write late, is in no bundle.
 * Files that hold one are removed, as it would be in them otherwise.
 */
export function leaksOnDisk(folder: string, survey: Survey, searched: Searched): Fault[] {
  const faults: Fault[] = []
  for (const file of filesBelow(folder)) {
    const { size } = fs.statSync(file)
    if (searched.get(file) === size) continue
    const leaks = leaksOf([{ name: pathFrom(folder, file), content: fs.readFileSync(file) }], survey)
    if (leaks.length > 0) fs.rmSync(file)
    for (const leak of leaks) faults.push(leak)
  }
  return faults
}

/** Regular files, not behind links: a link is not a part of an output. */
function filesBelow(folder: string): string[] {
  if (!fs.existsSync(folder)) return []
  return fs
    .readdirSync(folder, { recursive: true, withFileTypes: true })
    .filter((each) => each.isFile() && !/[\\/](?:node_modules|\.git)(?:[\\/]|$)/.test(each.parentPath))
    .map((each) => path.join(each.parentPath, each.name))
}

/** Notes what a bundle will write. */
export function noteSearched(
  searched: Searched,
  folder: string,
  outputs: Iterable<{ readonly name: string; readonly content: string | Uint8Array }>,
): void {
  for (const { name, content } of outputs)
    searched.set(path.join(folder, name), typeof content === 'string' ? Buffer.byteLength(content) : content.byteLength)
}
