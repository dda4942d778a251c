// A fleet: a store, and collectors that follow it. Used by the example, its test and the bench.
import { fork } from 'node:child_process'
import { join } from 'node:path'
import { setTimeout as wait } from 'node:timers/promises'
import { startStore } from './store.mjs'

const here = import.meta.dirname
/** Where the settings of production lie. */
export const prefix = 'apiary/production/'

/** Starts a store and so many collectors; resolves once all of them run. */
export async function startFleet(count, { token = 'gateway_live_lavender' } = {}) {
  const store = await startStore()
  await store.put(`${prefix}SCALE_PAUSE`, '30s')
  await store.put(`${prefix}GATEWAY_TOKEN`, token)
  const env = { ...process.env, MAPPA_STAGE: 'production', FLEET_STORE: store.url }
  const output = []
  /** What each collector has said, the last of it last. */
  const collectors = []
  // So many programs that start at once only wait for each other.
  const atOnce = 4
  for (let at = 0; at < count; at += atOnce)
    await Promise.all(
      Array.from({ length: Math.min(atOnce, count - at) }, () => {
        const child = fork(join(here, 'collector.mjs'), { env, stdio: ['ignore', 'pipe', 'pipe', 'ipc'] })
        const collector = { child, said: [], exited: undefined }
        collectors.push(collector)
        for (const stream of [child.stdout, child.stderr]) stream.on('data', (text) => output.push(String(text)))
        child.on('exit', (code) => (collector.exited = code))
        return new Promise((resolve, reject) => {
          child.once('exit', () => reject(new Error(`a collector has ended: ${output.join('')}`)))
          child.on('message', (message) => {
            collector.said.push({ ...message, at: BigInt(message.at) })
            if (message.kind === 'ready') resolve()
          })
        })
      }),
    )
  return {
    store,
    collectors,
    output,
    /**
     * Does something, and waits until every collector has said what `tells` looks for. Milliseconds from `action` to each,
     * the quickest first; fewer than there are collectors if some do not within `most`.
     */
    async measure(action, tells, most = 15_000) {
      const from = collectors.map(({ said }) => said.length)
      const start = process.hrtime.bigint()
      await action()
      const last = Date.now() + most
      const answers = () => collectors.flatMap(({ said }, at) => said.slice(from[at]).find(tells) ?? [])
      while (answers().length < count && Date.now() < last) await wait(5)
      return answers()
        .map(({ at }) => Number(at - start) / 1e6)
        .sort((a, b) => a - b)
    },
    async end() {
      for (const { child } of collectors) child.kill('SIGKILL')
      await store.end()
    },
  }
}
