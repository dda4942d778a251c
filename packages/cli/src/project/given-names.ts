import { gatherAt } from 'mappa/command'
import { WriteError } from '../writing/write.js'
import { ignoredFiles } from './files.js'
import type { SoundProject } from './project.js'

/** Names that have a value in development for anyone who clones the project. */
export function givenNames({ root, definition, legendFile }: SoundProject): ReadonlySet<string> {
  const { layers } = gatherAt(root, definition, { stage: 'development', environment: {} })
  const shared = layers.filter(({ source, local }) => source === 'file' && !local)
  const ignored = ignoredFiles(
    root,
    legendFile,
    shared.map(({ name }) => name),
  )
  const unread = shared.find(({ faults = [] }) => faults.length > 0)
  if (unread) throw new WriteError(`${unread.name} cannot be read. Nothing was written.`, unread.name)
  return new Set(
    shared
      .filter(({ name }) => !ignored.has(name))
      .flatMap((layer) => [...layer.names()].filter((name) => layer.get(name) !== '')),
  )
}
