/**
 * `node --import mappa/preload app.js`: sets `process.env` before any module of the program runs. Says nothing when all
 * is well; otherwise reports to standard error and ends the process with exit code 1 before anything has started.
 */
import type { Legend } from '../legend/legend.js'
import { readSources, type Sources, sourceOf } from '../settle/read.js'
import { createRequire, path } from './builtins.js'
import { loadLegendFile } from './legend-file.js'
import { gatherAt } from './machine.js'
import { hasAsked, markFor, ownNames } from './nested.js'
import { findRoot } from './root.js'

start()

/** Waits for nothing, so that it also works under `--require` and in the threads that a program starts. */
function start(): void {
  const { directory, legendFile } = findRoot({ environmentRoot: process.env.MAPPA_ROOT })
  const loaded = legendFile === undefined ? undefined : loadLegendFile(path.join(directory, legendFile))
  const definition = loaded && 'definition' in loaded ? loaded.definition : undefined
  const gathered = gatherAt(directory, definition)
  const faults = [...(loaded && 'fault' in loaded ? [loaded.fault] : []), ...(gathered.faults ?? [])]
  const sources: Sources = { ...gathered, faults, ...(legendFile !== undefined && { legendName: legendFile }) }
  const reading = readSources(definition, sources)
  if (!reading.sound) fail(definition, sources)
  const passed = { ...reading, sourceOf: (name: string) => sourceOf(name, reading) }
  const mark = markFor(passed, process.env, directory, hasAsked(process.env, directory))
  // What a run around this one set and no layer sets any more.
  for (const name of ownNames(process.env, directory)) if (!reading.texts.has(name)) delete process.env[name]
  for (const [name, text] of reading.texts) process.env[name] = text
  process.env.MAPPA_STAGE = reading.stage.name
  process.env.MAPPA_SET = mark
}

/** What puts faults into words is loaded only here: a start that goes well does without. */
function fail(definition: Legend | undefined, sources: Sources): never {
  const core: typeof import('../index.js') = createRequire(import.meta.url)('./index.mjs')
  const { stage, faults } = core.survey(definition, sources)
  const width = process.stderr.columns ?? 100
  process.stderr.write(core.reportText({ stage, faults, notices: [] }, { consequence: 'Nothing was started.', width }))
  process.exit(1)
}
