// What the demo, the screenshots and the bench share: a scratch copy of the apiary, and commands typed into it.
import { spawn } from 'node:child_process'
import { cpSync, mkdirSync, rmSync, writeFileSync } from 'node:fs'
import { delimiter, join } from 'node:path'
import { top } from './prepare.mjs'

/** Below the checkout, so that the packages of the workspace are found; left out of git. */
export const scratch = join(top, '.scratch')

/** A fresh copy of the apiary with this machine's own secrets, all of them made up. */
export function copyApiary(name) {
  const to = join(scratch, name)
  rmSync(to, { recursive: true, force: true })
  mkdirSync(to, { recursive: true })
  const skipped = /[\\/](?:node_modules|data|test)$|dashboard[\\/]dist$|\.local$/
  cpSync(join(top, 'examples/apiary'), to, { recursive: true, filter: (path) => !skipped.test(path) })
  // A repository of its own, so that nothing above it is searched.
  mkdirSync(join(to, '.git'))
  writeFileSync(join(to, '.env.development.local'), 'ALERT_TOKEN=sms_test_buckwheat_clover_thyme\n', { mode: 0o600 })
  writeFileSync(join(to, '.env.staging.local'), 'ALERT_TOKEN=sms_test_heather_lime_bramble\n', { mode: 0o600 })
  writeFileSync(join(to, '.env.production.local'), 'ALERT_TOKEN=sms_live_rape_acacia_sunflower\n', { mode: 0o600 })
  return to
}

/** The environment a person has who has just opened a terminal: nothing of ours, and `mappa` and `node` in PATH. */
export function environment(extra = {}) {
  const own = Object.entries(process.env).filter(
    ([name]) => !/^(?:MAPPA_|NODE_ENV$|NODE_OPTIONS$|npm_|INIT_CWD$)/i.test(name),
  )
  return {
    ...Object.fromEntries(own),
    PATH: [join(top, 'node_modules/.bin'), process.env.PATH].join(delimiter),
    ...extra,
  }
}

/** Starts a command line as a shell would; its output goes to `write`. Resolves to its exit code. */
export function start(line, { cwd, env = {}, write = (text) => process.stdout.write(text) }) {
  const [command, ...args] = line.split(' ')
  const child = spawn(command, args, {
    cwd,
    env: environment(env),
    stdio: ['ignore', 'pipe', 'pipe'],
    shell: process.platform === 'win32',
  })
  child.stdout.on('data', (data) => write(data.toString()))
  child.stderr.on('data', (data) => write(data.toString()))
  const ended = new Promise((resolve, reject) => {
    child.once('error', reject)
    child.once('close', (code) => resolve(code))
  })
  return { child, ended }
}
