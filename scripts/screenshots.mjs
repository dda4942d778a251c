// Pictures for docs/screenshots, made from the demo data. Needs Debian's xvfb, xterm, imagemagick and x11-utils,
// which it installs where apt can be used. Terminal pictures are of a real terminal window.
import { execFileSync, spawn, spawnSync } from 'node:child_process'
import { mkdirSync, readFileSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { setTimeout as wait } from 'node:timers/promises'
import { installDebian } from './debian.mjs'
import { top } from './prepare.mjs'
import { copyApiary, environment } from './stage.mjs'

const folder = join(top, 'docs/screenshots')
mkdirSync(folder, { recursive: true })
installDebian({ Xvfb: 'xvfb', xterm: 'xterm', import: 'imagemagick', xdpyinfo: 'x11-utils' }, ['fonts-dejavu-core'])

const display = `:${90 + (process.pid % 100)}`
const server = spawn('Xvfb', [display, '-screen', '0', '1280x800x24', '-nolisten', 'tcp'], { stdio: 'ignore' })
try {
  await until(() => spawnSync('xdpyinfo', ['-display', display]).status === 0)
  const broken = copyApiary('screenshots')
  edit(broken, '.env.staging', (text) =>
    text.replace('=4200', '=42oo').replace('tile_test_orchard', 'tile_live_hilltop').concat("LOG_LEVEL='debug\n"),
  )
  edit(broken, '.env.staging.local', (text) => text.replace('ALERT_TOKEN', 'ALERT_TOKN'))
  await shoot('check', ['mappa check --stage staging'], broken)
  const slip = copyApiary('screenshots')
  edit(slip, '.env.staging', (text) => text.replace('=4200', '=42oo'))
  await shoot(
    'with',
    [
      'mappa with staging -- node -p process.env.COLLECTOR_URL',
      'sed -i s/42oo/4200/ .env.staging',
      'mappa with staging -- node -p process.env.COLLECTOR_URL',
      'mappa with production -- env | grep -E ^SWARM',
    ],
    slip,
  )
  const right = copyApiary('screenshots')
  edit(right, '.env.local', () => 'SWARM_DROP_KG=0.8\n')
  await shoot(
    'trace',
    [
      'mappa check --stage production',
      'mappa trace LOG_LEVEL --stage production',
      'mappa trace SWARM_DROP_KG --stage production',
      'mappa trace ALERT_TOKEN --stage production',
    ],
    right,
  )
} finally {
  server.kill()
}

function edit(cwd, file, change) {
  const path = join(cwd, file)
  let before = ''
  try {
    before = readFileSync(path, 'utf8')
  } catch {
    // A new file.
  }
  writeFileSync(path, change(before))
}

/** Types commands into a terminal that fills the screen, and takes a picture once they have ended. */
async function shoot(name, lines, cwd) {
  const marker = join(cwd, '.shot-done')
  const typed = lines.map((line) => `printf '\\033[1m$ %s\\033[22m\\n' "${line}"; ${line}; echo`)
  const script = `cd '${cwd}'; clear; ${typed.join('; ')}; touch '${marker}'; sleep 60`
  const look = [
    '-fa',
    'DejaVu Sans Mono',
    '-fs',
    '11',
    '-geometry',
    '142x43+0+0',
    '-bg',
    '#fdfdfb',
    '-fg',
    '#1d1f21',
    '-b',
    '8',
    '+sb',
  ]
  const terminal = spawn('xterm', [...look, '-e', 'bash', '--norc', '-c', script], {
    env: environment({ DISPLAY: display }),
    stdio: 'ignore',
  })
  try {
    await until(() => spawnSync('test', ['-e', marker]).status === 0)
    await wait(500)
    execFileSync('import', ['-window', 'root', '-display', display, join(folder, `${name}.png`)])
    console.log(`docs/screenshots/${name}.png`)
  } finally {
    terminal.kill()
    spawnSync('rm', ['-f', marker])
  }
}

async function until(condition) {
  for (let tries = 0; tries < 200; tries++) {
    if (condition()) return
    await wait(100)
  }
  throw new Error('Waited 20 s for something that did not happen.')
}
