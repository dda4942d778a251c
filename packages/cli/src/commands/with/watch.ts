import { openProject, type ProjectOptions, surveyProject } from '../../project/project.js'
import { KeptChild } from '../../run/kept.js'
import { WatchedRun } from '../../run/watched.js'
import { talk } from '../../terminal/terminal.js'

/** Options of `mappa with --watch`. */
export interface WatchOptions extends ProjectOptions {
  /** Seconds that the child gets to end by itself; 5 by default. */
  readonly grace?: number
}

/** `mappa with --watch [stage] -- command …`: runs a program, and starts it again whenever its values change. */
export async function watchSettings(
  command: readonly [string, ...string[]],
  options: WatchOptions,
): Promise<{ exitCode: number; cause?: string | undefined }> {
  const read = async () => {
    const project = await openProject({ ...options, fresh: true })
    return { project, surveyed: await surveyProject(project, { ...options, start: true }) }
  }
  const child = new KeptChild(command, (options.grace ?? 5) * 1000)
  return { exitCode: await new WatchedRun(child, await read(), read, talk()).run() }
}
