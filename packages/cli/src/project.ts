import { join } from 'node:path'
import { type Fault, type Legend, type Stage, type Survey, survey } from 'mappa'
import { findRoot, gatherAt, loadLegendFile } from 'mappa/node'
import { loadTypeScriptLegend } from './compile/compile.js'
import { UsageError } from './usage.js'

/** Options that say which project and stage a command is about. */
export interface ProjectOptions {
  readonly root?: string
  readonly stage?: string
  /** How the stage was named, if not with `--stage`. */
  readonly stageFrom?: string
  /** `NAME=value`, each as typed. */
  readonly set?: readonly string[]
}

/** A project's root and its legend, if it has one that loads. */
export interface Project {
  readonly root: string
  readonly legendFile: string | undefined
  readonly definition: Legend | undefined
  readonly faults: readonly Fault[]
  /** What the legend threw, for `--debug`. */
  readonly cause?: unknown
}

/** Finds a project's root and loads its legend, in whatever language that is written. */
export async function openProject({ root }: ProjectOptions): Promise<Project> {
  const { directory, legendFile } = findRoot({ root, environmentRoot: process.env.MAPPA_ROOT })
  if (legendFile === undefined) return { root: directory, legendFile, definition: undefined, faults: [] }
  const path = join(directory, legendFile)
  const loaded = legendFile.endsWith('.ts') ? await loadTypeScriptLegend(path) : loadLegendFile(path)
  if ('definition' in loaded) return { root: directory, legendFile, definition: loaded.definition, faults: [] }
  return { root: directory, legendFile, definition: undefined, faults: [loaded.fault], cause: loaded.cause }
}

/** A project's settings in a stage, on this machine. */
export function surveyProject(project: Project, options: ProjectOptions): Survey {
  const { root, legendFile, definition, faults } = project
  const sources = gatherAt(root, definition, {
    ...(options.stage !== undefined && {
      stage: { name: options.stage, from: options.stageFrom ?? '--stage' } satisfies Stage,
    }),
    ...(options.set && { commandLine: assignments(options.set) }),
  })
  // A legend that did not load says nothing of what the layers hold, so its fault stands alone.
  const layers = faults.length > 0 ? [] : sources.layers
  return survey(definition, {
    ...sources,
    layers,
    faults: faults.length > 0 ? faults : (sources.faults ?? []),
    ...(legendFile !== undefined && { legendName: legendFile }),
  })
}

/** `--set NAME=value`; what is wrong with one is said without repeating it, since it may hold a secret. */
function assignments(given: readonly string[]): Record<string, string> {
  const values: Record<string, string> = Object.create(null)
  for (const text of given) {
    const [, name, value] = /^([A-Za-z_][A-Za-z0-9_]*)=([\s\S]*)$/.exec(text) ?? []
    if (name === undefined || value === undefined)
      throw new UsageError('--set takes NAME=value, for example --set LOG_LEVEL=debug.')
    values[name] = value
  }
  return values
}
