// Pictures for docs/screenshots, made from the demo data. Needs Debian's xvfb, xterm, imagemagick and x11-utils,
// which it installs where apt can be used. Terminal pictures are of a real terminal window.
import { execFileSync, spawn, spawnSync } from 'node:child_process'
import { cpSync, mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { setTimeout as wait } from 'node:timers/promises'
import { chromium } from 'playwright-core'
import { installDebian } from './debian.mjs'
import { top } from './prepare.mjs'
import { copyApiary, environment, start } from './stage.mjs'

const folder = join(top, 'docs/screenshots')
mkdirSync(folder, { recursive: true })
installDebian({ Xvfb: 'xvfb', xterm: 'xterm', import: 'imagemagick', xdpyinfo: 'x11-utils' }, ['fonts-dejavu-core'])

const display = `:${90 + (process.pid % 100)}`
const server = spawn('Xvfb', [display, '-screen', '0', '1280x800x24', '-wr', '-nolisten', 'tcp'], { stdio: 'ignore' })
try {
  await until(() => spawnSync('xdpyinfo', ['-display', display]).status === 0)
  const broken = copyApiary('screenshots')
  edit(broken, '.env.staging', (text) =>
    text.replace('=4200', '=42oo').replace('tile_test_orchard', 'tile_live_hilltop').concat("LOG_LEVEL='debug\n"),
  )
  edit(broken, '.env.staging.local', (text) => text.replace('ALERT_TOKEN', 'ALERT_TOKN'))
  await shoot('check', ['mappa check --stage staging'], broken)
  await shoot('lift', ['mappa lift | head -39'], before())
  await shoot('lift-apply', ['mappa lift --apply'], before())
  // It waits for an answer, so the picture is taken meanwhile.
  const asks = 'mappa lift --pick --only GATEWAY_URL,MAIL_API_KEY'
  await shoot('lift-pick', [{ shown: asks, run: `{ sleep 4; touch .shot-done; } & ${asks}` }], before())
  const around = copyApiary('screenshots')
  writeFileSync(
    join(around, 'weigh.mjs'),
    "const port = process.env.COLLECTOR_PORT ?? 8080\nconst { LOG_LEVEL = 'info', SCALES } = process.env\n",
  )
  await shoot('witness', ['cat weigh.mjs', 'mappa witness staging -- node weigh.mjs'], around)
  const right = copyApiary('screenshots')
  writeFileSync(join(right, 'weigh.mjs'), 'console.log(process.env.COLLECTOR_PORT ?? 8080)\n')
  writeFileSync(
    join(right, 'package.json'),
    '{\n  "scripts": {\n    "weigh": "MAPPA_STAGE=staging node weigh.mjs"\n  }\n}\n',
  )
  await shoot(
    'trace',
    [
      'mappa trace LOG_LEVEL --stage production',
      'mappa trace COLLECTOR_URL --stage staging',
      'mappa trace ALERT_TOKEN --stage production',
      'mappa trace COLLECTOR_PORT --stage staging',
    ],
    right,
  )
  // Without a terminal to be asked at, it only shows.
  await shoot('init', ['cat .env', { shown: 'mappa init', run: 'mappa init < /dev/null' }], young())
  const lacking = copyApiary('screenshots')
  edit(lacking, '.env.development', (text) => text.replace(/^TILE_KEY.*\n/m, ''))
  // Answered by a hand that is not there.
  const answered = `(sleep 3; printf 'tile_test_meadow\\r'; sleep 2) | script -qec 'stty cols 140; mappa fill' /dev/null`
  await shoot('fill', ['mappa list', { shown: 'mappa fill', run: answered }], lacking)
  await shoot(
    'undo',
    // Without a terminal to be asked at, it only shows.
    [
      'mappa fill LOG_LEVEL=warn --stage staging',
      { shown: 'mappa undo', run: 'mappa undo < /dev/null' },
      'mappa undo --apply',
    ],
    copyApiary('screenshots'),
  )
  await shoot('guard', ['git commit -m Alerts', 'git reset -q', 'mappa guard'], committing())
  await shoot('compare', ['mappa compare development staging', 'mappa compare production --host host.json'], shared())
  const watched = copyApiary('screenshots')
  edit(watched, 'level.mjs', () => 'console.log(process.env.LOG_LEVEL)\nsetInterval(() => {}, 10_000)\n')
  const watches = 'mappa with --watch development -- node level.mjs'
  await shoot(
    'watch',
    [
      { shown: watches, run: `${watches} & sleep 2` },
      { shown: '# LOG_LEVEL=dbug in .env.development', run: 'sed -i s/=debug/=dbug/ .env.development; sleep 2' },
      { shown: '# LOG_LEVEL=warn in .env.development', run: 'sed -i s/=dbug/=warn/ .env.development; sleep 2' },
      { shown: '# Ctrl+C', run: 'kill $!; sleep 1' },
    ],
    watched,
  )
  await shoot(
    'refusal',
    [
      'head -1 dashboard/src/readings.ts',
      'cd dashboard',
      // The builder's own lines are left out: they say where this machine has it.
      { shown: 'vite build --mode staging', run: 'vite build --mode staging 2>&1 | sed -n /Stage/,/built/p' },
    ],
    leaking(),
  )
  const stamp = (stage) => `mappa stamp dist/index.html --stage ${stage} --in-place`
  const look = "grep -o '{.*}' dist/index.html"
  await shoot(
    'stamp',
    [
      'mappa stamp deploy/compose.yaml --stage production --against staging',
      'cd dashboard && vite build --mode staging --logLevel error',
      stamp('staging'),
      stamp('production'),
      look,
    ],
    copyApiary('screenshots'),
  )
  await shoot('since', ['mappa compare staging production --since main'], branched())
} finally {
  server.kill()
}

await shootPages()

/** The application whose settings are still in its code. */
function before() {
  const cwd = copyApiary('screenshots')
  rmSync(cwd, { recursive: true })
  cpSync(join(top, 'examples/before'), cwd, { recursive: true })
  rmSync(join(cwd, 'expected.json'), { force: true })
  const git = (...args) =>
    spawnSync('git', ['-c', 'user.name=Keeper', '-c', 'user.email=keeper@fennelhill.example', ...args], { cwd })
  for (const args of [
    ['init', '-q'],
    ['add', '-A'],
    ['commit', '-q', '-m', 'The first application'],
  ])
    git(...args)
  return cwd
}

/** A copy in which two stages have one secret, and a host that has a slip in a name. */
function shared() {
  const cwd = copyApiary('screenshots')
  edit(cwd, '.env.staging.local', () => 'ALERT_TOKEN=sms_test_buckwheat_clover_thyme\n')
  edit(cwd, 'host.json', () => '{ "ALERT_TOKN": "…", "LOG_LEVEL": "…", "PATH": "…" }\n')
  return cwd
}

/** A project that has layer files and reads, and no legend. */
function young() {
  const cwd = copyApiary('screenshots')
  rmSync(cwd, { recursive: true })
  mkdirSync(join(cwd, '.git'), { recursive: true })
  edit(cwd, 'package.json', () => '{ "type": "module" }\n')
  edit(cwd, '.env', () => '# Where the scale reports\nSCALE_PORT=4400\nFEED_TOKEN=feed-hollow-oak-brook\n')
  edit(cwd, 'server.js', () => "const quiet = process.env.QUIET === 'true'\nlisten(process.env.SCALE_PORT, quiet)\n")
  return cwd
}

/** A copy in which a token is about to be committed, and the hook is there. */
function committing() {
  const cwd = copyApiary('screenshots')
  const git = (...args) => spawnSync('git', args, { cwd })
  rmSync(join(cwd, '.git'), { recursive: true })
  git('init', '-q')
  edit(cwd, '.gitignore', () => 'node_modules\n.env.*.local\n.env.local\n')
  edit(cwd, 'collector/src/alerts.ts', (text) => `${text}const token = 'sms_test_buckwheat_clover_thyme'\n`)
  const keeper = ['-c', 'user.name=Keeper', '-c', 'user.email=keeper@fennelhill.example']
  edit(cwd, 'notes.md', () => 'Alerts go through sms_test_buckwheat_clover_thyme\n')
  git('add', 'notes.md', '.gitignore', 'mappa.legend.ts')
  git(...keeper, 'commit', '-q', '-m', 'Notes')
  git('rm', '-q', 'notes.md')
  git(...keeper, 'commit', '-q', '-m', 'No notes')
  git('add', 'collector/src/alerts.ts')
  execFileSync(process.execPath, [join(top, 'packages/cli/bin/mappa.js'), 'guard', '--install'], { cwd })
  return cwd
}

/** A copy whose browser code asks for a secret. */
function leaking() {
  const cwd = copyApiary('screenshots')
  edit(cwd, 'dashboard/src/readings.ts', (text) =>
    text.replace('{ COLLECTOR_URL', '{ ALERT_TOKEN, COLLECTOR_URL').concat('\nconsole.log(ALERT_TOKEN)\n'),
  )
  return cwd
}

/** The dashboard as built for staging, with a day of readings behind it. */
async function shootPages() {
  installDebian({ chromium: 'chromium' })
  const cwd = copyApiary('screenshots')
  const env = { COLLECTOR_URL: 'http://localhost:4200', ALLOWED_ORIGINS: 'http://localhost:4173' }
  const vite = join(top, 'node_modules/vite/bin/vite.js')
  await start(`node ${vite} build --mode staging`, { cwd: join(cwd, 'dashboard'), env }).ended
  await start('mappa stamp dist/index.html --stage staging --in-place', { cwd: join(cwd, 'dashboard'), env }).ended
  const parts = [start('mappa with staging -- node collector/dist/server.js', { cwd, env })]
  parts.push(
    start(`node ${vite} preview --port 4173 --strictPort --host localhost`, { cwd: join(cwd, 'dashboard'), env }),
  )
  const args = ['--no-sandbox', '--disable-background-networking', '--disable-component-update', '--disable-sync']
  const browser = await chromium.launch({ executablePath: '/usr/bin/chromium', args })
  try {
    await until(
      async () =>
        (await fetch('http://localhost:4173').catch(() => undefined))?.ok &&
        (await fetch('http://localhost:4200/health').catch(() => undefined))?.ok,
    )
    await start('node collector/season.mjs http://localhost:4200', { cwd }).ended
    const page = await browser.newPage({ viewport: { width: 1280, height: 800 } })
    await page.goto('http://localhost:4173')
    await page.waitForSelector('.hive')
    // Tiles fade in.
    await page.waitForLoadState('networkidle')
    await wait(500)
    await page.screenshot({ path: join(folder, 'dashboard.png') })
    crop(join(folder, 'dashboard.png'))
    console.log('docs/screenshots/dashboard.png')
    const refused = leaking()
    const served = start(`node ${vite} --port 5174 --strictPort --host localhost`, {
      cwd: join(refused, 'dashboard'),
      env,
    })
    parts.push(served)
    await until(async () => (await fetch('http://localhost:5174').catch(() => undefined))?.ok)
    await page.goto('http://localhost:5174')
    await page.waitForSelector('vite-error-overlay')
    await wait(500)
    // The picture does not show this machine's paths.
    const file = page.locator('vite-error-overlay .file')
    await file.evaluate((element) => (element.textContent = element.textContent.replace(/^.*(?=src\/)/, '')))
    await page.screenshot({ path: join(folder, 'overlay.png') })
    console.log('docs/screenshots/overlay.png')
    let guide = ''
    await start('mappa guide --as html', { cwd, write: (text) => (guide += text) }).ended
    await page.setContent(guide)
    await page.fill('#page-search', 'alert')
    await page.screenshot({ path: join(folder, 'guide.png') })
    console.log('docs/screenshots/guide.png')
    await shootFleet(page, cwd)
  } finally {
    await browser.close()
    for (const { child } of parts) child.kill()
  }
}

/** The fleet's own picture: how many collectors have a value, over time. */
async function shootFleet(page, cwd) {
  installDebian({ etcd: 'etcd-server' })
  const file = join(cwd, 'fleet.html')
  await start(`node ${join(top, 'examples/fleet/fleet.mjs')} 50 --picture ${file}`, { cwd }).ended
  await page.goto(`file://${file}`)
  await page.screenshot({ path: join(folder, 'fleet.png') })
  console.log('docs/screenshots/fleet.png')
}

/** A copy whose branch has changed a few variables. */
function branched() {
  const cwd = copyApiary('screenshots')
  const git = (...args) =>
    spawnSync('git', ['-c', 'user.name=Keeper', '-c', 'user.email=keeper@fennelhill.example', ...args], { cwd })
  rmSync(join(cwd, '.git'), { recursive: true })
  edit(cwd, '.gitignore', () => 'node_modules\n.env.*.local\n.env.local\n')
  git('init', '-q', '-b', 'main')
  git('add', '.')
  git('commit', '-q', '-m', 'As it runs')
  edit(cwd, 'mappa.legend.ts', (text) =>
    text
      .replace('    TILE_KEY: {', "    MAP_KEY: {\n      formerly: ['TILE_KEY'],")
      .replace('minLength: 24', 'minLength: 28')
      .replace(
        '    STAGE_NOTE: {',
        "    SCALE_KEY: { type: 'string', secret: true, obtain: 'https://wiki.fennelhill.example/scales' },\n    STAGE_NOTE: {",
      ),
  )
  for (const stage of ['development', 'staging', 'production'])
    edit(cwd, `.env.${stage}`, (text) => text.replace('TILE_KEY', 'MAP_KEY').replace('KEPT=2000', 'KEPT=5000'))
  return cwd
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
  const typed = lines
    .map((line) => (typeof line === 'string' ? { shown: line, run: line } : line))
    .map(({ shown, run }) => {
      const said = shown.startsWith('#') ? shown : `$ ${shown}`
      return `printf '\\033[1m%s\\033[22m\\n' "${said}"; ${run}`
    })
  const script = `cd '${cwd}'; clear; printf '\\033[?25l'; ${typed.join('; echo; ')}; printf '\\033[?25l'; touch '${marker}'; sleep 60`
  const look = [
    '-fa',
    'DejaVu Sans Mono',
    '-fs',
    '11',
    '-geometry',
    '140x41+0+0',
    '-b',
    '8',
    '+sb',
    '-bw',
    '0',
    // A prompt waits for an answer, so the cursor would be in its picture.
    '-xrm',
    '*cursorColor: white',
  ]
  const terminal = spawn('xterm', [...look, '-e', 'bash', '--norc', '-c', script], {
    env: environment({ DISPLAY: display }),
    stdio: 'ignore',
  })
  try {
    await until(() => spawnSync('test', ['-e', marker]).status === 0)
    await wait(500)
    const picture = join(folder, `${name}.png`)
    execFileSync('import', ['-window', 'root', '-display', display, picture])
    crop(picture)
    console.log(`docs/screenshots/${name}.png`)
  } finally {
    terminal.kill()
    spawnSync('rm', ['-f', marker])
  }
}

/** Takes away the rows that a window leaves empty at its end, but for a margin. Pictures stay alike in width. */
function crop(picture) {
  const used = execFileSync('convert', [picture, '-format', '%@', 'info:'], { encoding: 'utf8' })
  const [, , height, , top] = /^(\d+)x(\d+)\+(\d+)\+(\d+)$/.exec(used)
  execFileSync('convert', [picture, '-crop', `1280x${Number(height) + Number(top) + 12}+0+0`, '+repage', picture])
}

async function until(condition) {
  for (let tries = 0; tries < 200; tries++) {
    if (await condition()) return
    await wait(100)
  }
  throw new Error('Waited 20 s for something that did not happen.')
}
