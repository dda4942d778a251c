import { entriesOf, type Notice, type Survey, stagesOf } from 'mappa'
import { notInImage } from '../starts/image-layers.js'
import { type StartGets, startsAtStage } from '../starts/told.js'
import { paragraph } from '../terminal/paragraph.js'
import type { Project } from './project.js'
import { startFilesOf } from './start-files.js'

/**
 * What each start of a stage gives code, against the stage's layers and defaults; of these `names`, or of all that have a
 * value. What this process's environment sets is left out: that is another start.
 */
export function startsOfProject(
  project: Pick<Project, 'root' | 'definition'>,
  found: Survey,
  names?: ReadonlySet<string>,
): readonly StartGets[] {
  const { definition } = project
  const entries = entriesOf(definition)
  const expected = [...found.trails.values()].flatMap(({ name, declared, winner }) => {
    const text = found.texts.get(name)
    const isElsewhere = winner?.source === 'environment' || winner?.source === 'command-line'
    const isWanted = names === undefined ? text !== undefined : names.has(name)
    return declared && isWanted && !isElsewhere && name !== 'NODE_ENV'
      ? [{ name, text, isSwitch: entries[name]?.type === 'boolean' }]
      : []
  })
  if (expected.length === 0) return []
  return startsAtStage(startFilesOf(project), { stage: found.stage.name, stages: stagesOf(definition), expected })
}

/** Says in which starts code gets other values of some variables than the layers give. */
export function otherStartsText(
  project: Pick<Project, 'root' | 'definition'>,
  found: Survey,
  names: ReadonlySet<string>,
  width: number,
): string {
  const lines = startsOfProject(project, found, names).flatMap(({ start, unknown, gets }) => {
    const others = [...gets].flatMap(([name, { is }]) => (is === 'same' || is === 'unknown' ? [] : [name]))
    const [first] = others
    if (first === undefined || unknown !== undefined) return []
    return [
      paragraph(`In ${start.name}, code gets other values of: ${others.join(', ')}.`, width),
      `  → Run: mappa trace ${first}`,
    ]
  })
  return lines.length === 0 ? '' : `\n${lines.join('\n')}\n`
}

/** Layer files with values that an image of the project lacks. */
export function lackingInImages(project: Pick<Project, 'root' | 'definition'>, found: Survey): readonly Notice[] {
  const local = new Set(found.layers.filter((layer) => layer.local).map(({ name }) => name))
  const given = new Map<string, string[]>()
  for (const { name, declared, winner } of found.trails.values()) {
    if (!declared || winner?.source !== 'file' || local.has(winner.layer) || winner.layer.includes('/')) continue
    given.set(winner.layer, [...(given.get(winner.layer) ?? []), name])
  }
  if (given.size === 0) return []
  return notInImage(startFilesOf(project), found.stage.name, stagesOf(project.definition), given)
}
