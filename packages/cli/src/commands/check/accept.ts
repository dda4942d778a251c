import { type Legend, printable, type Reported, type Survey } from 'mappa'
import { type Words, withAccepted } from '../../declared/legend-edits.js'
import { type CarryOptions, carryOut } from '../../project/carry-out.js'
import { legendAsRead, textIn } from '../../project/made-file.js'
import { contradictions, type Project, type SoundProject } from '../../project/project.js'
import { output, talk } from '../../terminal/terminal.js'
import { type Ended, exitCodes, UsageError } from '../../terminal/usage-error.js'

/** A kind of fault or notice that is to be accepted for a while. */
export interface Acceptance extends CarryOptions {
  readonly accept: string
  readonly because?: string | undefined
  readonly until?: string | undefined
}

/**
 * Writes into the legend that it accepts what is there of a kind now: by variable, so that a new one is still told. Shows the
 * change first.
 */
export async function acceptNow(
  project: Project,
  reports: readonly Pick<Reported, 'faults' | 'notices'>[],
  found: Survey,
  { accept: kind, because, until, ...options }: Acceptance,
): Promise<Ended> {
  const example = `mappa check --accept ${/^[a-z-]+$/.test(kind) ? kind : 'read-differently'} --because 'moved next week' --until 2027-06-30`
  if (!because?.trim()) throw new UsageError(`--accept needs --because with a reason, for example: ${example}`)
  if (until === undefined || !/^\d{4}-\d{2}-\d{2}$/.test(until))
    throw new UsageError(`--accept needs --until with the last day, for example: ${example}`)
  const { definition, legendFile, root } = project
  if (definition === undefined || legendFile === undefined) {
    talk().write('There is no legend that could accept it. Nothing was written.\n')
    return { exitCode: exitCodes.faults }
  }
  const there = reports.flatMap(({ faults, notices }) => [...faults, ...notices]).filter((each) => each.kind === kind)
  const names = [...new Set(there.map(({ name }) => name))]
  const list = names.map((name): Words => ({ kind, ...(name !== undefined && { name }), because, until }))
  const changed = { ...definition, accepted: [...(definition.accepted ?? []), ...list] } as Legend
  const refused = { ...definition, accepted: [{ kind, because, until }] } as Legend
  if (contradictions(refused).length > 0)
    throw new UsageError(`${printable(kind)} until ${until} cannot be accepted: docs/legend.md lists the kinds.`)
  if (list.length === 0) {
    output().write(`No ${kind} here now, so there is nothing to accept.\n`)
    return { exitCode: exitCodes.fine }
  }
  const before = textIn(root, legendFile) ?? ''
  try {
    const after = withAccepted(legendFile, before, list)
    return await carryOut(
      {
        changes: [{ path: legendFile, before, after, secret: false }],
        mentions: [],
        definition: changed,
        root,
        found,
        madeFrom: legendAsRead(project as SoundProject).madeFrom,
        command: `mappa check --accept ${kind} --because ${shellText(because)} --until ${until}`,
      },
      options,
    )
  } catch (error) {
    if (!(error instanceof RangeError)) throw error
    talk().write(`${error.message} Nothing was written.\n`)
    return { exitCode: exitCodes.faults }
  }
}

function shellText(text: string): string {
  return `'${printable(text).replaceAll("'", `'\\''`)}'`
}
