// One collector of many: it goes on with what was right last, and tells anyone who started it what it has.
import { watchAsync } from 'mappa/node'
import definition from './mappa.legend.js'

const tell = (kind, more) => process.send?.({ kind, at: String(process.hrtime.bigint()), ...more })
const watching = await watchAsync(
  definition,
  { from: import.meta.url, onLost: (faults) => tell(faults.length > 0 ? 'lost' : 'back', { said: saidBy(faults) }) },
  (found) => {
    if (found.ok) tell('has', { pause: found.settings.scale.pause })
    else tell('refused', { said: saidBy(found.faults), pause: watching.settings?.scale.pause })
  },
)
if (!watching.settings) {
  console.error(saidBy(watching.survey.faults))
  process.exit(1)
}
tell('ready', { pause: watching.settings.scale.pause })
// A collector's work: its scales are read as often as the settings say.
let read = Date.now()
setInterval(() => {
  if (Date.now() - read >= watching.settings.scale.pause) read = Date.now()
}, 250)
process.on('disconnect', () => process.exit(0))

function saidBy(faults) {
  return faults.map(({ message }) => message).join(' ')
}
