import type { Fault, Survey, Trail } from 'mappa'
import type { Origins } from './origins.js'

/** The shape of `trace --json`: docs/json/trace.schema.json. `version` changes when a member changes its meaning or goes. */
export function traceJson(
  { stage }: Survey,
  trails: readonly Trail[],
  faults: readonly Fault[],
  origins: ReadonlyMap<string, Origins>,
) {
  return {
    version: 2,
    stage: { name: stage.name, from: stage.from ?? null },
    trails: trails.map(({ name, declared, expects, winner, steps }) => ({
      name,
      declared,
      expects: expects ?? null,
      value: winner?.shown ?? null,
      steps,
      readIn: origins.get(name)?.takers ?? [],
      changed: origins.get(name)?.changed ?? null,
    })),
    faults,
  }
}
