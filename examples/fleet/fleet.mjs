// node fleet.mjs [collectors] [--picture FILE]: one command that starts a store and a fleet, changes a value, and shows how
// many have it, over time.
import { writeFileSync } from 'node:fs'
import { chartText, picturePage } from './picture.mjs'
import { prefix, startFleet } from './run.mjs'
import { hasStore } from './store.mjs'

const args = process.argv.slice(2)
const count = Number(args.find((each) => /^\d+$/.test(each)) ?? 50)
const picture = args.includes('--picture') ? args[args.indexOf('--picture') + 1] : undefined
if (!hasStore) {
  console.log('The example needs etcd, which is not installed here. On Debian: apt-get install etcd-server')
  process.exit(1)
}

console.log(
  `A store and ${count} collectors start. All take their settings from the store, and are told of each change.`,
)
const fleet = await startFleet(count)
const charts = []
try {
  const has =
    (pause) =>
    ({ kind, pause: own }) =>
      kind === 'has' && own === pause
  const set = (value) => () => fleet.store.put(`${prefix}SCALE_PAUSE`, value)
  await show('SCALE_PAUSE is set to 10s.', 'have it', set('10s'), has(10_000))
  await show(
    'It is set to “soon”, which is not a duration.',
    'refuse it, and keep 10s',
    set('soon'),
    ({ kind, pause }) => kind === 'refused' && pause === 10_000,
  )
  console.log(`  They say: ${fleet.collectors[0].said.at(-1).said}`)
  await show('It is set to 20s.', 'have it', set('20s'), has(20_000))
  await show(
    'The store is killed.',
    'know it, and go on with 20s',
    () => fleet.store.kill(),
    ({ kind }) => kind === 'lost',
  )
  console.log(`  They say: ${fleet.collectors[0].said.at(-1).said}`)
  await fleet.store.start()
  await show('It is back, and SCALE_PAUSE is set to 15s.', 'have it', set('15s'), has(15_000))
  const ended = fleet.collectors.filter(({ exited }) => exited !== undefined).length
  console.log(`\n${ended === 0 ? 'None' : ended} of ${count} collectors has stopped.`)
} finally {
  await fleet.end()
}
if (picture !== undefined) {
  writeFileSync(picture, picturePage(charts, count))
  console.log(`${picture} shows it.`)
}

async function show(title, what, action, tells) {
  const times = await fleet.measure(action, tells)
  charts.push({ title, what, times })
  console.log(`\n${title}\n${chartText(times, count, what)}`)
}
