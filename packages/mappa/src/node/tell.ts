import type { Legend } from '../legend/legend.js'
import { type Origins, originsIn, originsText } from '../report/origins.js'
import { printable } from '../settle/faults/faults.js'
import type { Sources } from '../settle/reading/read.js'
import { type Survey, surveyLayers } from '../settle/survey.js'
import { hostEnvironment } from './files/host-environment.js'
import { pathFrom } from './files/shown-path.js'

/** For settings, what they were made from: asked for on a health page, or never. */
const origins = new WeakMap<object, { readonly found: Survey; readonly root: string; readonly at: Date }>()

/** Tells whether a start is to say where its values are from. */
export function isTellingAsked(environment: Readonly<Record<string, string | undefined>> = hostEnvironment()): boolean {
  return !['', '0', undefined].includes(environment.MAPPA_TELL)
}

/** Keeps what settings were made from, and says it where `MAPPA_TELL` is set. */
export function keepOrigins<S>(settings: S, found: Survey, root: string, isStart = true): S {
  const at = new Date()
  origins.set(settings as object, { found, root, at })
  if (isStart && isTellingAsked()) process.stderr.write(originsText(originsIn(found, root, at)))
  return settings
}

/** Says where the values of a start are from that fails; one that goes well says it when it has its settings. */
export function tellFailed(found: Survey, root: string): void {
  if (!found.ok && isTellingAsked()) process.stderr.write(originsText(originsIn(found, root, new Date())))
}

/** Says where the values of a start are from that has only an environment. */
export function tellStart(definition: Legend<unknown> | undefined, sources: Sources, root: string): void {
  if (isTellingAsked())
    process.stderr.write(originsText(originsIn(surveyLayers(definition, sources), root, new Date())))
}

/** Says that Node watches what it imports, and no layer file is among that. */
export function tellUnwatched(): void {
  const program = process.argv[1] === undefined ? 'app.js' : pathFrom(process.cwd(), process.argv[1])
  process.stderr.write(
    `Notice: node --watch does not restart the program when a layer file changes.\n  → Run: mappa with --watch -- node ${printable(program)}\n`,
  )
}

/**
 * Where settings come from: stage, root, when they were settled, and each variable with its layer, secrets masked. For a
 * health page, or anyone who wonders at night which value it is that a host has.
 * @throws {TypeError} if these are not settings as `settle`, `settleAsync` or `watchAsync` give them.
 *
 * ```ts
 * app.get('/health/settings', (context) => context.json(originsOf(settings)))
 * ```
 */
export function originsOf(settings: object): Origins {
  const from = origins.get(settings)
  if (!from) throw new TypeError('originsOf takes settings from settle, not a part or a copy of them.')
  return originsIn(from.found, from.root, from.at)
}
