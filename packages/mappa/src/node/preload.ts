/**
 * `node --import mappa/preload app.js`: sets `process.env` before any module of the program runs. Says nothing when all
 * is well; otherwise reports to standard error and ends the process with exit code 1 before anything has started.
 */

import type { Legend } from '../legend/legend.js'
import { type Given, givenIn, readSources, type Sources } from '../settle/reading/read.js'
import { witness } from '../settle/reading/witness.js'
import { createRequire, path } from './files/builtins.js'
import { namesIn } from './files/files.js'
import { hostEnvironment } from './files/host-environment.js'
import { findRoot, legendFileNames } from './files/root.js'
import { pathFrom } from './files/shown-path.js'
import { hasAsked, markFor, ownNames } from './layers/nested.js'
import { gatherPlain, needsMore } from './layers/plain.js'
import { isTypeScript, loadLegendFile } from './legends/legend-file.js'

start()

/** Waits for nothing, so that it also works under `--require` and in the threads that a program starts. */
function start(): void {
  const host: Record<string, string | undefined> = hostEnvironment()
  const { directory, legendFile: found } = findRoot({ environmentRoot: host.MAPPA_ROOT })
  const legendFile = found === undefined || isTypeScript(found) ? (builtLegend(directory) ?? found) : found
  const loaded = legendFile === undefined ? undefined : loadLegendFile(path.join(directory, legendFile))
  const definition = loaded && 'definition' in loaded ? loaded.definition : undefined
  const plain = gatherPlain(directory, definition, undefined)
  const gathered = needsMore(definition, plain) ? more().gatherAt(directory, definition) : plain
  const faults = [...(loaded && 'fault' in loaded ? [loaded.fault] : []), ...(gathered.faults ?? [])]
  const sources: Sources = { ...gathered, faults, ...(legendFile !== undefined && { legendName: legendFile }) }
  const reading = readSources(definition, sources)
  if (!reading.sound) {
    if (host.MAPPA_TELL) more().tellStart(definition, sources, directory)
    fail(definition, sources)
  }
  const passed = { stage: reading.stage, given: givenIn(reading) }
  const mark = markFor(passed, host, directory, hasAsked(host, directory))
  // Before the environment, which is one of the sources, holds all of them.
  if (host.MAPPA_TELL) more().tellStart(definition, sources, directory)
  // Node sets this for the program that `node --watch` restarts, and keeps a channel to it.
  if (host.WATCH_REPORT_DEPENDENCIES && process.connected) more().tellUnwatched()
  // Names that a run around this one set, and no layer sets any more.
  for (const name of ownNames(host, directory)) delete host[name]
  for (let at = 0; at < passed.given.length; at++) {
    const { name, text } = passed.given[at] as Given
    host[name] = text
  }
  host.MAPPA_STAGE = reading.stage.name
  host.MAPPA_SET = mark
  witness()?.preloaded(
    reading.stage.name,
    passed.given.map(({ name }) => name),
  )
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
    if (name !== undefined) return pathFrom(root, path.join(at, name))
  }
  return undefined
}

/** By `require` alone: where a switch of Node keeps that from modules, what is wrong must be said all the same. */
function more(): typeof import('../preload-more.js') {
  return createRequire(import.meta.url)('./preload-more.cjs')
}

/** The part that words faults is loaded only here: a start that goes well does without. */
function fail(definition: Legend | undefined, sources: Sources): never {
  const core: typeof import('../index.js') = createRequire(import.meta.url)('./index.cjs')
  const { stage, faults, root } = core.surveyLayers(definition, sources)
  const width = process.stderr.columns || 100
  process.stderr.write(
    core.reportText({ stage, faults, notices: [], root }, { consequence: 'Nothing was started.', width }),
  )
  process.exit(1)
}
