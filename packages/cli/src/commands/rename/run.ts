import { entriesOf, isName } from 'mappa'
import { renaming } from '../../edits/plan.js'
import { type ChangeOptions, changed } from '../../project/changed.js'
import { changingOf } from '../../project/changing.js'
import { refuseUnknown } from '../../terminal/unknown-variable.js'
import { type Ended, UsageError } from '../../terminal/usage-error.js'

/** Options of `mappa rename`. */
export interface RenameOptions extends ChangeOptions {
  /** True if the old name stays readable. */
  readonly formerly?: boolean
}

/** `mappa rename OLD NEW`: a variable's name in legend, layers, code and manifests at once. */
export async function rename(name: string, fresh: string, options: RenameOptions): Promise<Ended> {
  return changed(options, (project) => {
    const entries = entriesOf(project.definition)
    refuseUnknown(name, entries)
    if (!isName(fresh))
      throw new UsageError('A variable name has only letters, digits and underscores, and does not start with a digit.')
    if (Object.hasOwn(entries, fresh)) throw new UsageError(`${fresh} is already in the legend.`)
    const plan = renaming(changingOf(project), name, fresh, options.formerly === true)
    return { plan, command: `mappa rename ${name} ${fresh}${options.formerly ? ' --formerly' : ''}` }
  })
}
