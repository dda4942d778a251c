import type { Legend } from 'mappa'
import type { Candidate } from '../guess/finding.js'
import type { StartFiles } from '../starts/start.js'

/**
 * Where a project has a package: `here` among its dependencies, `development` among those of development only, `above` in a
 * package around it, `undeclared` where it is installed and no package names it.
 */
export type Installed = 'here' | 'development' | 'above' | 'undeclared' | 'missing'

/** A file before and after; null if it is not there yet. */
export interface LiftedFile {
  readonly path: string
  readonly before: string | null
  readonly after: string
  /** True if it holds secrets. */
  readonly secret: boolean
}

/** The facts about a project that moving settings needs. */
export interface Target {
  /** The text of a file, by its path from the root; undefined if it is not there. */
  readonly read: (path: string) => string | undefined
  /** The legend's file name, if there is one. */
  readonly legendFile: string | undefined
  /** The declared legend, if it has no contradiction. */
  readonly definition: Legend | undefined
  /** True if files ending in .js are modules of ECMAScript. */
  readonly isModule: boolean
  /** Every file of the project that holds code. */
  readonly code: readonly string[]
  /** Layer files that git ignores. */
  readonly ignored?: ReadonlySet<string>
  /** Shared layer files that are not in the image that the project builds. */
  readonly unsent?: ReadonlySet<string>
  /** Where the project has a package; unknown is as if it were missing. */
  readonly installed?: (name: string) => Installed
  /** True if what is not proved moves as well. */
  readonly unproved?: boolean
  /** Stages that starts name and the legend does not have: without them, those starts would be refused. */
  readonly startedStages?: readonly string[]
  /** The project's files as its starts see them; without them only the places that every project has are told. */
  readonly starts?: StartFiles
  /** True if compose files are to take their values from layers. */
  readonly compose?: boolean | undefined
}

/** A candidate that cannot be moved, and why. */
export interface Held {
  readonly candidate: Candidate
  readonly why: string
}
