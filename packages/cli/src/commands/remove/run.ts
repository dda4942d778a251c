import { entriesOf } from 'mappa'
import { removing, takersOf } from '../../edits/plan.js'
import { type ChangeOptions, changed } from '../../project/changed.js'
import { changingOf } from '../../project/changing.js'
import { refuseUnknown } from '../../terminal/unknown-variable.js'
import type { Ended } from '../../terminal/usage-error.js'

/** `mappa remove NAME…`: takes variables out of legend, layers and what is made of them; refused while code takes them. */
export async function remove(names: readonly string[], options: ChangeOptions): Promise<Ended> {
  return changed(options, (project) => {
    for (const name of names) refuseUnknown(name, entriesOf(project.definition))
    const changing = changingOf(project)
    const takers = names.flatMap((name) => takersOf(changing, name).map((place) => `    ${name} in ${place}`))
    if (takers.length > 0) return { refusal: `Code still uses:\n${takers.join('\n')}\nNothing was written.` }
    return { plan: removing(changing, names), command: `mappa remove ${names.join(' ')}` }
  })
}
