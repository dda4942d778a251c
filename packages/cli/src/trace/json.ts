import type { Fault, Survey, Trail } from 'mappa'

/** The shape of `trace --json`: docs/json/trace.schema.json. `version` changes when a member changes its meaning or goes. */
export function traceJson({ stage }: Survey, trails: readonly Trail[], faults: readonly Fault[]) {
  return {
    version: 2,
    stage: { name: stage.name, from: stage.from ?? null },
    trails: trails.map(({ name, declared, expects, winner, steps }) => ({
      name,
      declared,
      expects: expects ?? null,
      value: winner?.shown ?? null,
      steps,
    })),
    faults,
  }
}
