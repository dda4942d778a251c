import { COLLECTOR_URL, STAGE_NOTE } from 'virtual:mappa/settings'
import { drawWeight, timeText } from './chart.js'
import { drawMap, markChosen } from './map.js'
import { type Alert, type Hive, hives, type Reading, readingsOf } from './readings.js'

const find = <E extends HTMLElement>(selector: string) => document.querySelector(selector) as E
const status = find('#status')

find('#stage').textContent = STAGE_NOTE
await show()

async function show(): Promise<void> {
  try {
    const known = await hives()
    const histories = new Map(await Promise.all(known.map(async ({ hive }) => [hive, await readingsOf(hive)] as const)))
    if (known.length === 0) {
      status.textContent = 'No hive has sent a reading yet.'
      return
    }
    const latest = Math.max(...known.map(({ time }) => time))
    const hours = Math.floor((Date.now() - latest) / 3_600_000)
    // Old readings must not look live.
    const age =
      hours > 0 ? ` Nothing has come for ${hours < 48 ? `${hours} h` : `${Math.floor(hours / 24)} days`}.` : ''
    if (hours > 0) status.className = 'old'
    status.textContent = `${known.length} hives report. Latest reading ${timeText(latest)} UTC.${age}`
    find('main').hidden = false
    draw(known, histories, await alertsOf([...histories.values()]))
  } catch {
    status.className = 'away'
    status.textContent = `The collector at ${COLLECTOR_URL} does not answer. Hives go on weighing; try again in a while.`
    const again = document.createElement('button')
    again.textContent = 'Try again'
    again.addEventListener('click', () => location.reload())
    status.append(' ', again)
  }
}

/** The alerts in readings, the latest first. */
function alertsOf(histories: readonly (readonly Reading[])[]): Promise<readonly Alert[]> {
  const worker = new Worker(new URL('./swarm.worker.ts', import.meta.url), { type: 'module' })
  worker.postMessage(histories)
  return new Promise((resolve, reject) => {
    worker.addEventListener('message', ({ data }) => resolve(data))
    worker.addEventListener('error', reject)
  }).finally(() => worker.terminate()) as Promise<readonly Alert[]>
}

function draw(
  known: readonly Hive[],
  histories: ReadonlyMap<string, readonly Reading[]>,
  alerts: readonly Alert[],
): void {
  const choose = (hive: string) => {
    const readings = histories.get(hive) ?? []
    find('#chart-title').textContent = `Weight of ${hive}`
    drawWeight(find('#chart'), hive, readings)
    const last = readings.at(-1)
    find('#latest').textContent = last
      ? `${timeText(last.time)}: ${last.weight.toFixed(1)} kg at ${last.temperature.toFixed(1)} °C.`
      : ''
    markChosen(find('#map'), hive)
  }
  drawMap(find('#map'), known, new Set(alerts.map(({ hive }) => hive)), choose)
  listAlerts(alerts)
  choose(alerts[0]?.hive ?? (known[0] as Hive).hive)
}

function listAlerts(alerts: readonly Alert[]): void {
  const items = alerts.map(({ hive, time, lostKg }) => {
    const item = document.createElement('li')
    item.textContent = `${timeText(time)}: ${hive} lost ${lostKg.toFixed(1)} kg within the hour. A swarm may have left.`
    return item
  })
  if (items.length > 0) find('#alerts').replaceChildren(...items)
  else find('#alerts').replaceWith('No swarm has left lately.')
}
