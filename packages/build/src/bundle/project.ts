import path from 'node:path'
import {
  type AnyEntry,
  type Fault,
  fixedAt,
  type Legend,
  type Notice,
  reachesBrowser,
  type Stage,
  type Survey,
  surveyLayersAsync,
} from 'mappa'
import { findRoot, type LoadedLegend } from 'mappa/node'
import { gatherWaiting, heldTo, isLayerFile, layerFiles, namesIn } from 'mappa/plugin'
import { pathFrom } from './paths.js'
import type { BuildCommand } from './settings-module.js'

/** Loads a legend through the builder, which knows TypeScript; gives the files that it was made of, too. */
export type LoadLegend = (
  directory: string,
  file: string | undefined,
) => Promise<{ readonly loaded: LoadedLegend; readonly dependencies: readonly string[] }>

/** A project's legend and settings as a builder sees them; read again whenever a file of theirs changes. */
export class BundleProject {
  readonly #pageRoot: string
  readonly #givenRoot: string | undefined
  readonly #stage: Stage
  readonly #command: BuildCommand
  readonly #load: LoadLegend
  definition: Legend | undefined
  /** Absolute path. */
  root = ''
  /** Absolute path of the legend. */
  legendPath: string | undefined
  survey!: Survey
  /** The last values of pages without a fault: a fault may mean that a secret would reach them. */
  sound: { readonly definition: Legend; readonly legendPath: string; readonly survey: Survey } | undefined
  faults: readonly Fault[] = []
  notices: readonly Notice[] = []
  /** Every file that the settings depend on, also those that are not there yet. Absolute paths. */
  files: readonly string[] = []

  constructor(pageRoot: string, givenRoot: string | undefined, stage: Stage, command: BuildCommand, load: LoadLegend) {
    this.#pageRoot = pageRoot
    this.#givenRoot = givenRoot === undefined ? undefined : path.resolve(pageRoot, givenRoot)
    this.#stage = stage
    this.#command = command
    this.#load = load
  }

  async read(): Promise<void> {
    const environmentRoot = process.env.MAPPA_ROOT
    const { directory, legendFile } = findRoot({ root: this.#givenRoot, from: this.#pageRoot, environmentRoot })
    const { loaded, dependencies } = await this.#load(directory, legendFile)
    this.definition = 'definition' in loaded ? loaded.definition : undefined
    this.root = directory
    this.legendPath = legendFile && path.join(directory, legendFile)
    const sources = await gatherWaiting(directory, this.definition, { stage: this.#stage })
    const faults = 'fault' in loaded ? [loaded.fault] : (sources.faults ?? [])
    this.survey = await surveyLayersAsync(this.definition && heldTo(this.definition, (entry) => this.#isHeld(entry)), {
      ...sources,
      faults,
      thorough: true,
      givenElsewhere: true,
      ...(legendFile && { legendName: legendFile }),
    })
    this.faults = [...this.survey.faults, ...this.#localFaults()]
    this.notices = [...this.survey.notices, ...this.#besidePage()]
    const { definition, legendPath, survey } = this
    if (this.faults.length === 0 && definition && legendPath) this.sound = { definition, legendPath, survey }
    const beside = this.root === this.#pageRoot ? [] : layerFiles(this.#stage.name, this.definition?.like)
    this.files = [
      ...(this.legendPath ? [this.legendPath] : []),
      ...dependencies,
      ...sources.files,
      // One that comes to be there may decide where the layers are, or be meant to be read.
      ...beside.map(({ name }) => path.join(this.#pageRoot, name)),
    ]
  }

  /**
   * Whether an entry must have its value here. Server values are settled when the server starts, and the machine that
   * builds often lacks its secrets; what is served is a start, too, as far as the page is concerned.
   */
  #isHeld(entry: AnyEntry): boolean {
    return fixedAt(entry) === 'build' || (this.#command === 'serve' && reachesBrowser(entry))
  }

  /** Layer files beside the page, where the layers are others. */
  #besidePage(): Notice[] {
    if (this.root === this.#pageRoot) return []
    const there = pathFrom(this.#pageRoot, this.root)
    return namesIn(this.#pageRoot)
      .filter(isLayerFile)
      .map((name) => ({
        kind: 'beside-page',
        message: `${name} is beside the page, but layers are read from the root. Move its lines to ${there}/${name}.`,
      }))
  }

  /** A build leaves this machine, so no value of a machine-local layer may get into it. */
  #localFaults(): Fault[] {
    if (this.#command !== 'build') return []
    return this.survey.notices.flatMap((notice) =>
      notice.kind === 'hidden-by-local' ? [{ ...notice, kind: notice.kind }] : [],
    )
  }
}
