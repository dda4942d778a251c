import { BundleProject } from '../bundle/project.js'
import { bundleReport } from '../bundle/report.js'
import type { BuildCommand } from '../bundle/settings-module.js'
import { path } from '../node/builtins.js'
import { realOf } from '../node/files.js'
import { directoryOf } from '../node/root.js'
import type { Fault } from '../settle/faults.js'
import { chooseBuildStage } from './build-stage.js'
import { loadLegend } from './load-legend.js'

/** Whether a path is a layer file's, or a file's that is on its way to be one; the sample is for everyone. */
export function isKeptName(file: string): boolean {
  return /^\.env(?:$|\.(?!example$))/.test(path.basename(file))
}

/** The id of the settings module once it is resolved. */
export const resolvedModule = '\0virtual:mappa/settings'

/** Entry points of the library that read files and settings of a server. */
export const serverEntries = ['node', 'command', 'preload', 'testing', 'register', 'vite'] as const

const ownFolder = directoryOf(import.meta.url)

/** What one run of Vite knows: the project, and what it does with it. */
export class Session {
  readonly command: BuildCommand
  /** Absolute path. */
  readonly pageRoot: string
  readonly project: BundleProject
  /** Modules that hold values of their own: the settings module, and those with values put in. */
  readonly filled = new Set([resolvedModule])
  /** Whether a page is served already. */
  started = false

  constructor(
    { root = '.', mode }: { readonly root?: string | undefined; readonly mode?: string | undefined },
    told: { readonly stage?: string; readonly root?: string },
    command: BuildCommand,
  ) {
    this.command = command
    this.pageRoot = path.resolve(root)
    const stage = chooseBuildStage(told.stage, mode, command)
    this.project = new BundleProject(this.pageRoot, told.root, stage, command, loadLegend)
  }

  /** Why a module, or the text of a file, may not get into a page; undefined for one that may. */
  keptFromPages(id: string): string | undefined {
    const file = path.resolve(id.split('?', 1)[0] as string)
    const { legendPath } = this.project
    if (isKeptName(file) || this.isOneValueFile(file)) return 'holds settings of the server'
    if (legendPath !== undefined && file === realOf(legendPath))
      return 'is the legend, with the defaults of the server in it'
    const own = serverEntries.some((name) => file === path.join(ownFolder, `${name}.mjs`))
    return own ? 'reads the settings of the server' : undefined
  }

  /** Whether a file lies in a directory of one-value files that the legend names. */
  isOneValueFile(file: string): boolean {
    const { legendPath, definition } = this.project
    const named = definition?.directories
    if (legendPath === undefined || !Array.isArray(named)) return false
    return named.some((each) => file.startsWith(realOf(path.resolve(path.dirname(legendPath), each)) + path.sep))
  }

  /** Faults in words, with what did not happen because of them. */
  report(faults: readonly Fault[]): string {
    const consequence =
      this.command === 'build'
        ? 'Nothing was built.'
        : this.started
          ? 'The page keeps its old values.'
          : 'Nothing was served.'
    return bundleReport(this.project.survey.stage, faults, consequence)
  }

  /** @throws {Error} whose message is the report, if there are faults. */
  stopOnFaults(): void {
    if (this.project.faults.length > 0) throw this.error()
  }

  /** The report is the whole message: where in Vite it was raised helps nobody. */
  error(): Error {
    const error = new Error(this.report(this.project.faults))
    // Vite prints the stack; without a line that starts so, it would put brackets around it.
    error.stack = `${error.message}\n    at mappa, the plugin for Vite`
    return error
  }

  /** What messages call a module: its path from the root of the page. */
  nameOf(id: string): string {
    const file = id.split('?', 1)[0] as string
    const relative = path.relative(this.pageRoot, file)
    return (relative.startsWith('..') ? file : relative).replaceAll('\\', '/')
  }
}
