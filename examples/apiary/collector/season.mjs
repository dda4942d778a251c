// Sends half a day of five hives to a collector, as their scales would: node season.mjs URL [TIME OF THE LAST READING]
const [url, last] = process.argv.slice(2)
const halfHour = 30 * 60_000
const hives = [
  { hive: 'meadow', east: -250, north: 120, start: 41.8 },
  { hive: 'orchard', east: -60, north: -60, start: 38.2 },
  { hive: 'hilltop', east: 150, north: 150, start: 44.1 },
  { hive: 'brook', east: 290, north: -40, start: 36.4 },
  { hive: 'lime-walk', east: -290, north: -130, start: 47.3 },
]
const end = last ? Date.parse(last) : Math.floor(Date.now() / halfHour) * halfHour
const send = (path, method, body) => fetch(new URL(path, url), { method, body: JSON.stringify(body) })

try {
  let sent = 0
  for (const [number, { hive, east, north, start: first }] of hives.entries()) {
    await send(`/hives/${hive}/place`, 'PUT', { east, north })
    for (let step = 0; step < 24; step++) {
      // Foragers leave first and bring honey later; after seven hours a swarm leaves the orchard.
      const forage = -0.5 * Math.sin((step / 24) * 2 * Math.PI) + step * 0.03 * (number + 1)
      const swarm = hive === 'orchard' && step >= 14 ? 2.6 : 0
      const weight = Math.round((first + forage - swarm) * 10) / 10
      const temperature = Math.round((14 + 9 * Math.sin((step / 24) * Math.PI)) * 10) / 10
      await send('/readings', 'POST', { hive, weight, temperature, time: end - (23 - step) * halfHour })
      sent++
    }
  }
  console.log(`${sent} readings of ${hives.length} hives sent.`)
} catch (error) {
  console.error(`No collector answers at ${url}: ${error.cause?.code ?? error.message}`)
  process.exitCode = 1
}
