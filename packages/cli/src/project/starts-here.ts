import { join } from 'node:path'
import { parseEnv } from 'node:util'
import { type Survey, stagesOf } from 'mappa'
import { textAt } from 'mappa/command'
import type { StartFiles } from '../starts/start.js'
import { type StartGets, startsAtStage } from '../starts/told.js'
import { foldersApart, projectPaths } from './files.js'
import type { Project } from './project.js'

/** Larger files of packages are not code that anyone wrote. Bytes. */
const fileMax = 4 * 1024 * 1024

/** A project's files for its starts; each is read once. */
export function startFiles(root: string): StartFiles {
  const known = new Map<string, string | undefined>()
  return {
    readAsNode: (text) => new Map(Object.entries(parseEnv(text) as Record<string, string>)),
    paths: [...projectPaths(root, foldersApart(root))],
    read: (path) => {
      if (!known.has(path)) known.set(path, textAt(join(root, path), fileMax))
      return known.get(path)
    },
  }
}

/**
 * What each start of a stage gives code, against the stage's layers and defaults; of these `names`, or of all that have a
 * value. What this process's environment sets is left out: that is another start.
 */
export function startsOfProject(
  { root, definition }: Pick<Project, 'root' | 'definition'>,
  found: Survey,
  names?: ReadonlySet<string>,
): readonly StartGets[] {
  const expected = [...found.trails.values()].flatMap(({ name, declared, winner }) => {
    const text = found.texts.get(name)
    const isElsewhere = winner?.source === 'environment' || winner?.source === 'command-line'
    const isWanted = names === undefined ? text !== undefined : names.has(name)
    return declared && isWanted && !isElsewhere && name !== 'NODE_ENV' ? [{ name, text }] : []
  })
  if (expected.length === 0) return []
  return startsAtStage(startFiles(root), { stage: found.stage.name, stages: stagesOf(definition), expected })
}
