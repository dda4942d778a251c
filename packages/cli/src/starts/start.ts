import type { Place } from 'mappa'
import type { ReaderName } from './readers/readers.js'

/** The files of a project as its starts see them. Paths are from the root, with slashes; `../` leads above it. */
export interface StartFiles {
  /** The text of a file, also of an installed package; undefined if it is not there, or is not text. */
  readonly read: (path: string) => string | undefined
  /** Every file of the project itself. */
  readonly paths: readonly string[]
  /** What Node's own reader makes of the text of a layer file. */
  readonly readAsNode: (text: string) => ReadonlyMap<string, string>
}

/** Readers of layer files that are not Mappa: known ones, and code that has its own way. */
export type Reader = ReaderName | 'other'

/** Something that fills the environment of a program. */
export type Load =
  /** Mappa gives the values of a stage: the one it names, or the start's own. */
  | { readonly kind: 'mappa'; readonly stage?: string | undefined }
  /** Another reader gives what these files set, each unless it is set already. */
  | {
      readonly kind: 'files'
      readonly reader: Reader
      /** The reader as a person knows it: `process.loadEnvFile`, `--env-file`. */
      readonly by: string
      readonly files: readonly string[]
      readonly place?: Place | undefined
    }
  /** It may give anything, or at most the names of these files. */
  | {
      readonly kind: 'unknown'
      readonly by: string
      readonly files?: readonly string[] | undefined
      readonly place?: Place | undefined
    }
  | PackageLoad

/** An installed package that is loaded or called; whether it reads files is asked only where that matters. */
export interface PackageLoad {
  readonly kind: 'package'
  readonly source: string
  readonly how: 'import' | 'call'
  /** The files that a call names; empty for the package's own choice, undefined if only the code can tell. */
  readonly files: readonly string[] | undefined
  /** True if the program does it in any case. */
  readonly certain: boolean
  readonly place?: Place | undefined
}

/** What a start runs last: a program, with what it is given. */
export interface Program {
  /** The modules that run, in their order: those that a flag names, then the entry. */
  readonly modules: readonly string[]
  /** What fills its environment before its first module. */
  readonly loads: readonly Load[]
  /** Packages that a flag loads, and the tool that runs the modules: they may read files, too. */
  readonly packages: readonly string[]
  /** Variables that the start sets: undefined where only a shell or another place can tell the text. */
  readonly sets: ReadonlyMap<string, string | undefined>
  /** The scripts of the package that it comes through, the outermost first. */
  readonly scripts: readonly string[]
  /** Why it is not known what runs. */
  readonly unknown?: string | undefined
  /** The word in the start's own command that runs it. Behind Node's a flag fits; in front of another `mappa with --`. */
  readonly at?: { readonly start: number; readonly end: number; readonly isNode: boolean } | undefined
}

/** Where a start ends: with a person or a file of this project, or with what is not in it. */
export type Outer = 'known' | 'elsewhere'

/** One way in which a project is started, and one program that it runs. */
export interface Start {
  /** The start as a person knows it: `the script "start"`, `Dockerfile`, `compose.yaml (web)`. */
  readonly name: string
  readonly place: Place
  /** The line of the place that says it, for a report. */
  readonly line: string
  /** The command as it is written. */
  readonly command: string
  readonly form: 'script' | 'image' | 'container' | 'process' | 'unit' | 'job'
  /** The file of the image that it runs in, if it is one of this project. */
  readonly image?: string | undefined
  readonly program: Program
  readonly outer: Outer
}
