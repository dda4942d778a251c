import fs from 'node:fs'
import path from 'node:path'
import type { Fault, Survey } from 'mappa'
import { leaksOf } from 'mappa/plugin'
import { pathFrom } from './paths.js'

/** Files of an output that were searched before they were written: their sizes by path, in bytes. */
export type Searched = Map<string, number>

/** File systems round times. Milliseconds. */
const timeSlack = 2000

/**
 * Searches what a build has left in its folder for secrets: what is copied there, and what other plugins write late, is in no bundle.
 * A file with one is removed if this build, which began at `began`, has written it. A folder that contains the project itself is not
 * searched: its layer files are there.
 */
export function leaksOnDisk(
  folder: string,
  searched: Searched,
  { survey, root, began }: { readonly survey: Survey; readonly root: string; readonly began: number },
): Fault[] {
  if (`${path.resolve(root)}${path.sep}`.startsWith(`${path.resolve(folder)}${path.sep}`)) return []
  const faults: Fault[] = []
  for (const file of filesBelow(folder)) {
    const { size, ctimeMs } = fs.statSync(file)
    if (searched.get(file) === size) continue
    const leaks = leaksOf([{ name: pathFrom(folder, file), content: fs.readFileSync(file) }], survey)
    if (leaks.length > 0 && ctimeMs >= began - timeSlack) fs.rmSync(file)
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
