import type { Legend } from '../legend/legend.js'
import { entriesOf } from '../legend/legend.js'
import { path } from '../node/builtins.js'
import { failedLegend, type LoadedLegend, legendFault, legendOf, loadLegendFile } from '../node/legend-file.js'
import { gatherWaiting } from '../node/machine.js'
import { findRoot } from '../node/root.js'
import type { Fault } from '../settle/faults.js'
import type { Stage } from '../settle/stage.js'
import { type Survey, surveyWaiting } from '../settle/survey.js'
import { reachesBrowser } from './settings-module.js'

/** A project's legend and settings as Vite sees them; read again whenever a file of theirs changes. */
export class ViteProject {
  readonly #pageRoot: string
  readonly #told: string | undefined
  readonly #stage: Stage
  readonly #command: 'build' | 'serve'
  definition: Legend | undefined
  /** Absolute path of the legend. */
  legendPath: string | undefined
  survey!: Survey
  faults: readonly Fault[] = []
  /** Every file that the settings depend on, also those that are not there yet. Absolute paths. */
  files: readonly string[] = []

  constructor(pageRoot: string, told: string | undefined, stage: Stage, command: 'build' | 'serve') {
    this.#pageRoot = pageRoot
    this.#told = told === undefined ? undefined : path.resolve(pageRoot, told)
    this.#stage = stage
    this.#command = command
  }

  async read(): Promise<void> {
    const environmentRoot = process.env.MAPPA_ROOT
    const { directory, legendFile } = findRoot({ root: this.#told, from: this.#pageRoot, environmentRoot })
    const { loaded, dependencies } = await loadLegend(directory, legendFile)
    this.definition = 'definition' in loaded ? loaded.definition : undefined
    this.legendPath = legendFile && path.join(directory, legendFile)
    const sources = await gatherWaiting(directory, this.definition, { stage: this.#stage })
    const faults = 'fault' in loaded ? [loaded.fault] : (sources.faults ?? [])
    this.survey = await surveyWaiting(this.definition && fixedHere(this.definition), {
      ...sources,
      faults,
      ...(legendFile && { legendName: legendFile }),
    })
    this.faults = [...this.survey.faults, ...this.#localFaults()]
    this.files = [...(this.legendPath ? [this.legendPath] : []), ...dependencies, ...sources.files]
  }

  /** What is built here goes elsewhere, so a value of this machine alone must not get into it. */
  #localFaults(): Fault[] {
    if (this.#command !== 'build') return []
    return this.survey.notices.flatMap((notice) =>
      notice.kind === 'hidden-by-local' ? [{ ...notice, kind: notice.kind }] : [],
    )
  }
}

/**
 * The legend as far as a bundle fixes it. Server values are settled when the server starts, and the machine that builds
 * often lacks its secrets: there they may be missing, though not wrong.
 */
function fixedHere(definition: Legend): Legend {
  const entries = Object.entries(entriesOf(definition)).map(([name, entry]) => {
    if (typeof entry !== 'object' || entry === null || reachesBrowser(entry)) return [name, entry]
    const stages = Object.entries(entry.stages ?? {}).map(([stage, words]) => [stage, { ...words, optional: true }])
    return [name, { ...entry, optional: true, ...(entry.stages && { stages: Object.fromEntries(stages) }) }]
  })
  return { ...definition, entries: Object.fromEntries(entries) }
}

/** Through Vite itself, which knows TypeScript, and does not keep what it loaded before. */
async function loadLegend(
  directory: string,
  file: string | undefined,
): Promise<{ loaded: LoadedLegend; dependencies: readonly string[] }> {
  if (file === undefined) {
    const fault = legendFault(
      'the legend',
      `There is no legend in ${directory} or above.`,
      'Write mappa.legend.ts there.',
    )
    return { loaded: { fault }, dependencies: [] }
  }
  const legendPath = path.join(directory, file)
  if (file.endsWith('.json')) return { loaded: loadLegendFile(legendPath), dependencies: [] }
  try {
    const { runnerImport } = await import('vite')
    const { module, dependencies } = await runnerImport<unknown>(legendPath, {
      configFile: false,
      envDir: false,
      root: directory,
      logLevel: 'silent',
    })
    return {
      loaded: legendOf(module, file),
      dependencies: dependencies.filter((each) => path.isAbsolute(each)),
    }
  } catch (cause) {
    return { loaded: failedLegend(file, cause), dependencies: [] }
  }
}
