import { cpSync, symlinkSync } from 'node:fs'
import { createServer } from 'node:http'
import type { AddressInfo } from 'node:net'
import { join } from 'node:path'
import { mappa, node, project, token, top } from '../../../test/helpers.js'

export const liveToken = 'sms_live_acacia_sunflower_lime'

/** A copy of the apiary with secrets that are made up, and the packages that it needs. */
export function apiary(): string {
  const root = project({ '.env.local': `ALERT_TOKEN=${token}`, '.env.production.local': `ALERT_TOKEN=${liveToken}` })
  const skipped = /[\\/](?:node_modules|data|test)$|dashboard[\\/]dist$|\.local$/
  cpSync(join(top, 'examples/apiary'), root, { recursive: true, filter: (path) => !skipped.test(path) })
  for (const name of ['hono', '@hono', 'node-sqlite3-wasm', 'vite', 'chart.js', '@kurkle'])
    symlinkSync(join(top, 'node_modules', name), join(root, 'node_modules', name))
  return root
}

export async function freePort(): Promise<number> {
  const server = createServer().listen(0)
  const { port } = server.address() as AddressInfo
  await new Promise((resolve) => server.close(resolve))
  return port
}

/** Runs a program until `ready` is in its output, talks to it, stops it, and gives how it ended. */
export async function whileRunning(
  args: readonly string[],
  options: { cwd: string; env?: Record<string, string>; ready: string },
  talk: (output: () => string) => Promise<void>,
) {
  const { cwd, env = {}, ready } = options
  let talked: Promise<void> | undefined
  let output = ''
  const ended = await (args[0] === 'with' ? mappa : node)(args, {
    cwd,
    env,
    onOutput(text, kill) {
      output = text
      if (talked || !text.includes(ready)) return
      talked = talk(() => output).finally(() => kill('SIGTERM'))
      // Awaited below, once the program has ended.
      talked.catch(() => undefined)
    },
  })
  await talked
  if (!talked) throw new Error(`It ended before it was ready:\n${ended.stdout}${ended.stderr}`)
  return ended
}

const vitePath = join(top, 'node_modules/vite/bin/vite.js')

/** Arguments for Node that run Vite. */
export const vite = (...args: string[]) => [vitePath, ...args]
