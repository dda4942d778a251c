import { alertsIn, type Reading } from './readings.js'

// A season of readings takes a while to go through, and the page must not wait for it.
self.addEventListener('message', ({ data }: MessageEvent<readonly (readonly Reading[])[]>) =>
  self.postMessage(data.flatMap((readings) => alertsIn(readings)).sort((a, b) => b.time - a.time)),
)
