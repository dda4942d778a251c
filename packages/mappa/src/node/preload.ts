/**
 * `node --import mappa/preload app.js`: sets `process.env` before any module of the program runs. Says nothing when all
 * is well; otherwise reports to standard error and ends the process with exit code 1 before anything has started.
 */

import type { AnyEntry } from '../legend/entry.js'
import type { Legend } from '../legend/legend.js'
import { givenIn, readSources, type Sources } from '../settle/read.js'
import { chooseStage, type Stage } from '../settle/stage.js'
import { createRequire, path } from './builtins.js'
import { namesIn } from './files.js'
import { filesIn, startFaults } from './layer-files.js'
import { inOrder } from './layer-order.js'
import { isTypeScript, loadLegendFile } from './legend-file.js'
import { hasAsked, layerFromHost, markFor, ownNames } from './nested.js'
import { otherReader } from './other-reader.js'
import { findRoot, layerFilesAbove, legendFileNames } from './root.js'

start()

/** Waits for nothing, so that it also works under `--require` and in the threads that a program starts. */
function start(): void {
  const { directory, legendFile: found } = findRoot({ environmentRoot: process.env.MAPPA_ROOT })
  const legendFile = found === undefined || isTypeScript(found) ? (builtLegend(directory) ?? found) : found
  const loaded = legendFile === undefined ? undefined : loadLegendFile(path.join(directory, legendFile))
  const definition = loaded && 'definition' in loaded ? loaded.definition : undefined
  const gathered = needsMore(definition) ? more().gatherAt(directory, definition) : gatherPlain(directory, definition)
  const faults = [...(loaded && 'fault' in loaded ? [loaded.fault] : []), ...(gathered.faults ?? [])]
  const sources: Sources = { ...gathered, faults, ...(legendFile !== undefined && { legendName: legendFile }) }
  const reading = readSources(definition, sources)
  if (!reading.sound) fail(definition, sources)
  const passed = { stage: reading.stage, given: givenIn(reading) }
  const mark = markFor(passed, process.env, directory, hasAsked(process.env, directory))
  // What a run around this one set and no layer sets any more.
  for (const name of ownNames(process.env, directory)) delete process.env[name]
  for (const { name, text } of passed.given) process.env[name] = text
  process.env.MAPPA_STAGE = reading.stage.name
  process.env.MAPPA_SET = mark
  if (process.env.MAPPA_TELL) more().tellStart(definition, sources, directory)
}

/**
 * The legend that a build has put beside the program, by its path from the root: what the compiler made of one in TypeScript
 * goes where the rest of the code goes.
 */
function builtLegend(root: string): string | undefined {
  const [, program] = process.argv
  if (program === undefined) return undefined
  for (let at = path.dirname(path.resolve(program)); at.startsWith(root + path.sep); at = path.dirname(at)) {
    const names = namesIn(at)
    const name = legendFileNames.find((each) => /\.[cm]?js$/.test(each) && names.includes(each))
    if (name !== undefined) return path.join(path.relative(root, at), name)
  }
  return undefined
}

/** Sources that few legends name are gathered by code that only their starts load. */
function needsMore(definition: Legend | undefined): boolean {
  if (!definition) return false
  const { directories, remotes, topLayers, entries } = definition
  if (directories || remotes || topLayers) return true
  for (const name of Object.keys(entries)) {
    const entry = entries[name] as AnyEntry | undefined
    if (entry?.file || Object.values(entry?.stages ?? {}).some((words) => words?.file)) return true
  }
  return false
}

function more(): typeof import('../command/index.js') {
  return createRequire(import.meta.url)('./command.mjs')
}

/** The layer files and the process environment. */
function gatherPlain(root: string, definition: Legend | undefined): Sources & { readonly stage: Stage } {
  const stage = chooseStage(undefined, process.env)
  const files = filesIn(root, stage.name, root, definition?.like)
  const layers = inOrder({ ...files, host: layerFromHost(process.env, root) })
  // The host is always there.
  const faults = startFaults(root, stage, process.env, layers.length > 1)
  return { stage, layers, faults, layersAbove: () => layerFilesAbove(root), otherReader }
}

/** What puts faults into words is loaded only here: a start that goes well does without. */
function fail(definition: Legend | undefined, sources: Sources): never {
  const core: typeof import('../index.js') = createRequire(import.meta.url)('./index.mjs')
  const { stage, faults } = core.survey(definition, sources)
  const width = process.stderr.columns ?? 100
  process.stderr.write(core.reportText({ stage, faults, notices: [] }, { consequence: 'Nothing was started.', width }))
  process.exit(1)
}
