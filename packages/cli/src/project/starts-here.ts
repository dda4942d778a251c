import { type Survey, stagesOf } from 'mappa'
import { type StartGets, startsAtStage } from '../starts/told.js'
import type { Project } from './project.js'
import { startFiles } from './start-files.js'

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
