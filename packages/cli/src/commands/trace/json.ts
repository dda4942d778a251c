import type { Fault, Survey, Trail } from 'mappa'
import { jsonReport } from '../../terminal/json-report.js'
import type { Origins } from './origins.js'
import type { ShownDeviation } from './starts-text.js'

/** The shape of `trace --json`: docs/json/trace.schema.json. */
export function traceJson(
  { stage }: Survey,
  trails: readonly Trail[],
  faults: readonly Fault[],
  origins: ReadonlyMap<string, Origins>,
  starts: ReadonlyMap<string, readonly ShownDeviation[]>,
) {
  const about = trails.map(({ name, declared, expects, winner, steps }) => ({
    name,
    declared,
    expects: expects ?? null,
    value: winner?.shown ?? null,
    steps,
    readIn: origins.get(name)?.takers ?? [],
    changed: origins.get(name)?.changed ?? null,
    starts: starts.get(name) ?? [],
  }))
  return jsonReport({ stage, faults }, { trails: about })
}
