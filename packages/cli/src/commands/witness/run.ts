import type { ChildProcess } from 'node:child_process'
import { randomBytes } from 'node:crypto'
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { fileURLToPath } from 'node:url'
import spawn from 'cross-spawn'
import { entriesOf, printable, type Survey } from 'mappa'
import { originOf, withoutCredentials } from 'mappa/command'
import { openProject, type Project, type ProjectOptions, surveyProject } from '../../project/project.js'
import { notRun, startedBy } from '../../run/child.js'
import { inPlace } from '../../run/in-place.js'
import { endAll } from '../../run/kept.js'
import { remedyText } from '../../terminal/remedy.js'
import { jsonText, talk } from '../../terminal/terminal.js'
import { exitCodes, UsageError } from '../../terminal/usage-error.js'
import { compareWithLayers, type Said, type Witnessed } from './compared.js'
import { CodePlaces } from './places.js'
import { askedFile, folderName, type NotingRules } from './protocol.js'
import { witnessJson, witnessText } from './report.js'
import { recordIn } from './seen-record.js'

/** Options of `mappa witness`. */
export interface WitnessOptions extends ProjectOptions {
  /** Milliseconds after which the program is ended. */
  readonly stopAfter?: number
  /** The file that gets the report as JSON. */
  readonly out?: string
  readonly strict?: boolean
  readonly json?: boolean
}

/** Container platforms wait so long for a program that was asked to end. Milliseconds. */
const graceUsual = 10_000

/**
 * `mappa witness [stage] -- command …`: runs a program as it is, and says what it asked for and got. Resolves to the program's exit
 * code, unless it was ended here, or a value is different and that is to count.
 */
export async function watchProgram(
  command: readonly [string, ...string[]],
  options: WitnessOptions,
): Promise<{ exitCode: number; cause?: string | undefined }> {
  const project = await openProject(options)
  const { found } = await surveyProject(project, { ...options, start: true })
  const unknown = found.faults.find(({ kind }) => kind === 'unknown-stage')
  if (unknown) throw new UsageError(`${unknown.message}\n${remedyText(unknown.remedy ?? '')}`)
  const said = saidBy(found, project)
  const asked: NotingRules = {
    key: randomBytes(32).toString('hex'),
    plain: said.flatMap(({ name, isSecret }) => (isSecret ? [] : [name])),
    secret: said.flatMap(({ name, isSecret }) => (isSecret ? [name] : [])),
    ours: `--require ${inNodeOptions(fileURLToPath(new URL('./observer.cjs', import.meta.url)))}`,
  }
  const folder = mkdtempSync(join(tmpdir(), 'mappa-witness-'))
  try {
    writeFileSync(join(folder, askedFile), JSON.stringify(asked), { mode: 0o600 })
    let witnessed: Witnessed | undefined
    const report = async () => {
      const places = new CodePlaces()
      witnessed = compareWithLayers(recordIn(folder), said, { asked, places, command: command[0] })
      tellWitnessed(witnessed, { found, project, options })
      // The signal that ended the program may end this process next.
      rmSync(folder, { recursive: true, force: true })
    }
    const { exitCode, isStopped } = await runWatched(
      command,
      environmentFor(asked, folder),
      folder,
      options.stopAfter,
      report,
    )
    const isDifferent = witnessed?.verdicts.some(({ status }) => status === 'different') === true
    const own = isStopped ? exitCodes.fine : exitCode
    return { exitCode: own === exitCodes.fine && options.strict && isDifferent ? exitCodes.faults : own }
  } finally {
    rmSync(folder, { recursive: true, force: true })
  }
}

/** What the layers say of each name, and how it may be shown. */
function saidBy(found: Survey, { definition }: Project): Said[] {
  const entries = entriesOf(definition)
  return [...found.trails.values()].map(({ name, declared, winner }): Said => {
    const text = found.texts.get(name)
    const isSecret = !declared || entries[name]?.secret === true || (text !== undefined && found.mask(text) !== text)
    return {
      name,
      text,
      isSecret,
      isDeclared: declared,
      shown: winner?.shown,
      from: winner ? originOf(winner) : undefined,
    }
  })
}

/** This process's environment, and what has a process of Node watched. */
function environmentFor({ ours }: NotingRules, folder: string): NodeJS.ProcessEnv {
  const { NODE_OPTIONS: own } = process.env
  return { ...process.env, NODE_OPTIONS: own ? `${ours} ${own}` : ours, [folderName]: folder }
}

/** A path in the text of NODE_OPTIONS, where a blank parts and a quote holds together. */
function inNodeOptions(path: string): string {
  return /[\s"\\]/.test(path) ? `"${path.replace(/["\\]/g, '\\$&')}"` : path
}

async function runWatched(
  [program, ...args]: readonly [string, ...string[]],
  env: NodeJS.ProcessEnv,
  folder: string,
  stopAfter: number | undefined,
  onEnd: () => Promise<void>,
): Promise<{ readonly exitCode: number; readonly isStopped: boolean }> {
  const child = startedBy(program, () => spawn(program, args, { stdio: 'inherit', env }))
  const stop = stopAfter === undefined ? undefined : new Stop(child, stopAfter)
  try {
    const exitCode = await inPlace(
      child,
      async () => {
        stop?.clear()
        if (stop?.isAsked === true) await endAll(startedIn(folder), graceUsual)
        await onEnd()
      },
      () => stop?.isAsked === true,
    )
    return { exitCode, isStopped: stop?.isAsked === true }
  } catch (error) {
    const { syscall } = error as NodeJS.ErrnoException
    throw syscall?.startsWith('spawn') ? notRun(program, error as NodeJS.ErrnoException) : error
  } finally {
    stop?.clear()
  }
}

/** Ends a program as container platforms do: it is asked to, and after a while it is ended. */
class Stop {
  isAsked = false
  #timer: NodeJS.Timeout

  constructor(child: ChildProcess, after: number) {
    this.#timer = setTimeout(() => {
      this.isAsked = true
      child.kill('SIGTERM')
      this.#timer = setTimeout(() => child.kill('SIGKILL'), graceUsual)
    }, after)
  }

  clear(): void {
    clearTimeout(this.#timer)
  }
}

/** Processes that were watched, and those that they started: a shell may have ended before them. */
function startedIn(folder: string): number[] {
  return recordIn(folder).flatMap(({ pid, children }) => [pid, ...children.map((child) => child.pid)])
}

interface Told {
  readonly found: Survey
  readonly project: Project
  readonly options: WitnessOptions
}

function tellWitnessed(witnessed: Witnessed, { found, project, options }: Told): void {
  const terminal = talk()
  const json = witnessJson(witnessed, found, project.root)
  if (options.out !== undefined) {
    try {
      writeFileSync(options.out, jsonText(json), { mode: 0o600 })
    } catch (error) {
      const { code } = error as NodeJS.ErrnoException
      terminal.write(`The report was not written: ${printable(withoutCredentials(options.out))} (${code}).\n`)
    }
  }
  terminal.write(options.json ? jsonText(json) : witnessText(witnessed, found, { root: project.root, terminal }))
}
