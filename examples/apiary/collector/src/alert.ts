import type { Log } from './log.js'
import type { Reading } from './store.js'

/** What swarm alerts need to know. */
export interface AlertSettings {
  readonly enabled: boolean
  readonly dropKg: number
  readonly gateway: string
  readonly token: string | undefined
  readonly phone: string | undefined
  /** Milliseconds that the gateway may take. */
  readonly patience: number
}

/** A swarm leaves within minutes and takes this much weight with it; slower losses are feeding or a harvest. */
const swarmMinutesMax = 60

/** Whether the weight fell so far and so fast between two readings that a swarm must have left. */
export function isSwarm(before: Reading | undefined, now: Reading, dropKg: number): boolean {
  if (!before) return false
  const minutes = (now.time - before.time) / 60_000
  return minutes >= 0 && minutes <= swarmMinutesMax && before.weight - now.weight >= dropKg
}

/** Sends a swarm alert as a text message; a gateway that is away is logged, and never stops the collector. */
export async function sendAlert(
  { enabled, gateway, token, phone, patience }: AlertSettings,
  now: Reading,
  log: Log,
): Promise<void> {
  const text = `Hive ${now.hive} has lost weight fast: a swarm may have left. It now weighs ${now.weight} kg.`
  log.warn('swarm', { hive: now.hive, weight: now.weight })
  if (!enabled || phone === undefined || token === undefined) return
  const { host } = new URL(gateway)
  try {
    const response = await fetch(gateway, {
      method: 'POST',
      headers: { authorization: `Bearer ${token}`, 'content-type': 'application/json' },
      body: JSON.stringify({ to: phone, text }),
      signal: AbortSignal.timeout(patience),
    })
    if (response.ok) log.info('alert sent', { hive: now.hive, host })
    else log.error('the gateway refused the alert', { host, status: response.status })
  } catch (error) {
    log.error('the gateway cannot be reached', { host, cause: causeOf(error) })
  }
}

/** Why a request failed: what the network said, where it said something. */
function causeOf(error: unknown): string {
  const { cause, name } = error as { cause?: { code?: string }; name?: string }
  return cause?.code ?? name ?? 'unknown'
}
