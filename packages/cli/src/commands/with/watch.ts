import { existsSync } from 'node:fs'
import { type Fault, printable } from 'mappa'
import { findRoot } from 'mappa/node'
import { openProject, type Project, type ProjectOptions, surveyProject } from '../../project/project.js'
import { KeptChild } from '../../run/kept.js'
import { type WatchedProject, WatchedRun } from '../../run/watched.js'
import { talk } from '../../terminal/terminal.js'
import { UsageError } from '../../terminal/usage-error.js'

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
  const readAt = async (at: ProjectOptions): Promise<WatchedProject> => {
    const project = await openProject({ ...at, fresh: true })
    return { project, surveyed: await surveyProject(project, { ...at, start: true }) }
  }
  const first = await readAt(options)
  const fixed = rootedAt(first.project, options)
  const read = async () => {
    try {
      const now = await readAt(fixed)
      return missingSince(first.project, now.project) ?? now
    } catch (error) {
      if (!(error instanceof UsageError)) throw error
      return missingSince(first.project) ?? { kind: 'legend' as const, message: error.message }
    }
  }
  const child = new KeptChild(command, (options.grace ?? 5) * 1000)
  return { exitCode: await new WatchedRun(child, first, read, talk()).run() }
}

/** Fixes the root: while files are away, the search would end at a folder above, with the values of another project. */
function rootedAt({ root, legendFile }: Project, options: ProjectOptions): ProjectOptions {
  const found = findRoot({ root })
  return found.legendFile === legendFile ? { ...options, root } : options
}

/** The fault of a project whose folder or legend is away; undefined if it is the same project still. */
function missingSince(first: Project, now?: Project): Fault | undefined {
  if (!existsSync(first.root)) return { kind: 'unreadable', message: `The folder ${printable(first.root)} is missing.` }
  if (now === undefined) return undefined
  const isSame = now.root === first.root && (now.legendFile !== undefined || first.legendFile === undefined)
  if (isSame) return undefined
  const file = first.legendFile ?? 'mappa.legend.ts'
  return { kind: 'legend', message: `The legend ${printable(file)} is missing.`, remedy: 'Put it back.' }
}
