import type { Survey, Variable } from 'mappa'

/** The layer that a person wants: shared, of the stage, or of this machine. */
export type Into = 'shared' | 'stage' | 'local'

/** Facts that decide in which layer file a value belongs. */
export interface Placing {
  readonly found: Survey
  readonly into: Into | undefined
  /** True if somebody has named the stage, so that it is that one's value that is meant. */
  readonly stageNamed: boolean
  /** Names whose values differ by stage. */
  readonly differing: ReadonlySet<string>
}

/**
 * The layer file in which a value belongs, by its name: where the variable has its value already, if that may hold it; a
 * secret in this machine's own; what differs by stage in the stage's; else in what all stages share.
 */
export function fileFor(variable: Variable, { found, into, stageNamed, differing }: Placing): string {
  const stage = found.stage.name
  const local = stage === 'development' ? '.env.local' : `.env.${stage}.local`
  // A secret goes to this machine's own layer, whatever was wanted for the others.
  if (into !== undefined) return variable.secret ? local : { shared: '.env', stage: `.env.${stage}`, local }[into]
  const isStages = stageNamed || differing.has(variable.name)
  const there = found.layers.findLast(
    (layer) =>
      layer.source === 'file' &&
      !layer.name.includes('/') &&
      (layer.local || !variable.secret) &&
      // A shared value is not changed for one stage.
      (layer.local || layer.name !== '.env' || !isStages) &&
      layer.get(variable.name) !== undefined,
  )
  if (there) return there.name
  if (variable.secret) return local
  return isStages ? `.env.${stage}` : '.env'
}

/** The committed layer files of a stage that hold a secret, by their names. */
export function committedWith(found: Survey, { name, secret }: Variable): readonly string[] {
  if (!secret) return []
  return found.layers.flatMap((layer) =>
    layer.source === 'file' && !layer.local && !layer.name.includes('/') && layer.get(name) ? [layer.name] : [],
  )
}
