import { COLLECTOR_URL, SWARM_DROP_KG } from 'virtual:mappa/settings'

/** One message of a hive scale. Weight in kilograms, temperature in degrees Celsius, time in milliseconds since 1970. */
export interface Reading {
  readonly hive: string
  readonly weight: number
  readonly temperature: number
  readonly time: number
}

/** A hive with its latest reading; metres east and north of the farmhouse. */
export interface Hive extends Reading {
  readonly east: number
  readonly north: number
}

/** A loss of weight so fast that a swarm must have left. */
export interface Alert {
  readonly hive: string
  readonly time: number
  readonly lostKg: number
}

export const hives = () => ask<Hive[]>('/hives')
export const readingsOf = (hive: string) => ask<Reading[]>(`/hives/${encodeURIComponent(hive)}/readings`)

async function ask<T>(path: string): Promise<T> {
  const response = await fetch(new URL(path, COLLECTOR_URL), { signal: AbortSignal.timeout(5000) })
  if (!response.ok) throw new Error(`The collector answered ${response.status}.`)
  return (await response.json()) as T
}

const swarmMinutesMax = 60

/** The alerts in a hive's readings, the oldest first. */
export function alertsIn(readings: readonly Reading[]): Alert[] {
  return readings.flatMap((reading, at) => {
    const before = readings[at - 1]
    if (!before || reading.time - before.time > swarmMinutesMax * 60_000) return []
    const lostKg = before.weight - reading.weight
    return lostKg >= SWARM_DROP_KG ? [{ hive: reading.hive, time: reading.time, lostKg }] : []
  })
}
