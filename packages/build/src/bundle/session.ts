import path from 'node:path'
import type { Fault, Legend, Stage, Survey } from 'mappa'
import { browserModule, namesAtStart, realOf } from 'mappa/plugin'
import { withEnv, withTexts } from './fill.js'
import { serverFiles, withoutEnding } from './library.js'
import { leaksOnDisk, type Searched } from './on-disk.js'
import { pathFrom } from './paths.js'
import { BundleProject, type LoadLegend } from './project.js'
import type { ModuleText } from './refuse.js'
import { bundleReport } from './report.js'
import { type BuildCommand, pageTexts, serverModule } from './settings-module.js'
import { readsEnv, Suspicion } from './suspect.js'

/** Tells whether a path is a layer file's, or a file's that is on its way to be one; the sample is for everyone. */
export function isKeptName(file: string): boolean {
  return /^\.env(?:$|\.(?!example$))/.test(path.basename(file))
}

/** The id of the settings module once it is resolved. */
export const resolvedModule = '\0virtual:mappa/settings'

/** A page that is served shows its faults in a window of its own. Columns. */
const overlayWidth = 88

/** The state of one run of a builder: the project, and its results. */
export class Session {
  readonly command: BuildCommand
  /** Absolute path. */
  readonly pageRoot: string
  readonly project: BundleProject
  /** Modules that hold values of their own: the settings module, and those with values put in. */
  readonly filled = new Set([resolvedModule])
  /** True once a page is served. */
  started = false
  /** True if pages have values put in. */
  pages = false
  /** True if modules come with a line that makes `import.meta.env`, to be filled there. */
  readonly #hasEnvLine: boolean
  /** True if the bundler puts texts in itself. */
  #defined = false
  /** The names that it got first. */
  readonly #named = new Set<string>()
  #of:
    | {
        readonly survey: Survey
        readonly texts: ReadonlyMap<string, string>
        readonly suspicion: Suspicion
        readonly inWorkers: Suspicion
      }
    | undefined
  readonly #reported = new Set<string>()

  /** `pageRoot` is an absolute path, `root` one from there; `hasEnvLine` says that modules come with a line of their own for `import.meta.env`. */
  constructor(
    pageRoot: string,
    root: string | undefined,
    stage: Stage,
    command: BuildCommand,
    load: LoadLegend,
    hasEnvLine: boolean,
  ) {
    this.command = command
    this.#hasEnvLine = hasEnvLine
    this.pageRoot = pageRoot
    this.project = new BundleProject(pageRoot, root, stage, command, load)
  }

  /** Facts derived from one reading of the settings. */
  get #known() {
    const { sound } = this.project
    if (sound && this.#of?.survey !== sound.survey) {
      const { definition, survey } = sound
      this.#of = {
        survey,
        texts: pageTexts(definition, survey),
        suspicion: new Suspicion(definition),
        inWorkers: new Suspicion(definition, true),
      }
    }
    return this.#of
  }

  /** The texts that a page may have, as code. */
  get texts(): ReadonlyMap<string, string> {
    return this.#known?.texts ?? new Map()
  }

  /** Variables that a page takes when it is served. */
  get atStart(): readonly string[] {
    const { sound } = this.project
    return sound ? namesAtStart(sound.definition) : []
  }

  get suspicion(): Suspicion {
    return this.suspicionOf(false)
  }

  /** The same for what is bundled for workers alone. */
  suspicionOf(isWorker: boolean): Suspicion {
    return this.#known?.[isWorker ? 'inWorkers' : 'suspicion'] ?? new Suspicion({ entries: {} } as Legend)
  }

  /** A fingerprint of everything that a page may have. */
  get reach(): string {
    const { definition } = this.project.sound ?? {}
    return JSON.stringify([[...this.texts.keys()], Object.keys(definition?.entries ?? {})])
  }

  /** A fingerprint of a page's values and of the texts that they were read from. */
  get values(): string {
    const { sound } = this.project
    return sound ? browserModule(sound.definition, sound.survey, 'serve') + JSON.stringify([...this.texts]) : ''
  }

  /** Has the bundler put in what stands for `import.meta.env.NAME`, which costs no time. */
  defineIn(define: Record<string, unknown>): void {
    for (const [name, text] of this.texts) {
      define[`import.meta.env.${name}`] = text
      this.#named.add(name)
    }
    // A served module changes, and gets its values again.
    this.#defined = this.command === 'build'
  }

  /** A module with the texts put in that it reads of its environment; undefined where nothing must be. */
  filledIn({ code, isOwn, parse }: ModuleText, isClient: boolean): string | undefined {
    const hasReads = !this.#defined && readsEnv(code)
    const readsProcess = isClient && isOwn && this.suspicion.ofProcess(code)
    const which = [
      ...(readsProcess ? (['process'] as const) : []),
      ...(hasReads && !this.#hasEnvLine ? (['import.meta'] as const) : []),
    ]
    let text = which.length > 0 ? withTexts(parse(), code, which, this.texts) : code
    if (hasReads && this.#hasEnvLine) {
      const gone = [...this.#named].filter((name) => !this.texts.has(name)).map((name) => [name, 'undefined'] as const)
      text = withEnv(text, new Map([...this.texts, ...gone]))
    }
    return text === code ? undefined : text
  }

  /**
   * Code of the settings module; `here` is what says in code where a server's bundle lies, `output` the directory that the
   * builder writes to, as an absolute path.
   * @throws {Error} whose message is the report, if there are faults and never were none.
   */
  settingsModule(isClient: boolean, output: string | undefined, here = 'import.meta.url'): string {
    const { sound, root } = this.project
    if (!sound) throw this.error()
    const { definition, legendPath, survey } = sound
    if (isClient) return browserModule(definition, survey, this.command)
    // Only Vite runs what it serves; what others make for development lies where it is started, too.
    const place = { here, outputAt: output === undefined ? undefined : this.outputAt(output) }
    return serverModule(definition, legendPath, survey, place, this.#hasEnvLine ? root : undefined)
  }

  /** Where a directory lies, from the root and with slashes; undefined if it is not below the root. */
  outputAt(directory: string): string | undefined {
    const found = path.relative(this.project.root, directory).split(path.sep).join('/')
    return found === '' || found.startsWith('..') || path.isAbsolute(found) ? undefined : found
  }

  /** Notices that were not reported yet, a line each. */
  newNotices(): string[] {
    const lines = this.project.notices.map(({ message, place, layer }) => {
      const where = place ? `${place.file}:${place.line}: ` : layer ? `${layer}: ` : ''
      return `Notice: ${where}${message}`
    })
    const fresh = lines.filter((line) => !this.#reported.has(line))
    for (const line of fresh) this.#reported.add(line)
    return fresh
  }

  readonly #searched = new Map<string, Searched>()
  /** The time at which this began. Milliseconds since 1970. */
  readonly #began = Date.now()

  /** What was searched before it is written to an output folder. */
  searchedIn(folder: string): Searched {
    const known = this.#searched.get(folder) ?? new Map()
    this.#searched.set(folder, known)
    return known
  }

  /** Leaks in the output folders of a build that has ended; the next one starts from nothing. */
  leaksOnDisk(survey: Survey): Fault[] {
    const all = [...this.#searched]
    this.#searched.clear()
    const about = { survey, root: this.project.root, began: this.#began }
    return all.flatMap(([folder, searched]) => leaksOnDisk(folder, searched, about))
  }

  /** Why a module, or the text of a file, may not get into a page; undefined for one that may. */
  keptFromPages(id: string): string | undefined {
    const file = path.resolve(id.split('?', 1)[0] as string)
    const { legendPath } = this.project
    if (isKeptName(file) || this.isOneValueFile(file)) return 'contains server settings'
    if (legendPath !== undefined && file === realOf(legendPath)) return 'is the legend, with server defaults in it'
    const own = serverFiles.includes(withoutEnding(file))
    return own ? 'reads server settings' : undefined
  }

  /** The ids of what `keptFromPages` and the settings module are asked about, for a builder's own filter. */
  concerningIds(): RegExp {
    const { legendPath, definition } = this.project
    const folders = legendPath === undefined ? [] : [definition?.directories ?? []].flat()
    const kept = [
      ...(legendPath === undefined ? [] : [realOf(legendPath)]),
      ...folders.map((each) => realOf(path.resolve(path.dirname(legendPath as string), each)) + path.sep),
      ...serverFiles,
    ]
    const asText = kept.map((each) => each.replace(/[^\w]/g, '\\$&').replace(/\\[\\/]/g, '[\\\\/]'))
    const styles = '\\.(?:css|pcss|postcss|sss|scss|sass|less|styl|stylus|vue|svelte|astro)(?:\\?|$)'
    return new RegExp(`^\\0virtual:mappa|(?:^|[\\\\/])\\.env[^\\\\/]*$|^(?:${asText.join('|')})|${styles}`)
  }

  /** Tells whether a file lies in a directory of one-value files that the legend names. */
  isOneValueFile(file: string): boolean {
    const { legendPath, definition } = this.project
    const named = definition?.directories
    if (legendPath === undefined || !Array.isArray(named)) return false
    return named.some((each) => file.startsWith(realOf(path.resolve(path.dirname(legendPath), each)) + path.sep))
  }

  /** Faults in words, with what did not happen because of them; those of one module stop nothing else that is served. */
  report(faults: readonly Fault[], ofModule = false): string {
    const { stage } = this.project.survey
    const about = { stage, faults, root: this.project.root }
    if (this.command === 'build' || !this.#hasEnvLine) return bundleReport(about, 'Nothing was built.')
    const rest = this.started ? 'The page keeps its old values.' : 'Nothing was served.'
    return bundleReport(about, ofModule ? 'The module was not served.' : rest, overlayWidth)
  }

  /** @throws {Error} whose message is the report, if there are faults. */
  stopOnFaults(): void {
    if (this.project.faults.length > 0) throw this.error()
  }

  /** The report is the whole message: where in Vite it was raised helps nobody. */
  error(): Error {
    return this.errorOf(this.project.faults)
  }

  errorOf(faults: readonly Fault[]): Error {
    const error = new Error(this.report(faults))
    // Vite prints the stack; without a line that starts so, it would put brackets around it.
    error.stack = `${error.message}\n    at mappa, the plugin for Vite`
    return error
  }

  /** A module's name in messages: its path from the root of the page. */
  nameOf(id: string): string {
    const file = id.split('?', 1)[0] as string
    const relative = pathFrom(this.pageRoot, file)
    return relative.startsWith('..') ? file.replaceAll(path.sep, '/') : relative
  }
}
