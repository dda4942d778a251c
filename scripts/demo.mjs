// npm run demo: the main job as a story of nine stops, in a scratch copy. Each stop prints the commands that a person types, then
// what they say. --all shows everything else, too; --stay keeps the page and the server of the story up.
import { spawnSync } from 'node:child_process'
import { cpSync, mkdirSync, readdirSync, readFileSync, rmSync, statSync, writeFileSync } from 'node:fs'
import { join, relative } from 'node:path'
import { setTimeout as wait } from 'node:timers/promises'
import { parseArgs } from 'node:util'
import { top } from './prepare.mjs'
import { copyApiary, start } from './stage.mjs'

const bold = (text) => (process.stdout.isTTY && !process.env.NO_COLOR ? `\u001b[1m${text}\u001b[22m` : text)
const cwd = copyApiary('demo')
const running = []
/** Whether the sentence of a stop stands directly above. */
let isBegun = false
const { all, stay } = parseArgs({ options: { all: { type: 'boolean' }, stay: { type: 'boolean' } } }).values
/** A program with defaults of its own. */
const reader = `const port = process.env.COLLECTOR_PORT ?? 8080
const { LOG_LEVEL = 'info', SCALES } = process.env
console.log(\`Asking the collector on port \${port} for \${SCALES ?? 'all'} scales\`)
`

/** How that script is started. */
const weighing = `{
  "scripts": {
    "weigh": "MAPPA_STAGE=staging node weigh.mjs"
  }
}
`

/** Who commits. */
const keeper = ['-c', 'user.name=Keeper', '-c', 'user.email=keeper@fennelhill.example']

try {
  await (all ? tour() : story())
} catch (error) {
  console.error(`\nThe demo stopped: ${error.message}`)
  process.exitCode = 1
} finally {
  for (const child of running) child.kill()
}

async function story() {
  before()
  step('1. A key in code', 'A server of Fennel Hill Apiary has its addresses and keys in its code.')
  await type('cat server/alerts.js', { from: /^const headers/, to: /authorization/ })

  step('2. Lifted', 'One command moves them to layers and a legend. The code reads typed settings.')
  await type('mappa lift --apply', { from: /^Moved/, to: /Only on this machine/, lines: 3 })
  await type('cat server/alerts.js', { from: /^const headers/, to: /authorization/ })

  rmSync(cwd, { recursive: true })
  copyApiary('demo')
  step('3. Faults, mended', 'Staging was set up in a hurry. Every fault has its place and a remedy.')
  edit('.env.staging', (text) => text.replace('=4200', '=42oo').replace('tile_test_orchard', 'tile_live_hilltop'))
  await type('mappa check --stage staging', { expected: 1 })
  tell('\nBoth lines are corrected.')
  quietly('.env.staging', (text) => text.replace('=42oo', '=4200').replace('tile_live_hilltop', 'tile_test_orchard'))
  await type('mappa check --stage staging', { from: /^No faults/, to: /^No faults/ })

  step('4. Where a value comes from', 'The trail shows the winning layer, and what it overrides.')
  await type('mappa trace LOG_LEVEL --stage production')

  step('5. Two stages started', 'The same code runs with the values of each stage.')
  const development = await serve('mappa with development -- node collector/dist/server.js', {}, true)
  const production = await serve('node collector/dist/server.js', { MAPPA_STAGE: 'production' }, true)

  step(
    '6. Values that a program really gets',
    'A script of somebody else reads around the layers. check knows how it is started, and the witness watches it.',
  )
  writeFileSync(join(cwd, 'weigh.mjs'), reader)
  writeFileSync(join(cwd, 'package.json'), weighing)
  await type('cat weigh.mjs')
  await type('mappa check staging', { expected: 1, from: /^Fault/, to: /^ {2}→/ })
  tell("\nWith Node's own flag it would get the layer as Node reads it.")
  writeFileSync(join(cwd, 'package.json'), weighing.replace('node weigh', 'node --env-file=.env.staging weigh'))
  await type('mappa check staging', { from: /^Notice: Node gets .* COLLECTOR_URL/, to: /^ {2}→/ })
  rmSync(join(cwd, 'package.json'))
  await type('mappa witness staging -- node weigh.mjs', { from: /^Asking/, to: /^ {2}SCALES/, lines: 12 })

  step('7. Side by side', 'The stages are compared, with secrets masked.')
  await type('mappa compare staging production', { lines: 4 })

  step('8. The page, refusing a secret', 'A build fails if browser code takes what must stay on the server.')
  quietly('dashboard/src/readings.ts', (text) =>
    text
      .replace('{ COLLECTOR_URL', '{ ALERT_TOKEN, COLLECTOR_URL')
      .replace(
        'fetch(new URL(path, COLLECTOR_URL), {',
        'fetch(new URL(path, COLLECTOR_URL), { headers: { authorization: ALERT_TOKEN },',
      ),
  )
  const building = { folder: 'dashboard', from: /^Stage/, to: /Nothing was built/ }
  await type('vite build --mode staging --logLevel error', { ...building, expected: 1 })

  step('9. A secret caught before a commit', 'guard finds it in what is staged.')
  git('init', '-q')
  writeFileSync(join(cwd, '.gitignore'), 'node_modules\n.env.local\n.env.*.local\n')
  edit('collector/src/log.ts', (text) => text.concat("const token = 'sms_test_buckwheat_clover_thyme'\n"))
  git('add', 'collector/src/log.ts')
  await type('mappa guard --staged', { expected: 1 })

  tell('\nOpen next: README.md for your own project, docs/command.md for the commands,')
  tell('examples/apiary for the example. npm run demo -- --all shows everything,')
  tell('npm run demo -- --stay keeps the server and the page up.')
  if (stay) await keepUp()
  for (const { child, ended } of [development, production]) {
    child.kill('SIGTERM')
    await ended
  }
}

/** Keeps the story's server up, and its page beside it, until somebody interrupts. */
async function keepUp() {
  quietly('dashboard/src/readings.ts', (text) =>
    text
      .replace('{ ALERT_TOKEN, COLLECTOR_URL', '{ COLLECTOR_URL')
      .replace(' headers: { authorization: ALERT_TOKEN },', ''),
  )
  const page = start('vite --mode development --logLevel error --port 5173', { cwd: join(cwd, 'dashboard') })
  running.push(page.child)
  tell('\nThe page: http://localhost:5173 The server: http://localhost:4100 Interrupt to stop both.')
  await new Promise((resolve) => process.once('SIGINT', resolve))
}

async function tour() {
  await lifting()
  rmSync(cwd, { recursive: true })
  copyApiary('demo')
  step('Some seasons later.')
  tell(
    'Fennel Hill Apiary keeps hive scales. Their readings go to a collector, a small server, whose ports, keys and switches',
  )
  tell(
    `are declared in mappa.legend.ts and given values in layers of .env files. This is a copy of it: ${relative(top, cwd)}`,
  )

  step('Someone has set up staging in a hurry.')
  edit('.env.staging', (text) =>
    text.replace('=4200', '=42oo').replace('tile_test_orchard', 'tile_live_hilltop').concat("LOG_LEVEL='debug\n"),
  )
  edit('.env.staging.local', (text) => text.replace('ALERT_TOKEN', 'ALERT_TOKN'))
  await type('mappa check --stage staging', { expected: 1 })

  step('Nothing starts while there are faults, rather than failing when a swarm leaves on Sunday.')
  await type('mappa with staging -- node collector/dist/server.js', { expected: 1, lines: 3 })

  step('Each fault says what to do. We do it.')
  edit('.env.staging', (text) =>
    text.replace('=42oo', '=4200').replace('tile_live_hilltop', 'tile_test_orchard').replace("'debug", "'debug'"),
  )
  edit('.env.staging.local', (text) => text.replace('ALERT_TOKN', 'ALERT_TOKEN'))
  await type('mappa check --stage staging')

  step('Text becomes what it says: lists, durations, sizes. Rules say what must hold between variables.')
  edit('.env.staging', (text) =>
    text
      .replace(/^ALLOWED_ORIGINS=.*$/m, 'ALLOWED_ORIGINS=https://staging.fennelhill.example,localhost')
      .concat('ALERT_PATIENCE=10\n'),
  )
  await type('mappa check --stage staging', { expected: 1 })
  edit('.env.staging', (text) =>
    text
      .replace(/^ALLOWED_ORIGINS=.*$/m, 'ALLOWED_ORIGINS=https://staging.fennelhill.example')
      .replace('ALERT_PATIENCE=10\n', 'ALERT_PATIENCE=10s\nSWARM_ALERTS=yes\n'),
  )
  await type('mappa check --stage staging', { expected: 1 })
  edit('.env.staging', (text) => text.replace('ALERT_PATIENCE=10s\nSWARM_ALERTS=yes\n', ''))

  step('Side by side: what differs between the stages? Someone has given staging the token of development.')
  edit('.env.staging.local', () => 'ALERT_TOKEN=sms_test_buckwheat_clover_thyme\n')
  await type('mappa compare')
  edit('.env.staging.local', () => 'ALERT_TOKEN=sms_test_heather_lime_bramble\n')

  step('And the host? It says which names it has. Only names are compared.')
  writeFileSync(join(cwd, 'host.json'), '{ "ALERT_TOKN": "…", "LOG_LEVEL": "…", "PATH": "…" }\n')
  await type('cat host.json')
  await type('mappa compare production --host host.json', { expected: 1 })
  rmSync(join(cwd, 'host.json'))

  step('Does the code read what the legend declares? A slip in a name is told with its place.')
  edit('collector/src/log.ts', (text) =>
    text.concat('export const color = process.env.LOG_COLOR\nexport const least = process.env.LOGLEVEL\n'),
  )
  await type('mappa check --stage staging --code', { expected: 1 })
  edit('collector/src/log.ts', (text) => text.split('export const color')[0])

  step(
    'Where does a value come from, and what does it hide? A secret is never shown, only what the legend itself says of it.',
  )
  await type('mappa trace LOG_LEVEL --stage production')
  await type('mappa trace ALERT_TOKEN --stage production')

  step('Values can be built on others. Staging overrides one domain, and every address that is built on it follows.')
  await type('mappa trace COLLECTOR_URL --stage staging')
  await type('mappa trace ALERT_GATEWAY --stage staging')

  step('A new colleague asks what to provide. The guide says it, and the sample holds the lines to fill in.')
  await type('mappa guide', { from: /^alert$/, to: /settings\.alert\.patience/ })
  await type('mappa guide --as html', { into: 'guide.html' })
  tell(
    `guide.html is one page of ${Math.round(statSync(join(cwd, 'guide.html')).size / 1024)} KiB that needs nothing else; docs/screenshots/guide.png shows it.`,
  )
  await type('mappa sample --verify')
  edit('mappa.legend.ts', (text) => text.replace('minLength: 24,\n', 'minLength: 30,\n'))
  await type('mappa sample --verify', { expected: 1 })
  await type('mappa sample')
  edit('mappa.legend.ts', (text) => text.replace('minLength: 30,\n', 'minLength: 24,\n'))
  await type('mappa types --verify')

  step('All of a stage at a glance; a value set where it belongs; a name changed everywhere at once, and taken back.')
  await type('mappa list staging', { lines: 8 })
  await type('mappa fill LOG_LEVEL=warn --stage staging')
  await type('mappa rename TILE_KEY MAP_TILE_KEY --apply', { lines: 9 })
  await type('mappa undo --apply', { from: /^Took back/, to: /^Took back/ })
  // The sample was stale before, and is so again.
  await type('mappa sample', { from: /^Wrote/, to: /^Wrote/ })

  step('A clone has no secret. What it can be held to is right, and what has to come from elsewhere is listed.')
  await type('mappa check --as-cloned')

  step('Someone pastes a token into the code. It is found before the commit, and the commit is refused.')
  git('init', '-q')
  writeFileSync(join(cwd, '.gitignore'), 'node_modules\n.env.local\n.env.*.local\n')
  edit('collector/src/log.ts', (text) => text.concat("const token = 'sms_test_buckwheat_clover_thyme'\n"))
  git('add', 'collector/src/log.ts')
  await type('mappa guard --staged', { expected: 1 })
  edit('collector/src/log.ts', (text) => text.split('const token')[0])
  git('add', 'collector/src/log.ts')

  step('It was committed once, and taken out again. The next one to clone the project has it all the same.')
  writeFileSync(join(cwd, 'notes.md'), 'Alerts: sms_test_buckwheat_clover_thyme\n')
  git('add', '.')
  git(...keeper, 'commit', '-q', '-m', 'Notes')
  rmSync(join(cwd, 'notes.md'))
  git(...keeper, 'commit', '-qam', 'No notes')
  await type('mappa guard', { expected: 1 })

  step(
    'So the key is replaced, which is what counts: nothing here is looked for any longer. (mappa guard --value - asks for the old one, unseen.)',
  )
  writeFileSync(join(cwd, '.env.development.local'), 'ALERT_TOKEN=sms_test_lavender_borage_mint\n')
  await type('mappa guard')

  step('A project that has a .env file and nothing else is set up in one command, and filled in another.')
  const young = join(cwd, 'young')
  mkdirSync(young)
  writeFileSync(join(young, 'package.json'), '{ "type": "module" }\n')
  writeFileSync(
    join(young, '.env'),
    '# Where the scale reports\nSCALE_PORT=4400\nFEED_URL=https://feed.fennelhill.example\nFEED_TOKEN=feed-hollow-oak-brook\n',
  )
  writeFileSync(
    join(young, 'scale.js'),
    'console.log(process.env.SCALE_PORT, process.env.FEED_URL, process.env.SESSION_KEY)\n',
  )
  await type('mappa init --root young')
  await type('mappa init --root young --apply', { into: 'init.txt' })
  writeFileSync(join(young, 'values.json'), '{ "SESSION_KEY": "a-key-of-the-hive" }\n')
  await type('mappa fill --root young --from young/values.json')
  await type('mappa list --root young')
  rmSync(young, { recursive: true })

  step(
    "A host's settings service is one more layer. Nobody waits for ever, and what goes wrong names no address or token.",
  )
  const env = { HOST_SETTINGS_URL: 'http://127.0.0.1:4900/production', HOST_SETTINGS_TOKEN: 'host_live_lavender' }
  const kept = join(cwd, 'host.json')
  cpSync(join(top, 'examples/settings-host/settings.json'), kept)
  const service = start(`node ${join(top, 'examples/settings-host/server.mjs')} 4900 ${kept}`, {
    cwd,
    env: { HOST_TOKEN: env.HOST_SETTINGS_TOKEN },
    write: (text) => (said += text),
  })
  let said = ''
  running.push(service.child)
  await until(() => said.includes('ready'), "the host's settings service did not start; is port 4900 taken?")
  tell('\nHOST_SETTINGS_URL and HOST_SETTINGS_TOKEN are set in the environment.')
  await type('mappa trace LOG_LEVEL --stage production', { env })
  const host = `--host ${env.HOST_SETTINGS_URL} --token-from HOST_SETTINGS_TOKEN`
  await type(`mappa compare production ${host}`, { env, expected: 1 })
  await type('mappa check --stage production', { env: { ...env, HOST_SETTINGS_TOKEN: 'host_live_old' }, expected: 1 })

  step('What the host must have is handed to it: its names are shown first, its values never.')
  const to = `mappa emit --to ${env.HOST_SETTINGS_URL} --token-from HOST_SETTINGS_TOKEN --stage production`
  const own = { HOST_SETTINGS_TOKEN: env.HOST_SETTINGS_TOKEN }
  await type(to, { env: own })
  await type(`${to} --apply`, { env: own })
  await type(`mappa compare production ${host} --values`, { env: own })
  service.child.kill()
  await service.ended
  rmSync(kept)

  step('A branch changes a few things. What has to be done before it is deployed? Ready to be pasted into its review.')
  git('add', '.')
  git(...keeper, 'commit', '-qm', 'As it runs')
  edit('mappa.legend.ts', (text) =>
    text.replace(
      '    STAGE_NOTE: {',
      "    SCALE_KEY: { type: 'string', secret: true, obtain: 'https://wiki.fennelhill.example/scales' },\n    STAGE_NOTE: {",
    ),
  )
  edit('.env.staging', (text) => text.replace('READINGS_KEPT=2000', 'READINGS_KEPT=5000'))
  await type('mappa compare staging production --since HEAD')
  await type('mappa compare production --since HEAD --as markdown')
  git('checkout', '-q', '.')

  step('While a program runs, its layers are watched: it is started again on a change, and never with faults.')
  await watching()

  step(
    'The same code runs in two stages at once: through the command, and by itself, since it settles its settings on import.',
  )
  const development = await serve('mappa with development -- node collector/dist/server.js', {})
  tell('\nOn a host there is no command: a start says itself where its values are from, if it is asked to.')
  const production = await serve('node collector/dist/server.js', { MAPPA_STAGE: 'production', MAPPA_TELL: '1' })

  step('Scales report to both. Each collector has its own port, log level and store.')
  await type('node collector/scale.mjs http://localhost:4100 meadow 41.8 22.5')
  await type('node collector/scale.mjs http://localhost:4100 orchard 38.2 21.9')
  await type('node collector/scale.mjs http://localhost:4300 hilltop 44.1 20.4')
  await type('node collector/hives.mjs http://localhost:4100')
  await type('node collector/hives.mjs http://localhost:4300')
  tell('\nWhat each has logged (development logs from debug on, production from warn on):')
  for (const { stage, log } of [development, production])
    console.log(`  ${stage}: ${log.slice(1).map(levelOf).join(', ') || 'nothing'}`)

  step('Both stop when asked, after closing their stores.')
  for (const { stage, child, ended, log } of [development, production]) {
    child.kill('SIGTERM')
    const code = await ended
    if (code !== 0) throw new Error(`the collector in ${stage} ended with exit code ${code}.`)
    console.log(log.at(-1))
  }
  command('ls data')
  const stores = readdirSync(join(cwd, 'data')).sort()
  console.log(stores.join('\n'))
  if (stores.join() !== 'development.sqlite,production.sqlite')
    throw new Error('each stage must have a store of its own.')
  rmSync(join(cwd, 'data'), { recursive: true })
  step(
    'The dashboard is a page: its values are fixed when it is built. Each stage gets its own, and only what may reach a browser.',
  )
  for (const stage of ['staging', 'production']) {
    await type(`vite build --mode ${stage} --logLevel error`, { folder: 'dashboard' })
    await showBundle(stage)
  }

  step('One value is left to the moment the page is served, so that one build serves both stages.')
  for (const stage of ['staging', 'production']) {
    await type(`mappa stamp dist/index.html --stage ${stage} --in-place`, { folder: 'dashboard' })
    await type('grep -o {.*} dist/index.html', { folder: 'dashboard' })
  }
  await type('mappa guard --bundle dist', { folder: 'dashboard' })

  step('Browser code that asks for a secret is refused, with the way the import took.')
  edit('dashboard/src/readings.ts', (text) => text.replace('{ COLLECTOR_URL', '{ ALERT_TOKEN, COLLECTOR_URL'))
  edit('dashboard/src/readings.ts', (text) =>
    text.replace(
      'fetch(new URL(path, COLLECTOR_URL), {',
      'fetch(new URL(path, COLLECTOR_URL), { headers: { authorization: ALERT_TOKEN },',
    ),
  )
  await type('vite build --mode staging --logLevel error', {
    folder: 'dashboard',
    expected: 1,
    from: /^Stage/,
    to: /Nothing was built/,
  })
  tell('\nThat is the slice. README.md shows how to do the same in a project of your own.')
}

/** What a person does with git meanwhile. */
function git(...args) {
  if (args[0] === 'init') rmSync(join(cwd, '.git'), { recursive: true })
  spawnSync('git', args, { cwd })
}

/** The apiary's first application, with everything still in its code, committed. */
function before() {
  rmSync(cwd, { recursive: true })
  cpSync(join(top, 'examples/before'), cwd, { recursive: true })
  rmSync(join(cwd, 'expected.json'))
  spawnSync('git', ['init', '-q'], { cwd })
  git('add', '-A')
  git(...keeper, 'commit', '-q', '-m', 'The first application')
}

async function lifting() {
  tell('Fennel Hill Apiary began with a server whose addresses, ports and keys were in its code.')
  before()
  step('What in it is a setting or a key? Nothing is written yet.')
  await type('mappa lift', { lines: 24 })
  step('In one step it reads typed settings, and its secrets are out of git.')
  await type('mappa lift --apply', { from: /^Moved/, to: /notice/ })
  await type('git diff --stat')
  await type('cat server/alerts.js', { lines: 14 })
  await type('cat .env', { lines: 6 })

  step('Its stages have values of their own now, so that one template makes the manifests of all.')
  writeFileSync(
    join(cwd, 'deploy.yaml'),
    `apiVersion: apps/v1
kind: Deployment
metadata: { name: collector, labels: { stage: "\${MAPPA_STAGE}" } }
spec:
  selector: { matchLabels: { app: collector } }
  template:
    metadata: { labels: { app: collector } }
    spec:
      containers:
        - name: collector
          image: "images.fennelhill.example/collector:1"
          args: [--scales, "\${GATEWAY_URL}", --answer-to, "The office: \${OFFICE_TO}"]
          ports: [{ containerPort: \${PORT} }]
          envFrom: [{ configMapRef: { name: collector } }, { secretRef: { name: collector } }]
`,
  )
  await type('cat deploy.yaml')
  await type('mappa stamp deploy.yaml --stage staging --out staging.yaml')
  await type('tail -n 5 staging.yaml')
  await type('mappa stamp deploy.yaml --stage production --out production.yaml')
  await type('mappa stamp deploy.yaml --stage production --against staging')
  await type('mappa emit --as cluster --stage production --name collector --no-secrets', { lines: 12 })
  edit('deploy.yaml', (text) => text.replace('--answer-to,', '--mail-key, "${MAIL_API_KEY}", --answer-to,'))
  await type('mappa stamp deploy.yaml --stage production', { expected: 1, lines: 6 })
}

/** Edits a layer of a collector that is being watched: a slip first, then what was meant. */
async function watching() {
  const line = 'mappa with --watch development -- node collector/dist/server.js'
  command(`${line} &`)
  let said = ''
  let shown = 0
  const { child, ended } = start(line, { cwd, write: (text) => (said += text) })
  running.push(child)
  const shows = async (sign) => {
    await until(() => sign.test(said.slice(shown)), `${line} did not say ${sign}.`)
    await wait(100)
    console.log(said.slice(shown).trimEnd())
    shown = said.length
  }
  await shows(/collector started/)
  edit('.env.development', (text) => text.replace('LOG_LEVEL=debug', 'LOG_LEVEL=dbug'))
  await shows(/keeps running\.\n/)
  edit('.env.development', (text) => text.replace('LOG_LEVEL=dbug', 'LOG_LEVEL=info'))
  await shows(/collector started/)
  child.kill('SIGTERM')
  await ended
  edit('.env.development', (text) => text.replace('LOG_LEVEL=info', 'LOG_LEVEL=debug'))
}

async function until(condition, message) {
  for (let tries = 0; !condition(); tries++) {
    if (tries === 200) throw new Error(message)
    await wait(50)
  }
}

function tell(text) {
  console.log(text)
}

function step(heading, sentence) {
  console.log(`\n${bold(`── ${heading}`)}`)
  if (sentence) tell(sentence)
  isBegun = sentence !== undefined
}

function command(line) {
  console.log(`${isBegun ? '' : '\n'}${bold(`$ ${line}`)}`)
  isBegun = false
}

/** Changes a file of the copy. */
function quietly(file, change) {
  writeFileSync(join(cwd, file), change(readFileSync(join(cwd, file), 'utf8')))
}

/** Changes a file of the copy, and shows how. */
function edit(file, change) {
  const path = join(cwd, file)
  const before = readFileSync(path, 'utf8')
  const after = change(before)
  writeFileSync(path, after)
  const [old, fresh] = [before, after].map((text) => text.trimEnd().split('\n'))
  console.log(`${isBegun ? '' : '\n'}${file}`)
  isBegun = false
  for (const line of old.filter((line) => !fresh.includes(line))) console.log(`  - ${masked(line)}`)
  for (const line of fresh.filter((line) => !old.includes(line))) console.log(`  + ${masked(line)}`)
}

function masked(line) {
  return line.replace(/^(ALERT_TOKE?N=).*/, '$1…')
}

async function type(line, { expected = 0, lines = Number.POSITIVE_INFINITY, folder = '.', from, to, env, into } = {}) {
  command((folder === '.' ? line : `cd ${folder} && ${line}`) + (into ? ` > ${into}` : ''))
  let text = ''
  const code = await start(line, { cwd: join(cwd, folder), env, write: (part) => (text += part) }).ended
  if (into) writeFileSync(join(cwd, into), text)
  let shown = into || text.trim() === '' ? [] : text.trimEnd().split('\n')
  // What the bundler says around a message names places of this machine.
  if (from)
    shown = shown.slice(
      shown.findIndex((each) => from.test(each)),
      shown.findIndex((each) => to.test(each)) + 1,
    )
  if (shown.length > 0)
    console.log(shown.length <= lines ? shown.join('\n') : [...shown.slice(0, lines), '…', shown.at(-1)].join('\n'))
  if (code !== 0 || expected !== 0) console.log(`(exit code ${code})`)
  if (code !== expected) throw new Error(`${line} should have ended with exit code ${expected}.`)
}

/** Says which of a stage's values are in the bundle that was just built, and makes sure that no other is. */
async function showBundle(stage) {
  const assets = join(cwd, 'dashboard/dist/assets')
  const texts = readdirSync(assets).map((name) => readFileSync(join(assets, name), 'utf8'))
  const bundle = texts.join('\n')
  let json = ''
  const print = 'process.stdout.write(JSON.stringify(process.env))'
  await start(`mappa with ${stage} -- node -e ${print}`, { cwd, write: (part) => (json += part) }).ended
  const values = JSON.parse(json)
  const browser = ['COLLECTOR_URL', 'TILE_KEY', 'SWARM_DROP_KG']
  console.log(`The bundle for ${stage} holds:`)
  for (const name of browser) {
    if (!bundle.includes(values[name])) throw new Error(`the bundle lacks ${name}.`)
    console.log(`  ${name}: ${values[name]}`)
  }
  const server = [
    'STAGE_NOTE',
    'ALERT_GATEWAY',
    'ALERT_TOKEN',
    'ALLOWED_ORIGINS',
    'COLLECTOR_HOST',
    'COLLECTOR_PORT',
    'STORE_FILE',
  ]
  const leaked = server.filter((name) => bundle.includes(values[name]))
  if (leaked.length > 0) throw new Error(`the bundle holds ${leaked.join(', ')}.`)
  console.log(`and no value of ${server.join(', ')}.`)
}

async function serve(line, env, isShort = false) {
  const named = Object.entries(env).map(([name, value]) => `${name}=${value} `)
  command(`${named.join('')}${line} &`)
  const log = []
  const { child, ended } = start(line, { cwd, env, write: (text) => log.push(...text.trimEnd().split('\n')) })
  running.push(child)
  const at = () => log.findIndex((each) => each.includes('collector started'))
  await until(() => at() >= 0 || child.exitCode !== null, 'the collector says nothing.')
  console.log(isShort ? shortLine(log[at()] ?? '{}') : log.join('\n'))
  log.splice(0, at())
  if (!log[0]?.includes('collector started')) throw new Error('the collector did not start; is its port taken?')
  return { stage: JSON.parse(log[0]).stage, child, ended, log }
}

/** Of a start what differs between stages. */
function shortLine(line) {
  const { message, stage, port, settings } = JSON.parse(line)
  return `${message}: stage ${stage}, port ${port}, log level ${settings?.logLevel}, token ${settings?.alert.token}`
}

function levelOf(line) {
  const { level, message } = JSON.parse(line)
  return `${level} ${message}`
}
