import { type Fault, printable, type Survey } from 'mappa'
import { bundledValues } from '../../delivery/bundled.js'
import type { SoundProject } from '../../project/project.js'

/**
 * Faults of a bundle that holds what another stage fixes at build: of variables whose values differ by stage, the bundle has
 * another stage's and not this one's.
 */
export async function bundleFaults(project: SoundProject, found: Survey, folder: string): Promise<readonly Fault[]> {
  const stage = found.stage.name
  const held = await bundledValues(project, folder)
  const own = new Set(held.filter(({ stages }) => stages.includes(stage)).map(({ name }) => name))
  const told = new Set<string>()
  return held.flatMap(({ name, file, stages }): Fault[] => {
    if (stages.includes(stage) || own.has(name) || told.has(name)) return []
    told.add(name)
    return [
      {
        kind: 'other-stage',
        name,
        message: `${printable(file)} contains the value of ${name} for stage ${stages.join(' and ')}, but not the one for ${stage}.`,
        layer: file,
        remedy: `Build it for ${stage}.`,
      },
    ]
  })
}
