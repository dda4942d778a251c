import { entriesOf, type Legend, type Survey, surveyLayers } from 'mappa'
import { gatherAt } from 'mappa/command'
import { hiddenValues } from '../edits/hidden-values.js'
import type { Plan } from '../edits/plan.js'
import { talk } from '../terminal/terminal.js'
import { type Ended, exitCodes } from '../terminal/usage-error.js'
import { type CarryOptions, carryOut } from './carry-out.js'
import { legendAsRead } from './made-file.js'
import { contradictions, openSound, type ProjectOptions, type SoundProject } from './project.js'

/** Options of the commands that change one variable everywhere. */
export interface ChangeOptions extends ProjectOptions, CarryOptions {}

/** The result of planning: a plan, or the reason against it. */
type Made =
  | { readonly plan: Plan; readonly command: string; readonly hidden?: readonly string[] }
  | { readonly refusal: string }

/** Has a command plan a change of the project, and carries it out. */
export async function changed(
  options: ChangeOptions,
  make: (project: SoundProject, found: Survey) => Made,
): Promise<Ended> {
  const project = await openSound(options, 'Nothing was written.')
  if ('refused' in project) return { exitCode: exitCodes.faults, cause: project.cause }
  const { root, definition, legendFile } = project
  const named = options.stage === undefined ? {} : { stage: { name: options.stage, from: '--stage' } }
  const found = surveyLayers(definition, { ...gatherAt(root, definition, named), legendName: legendFile })
  try {
    const made = make(project, found)
    if ('refusal' in made) {
      talk().write(`${made.refusal}\n`)
      return { exitCode: exitCodes.faults }
    }
    // An entry that names a removed variable, such as the address of a source, must go first.
    const [broken] = contradictions(made.plan.definition, legendFile)
    if (broken) {
      talk().write(`${broken.message}${broken.remedy ? ` ${broken.remedy}` : ''} Nothing was written.\n`)
      return { exitCode: exitCodes.faults }
    }
    return await carryOut(
      {
        ...made.plan,
        root,
        found,
        madeFrom: legendAsRead(project).madeFrom,
        command: made.command,
        hidden: [...(made.hidden ?? []), ...hiddenBoth(made.plan, definition)],
      },
      options,
    )
  } catch (error) {
    if (!(error instanceof RangeError)) throw error
    talk().write(`${error.message} Nothing was written.\n`)
    return { exitCode: exitCodes.faults }
  }
}

/** Texts that either the old or the new legend hides. */
function hiddenBoth({ changes, definition: after }: Plan, before: Legend): readonly string[] {
  const entries = { ...entriesOf(before), ...entriesOf(after) }
  return hiddenValues(changes, { ...before, entries } as Legend)
}
