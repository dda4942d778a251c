import type { Fault, Survey } from 'mappa'
import { type DeliveredValue, deliveredValues, heldTo } from 'mappa/command'
import { type ProjectOptions, type SoundProject, surveyProject } from '../project/project.js'
import { unknownVariable } from '../terminal/unknown-variable.js'
import { UsageError } from '../terminal/usage-error.js'
import { patternFor } from '../terminal/wanted.js'
import { faultsElsewhere } from './page-survey.js'

/** Which of a stage's values are passed on. */
export interface Chosen {
  /** Names of variables, and patterns of such, separated by commas. */
  readonly only?: string
  readonly reach?: 'server' | 'browser'
  /** False leaves secrets out. */
  readonly secrets?: boolean
}

/** The values of a stage that are to be passed on, and what is wrong with them; what is not chosen may be missing here. */
export async function chosenValues(
  project: SoundProject,
  options: ProjectOptions & Chosen,
): Promise<{ readonly found: Survey; readonly values: readonly DeliveredValue[]; readonly faults: readonly Fault[] }> {
  const { only, reach, secrets } = options
  const patterns = only?.split(',').map((name) => ({ name: name.trim(), pattern: patternFor(name.trim()) }))
  if (patterns?.some(({ name }) => !/^[A-Za-z_*][A-Za-z0-9_*]*$/.test(name)))
    throw new UsageError("--only takes variable names, separated by commas: --only LOG_LEVEL,'ALERT_*'")
  const isNamed = (name: string) => !patterns || patterns.some(({ pattern }) => pattern.test(name))
  const definition = heldTo(
    project.definition,
    (entry, name) =>
      isNamed(name) &&
      (reach === undefined || (entry.reach ?? 'server') === reach) &&
      (secrets !== false || !entry.secret),
  )
  const { found } = await surveyProject({ ...project, definition }, { ...options, givenElsewhere: true })
  const faults = faultsElsewhere(found)
  if (faults.length > 0) return { found, faults, values: [] }
  const values = deliveredValues(found).filter(
    (each) =>
      isNamed(each.name) && (reach === undefined || each.reach === reach) && (secrets !== false || !each.hidden),
  )
  const lost = patterns?.find(
    ({ name, pattern }) => !name.includes('*') && !values.some((each) => pattern.test(each.name)),
  )
  if (lost && !Object.hasOwn(project.definition.entries, lost.name))
    throw new UsageError(unknownVariable(lost.name, Object.keys(project.definition.entries)))
  return { found, faults, values }
}

/** Warns of values from this machine's process environment that override layers in delivered output. */
export function fromHere(found: Survey, values: readonly Pick<DeliveredValue, 'name' | 'source'>[]): string[] {
  const names = values.flatMap(({ name, source }) => {
    const { steps } = found.trail(name)
    return source === 'environment' && steps.some((step) => step.source === 'file' && step.passed) ? [name] : []
  })
  if (names.length === 0) return []
  return [`Notice: This machine's process environment overrides ${names.join(', ')}.`]
}
