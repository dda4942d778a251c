// Speed as ratios of two things measured in turn in the same run, so that a slow or busy machine changes both alike.
// Medians of alternating runs; processor time beside wall time. Only `npm run bench` runs this: no test is timed.
import { execSync, spawnSync } from 'node:child_process'
import { createHash } from 'node:crypto'
import { existsSync, mkdirSync, readdirSync, readFileSync, rmSync, symlinkSync, writeFileSync } from 'node:fs'
import { availableParallelism } from 'node:os'
import { join } from 'node:path'
import { gzipSync } from 'node:zlib'
import { buildSync } from 'esbuild'
import { layerFromText, layerFromValues, legend, surveyLayers } from 'mappa'
import { leaksIn, settle } from 'mappa/node'
import { prefix, startFleet } from '../examples/fleet/run.mjs'
import { hasStore } from '../examples/fleet/store.mjs'
import { growth as commandGrowth } from './growth.mjs'
import { top } from './prepare.mjs'
import { environment, scratch } from './stage.mjs'

const startRuns = 61
const readRuns = 25
const pairRuns = 15
/** What two cores may take, of the time that each of them needs for a half. */
const coresMost = 1.3

console.log(`Node ${process.versions.node}, ${process.platform} ${process.arch}\n`)
startUp()
standingIn()
witnessing()
await reading()
settling()
validating()
await finding()
await building()
await changing()
searching()
await history()
commands()
await fleets()
// Last, since it leaves a large heap behind, which the others would have to collect.
growth()
memory()
size()

function startUp() {
  const root = startUpProject()
  // Installed as mappa is, so that what Node does to find a package is on both sides.
  const empty = ['--import', 'empty/preload', 'app.mjs']
  const preloaded = ['--import', 'mappa/preload', 'app.mjs']
  const rows = [
    ['JSON legend', 'json', 1.1],
    // Node's own way of loading a module is in it, which the program needs anyhow if it imports its legend.
    ['JavaScript legend', 'js', 1.15],
    ['TypeScript legend', 'ts', 1.15],
    ['no legend', 'none', undefined],
  ]
  // It is compiled once, by whichever command comes first.
  spawnSync(process.execPath, [join(top, 'packages/cli/bin/mappa.js'), 'check'], {
    cwd: join(root, 'ts'),
    env: environment(),
  })
  console.log('Start-up with mappa/preload (60 variables, four layers) against an empty module of a package')
  // What Node does beside lies on both sides, and makes the ratio smaller.
  if (process.env.NODE_EXTRA_CA_CERTS)
    console.log(
      '  (NODE_EXTRA_CA_CERTS is set here: each start of some versions of Node reads certificates, on both sides)',
    )
  for (const [what, folder, limit] of rows) {
    const cwd = join(root, folder)
    const [mine, base] = alternate(
      startRuns,
      () => runNode(preloaded, cwd),
      () => runNode(empty, cwd),
    )
    report(what, mine, base, limit === undefined ? undefined : { most: limit })
  }
  rmSync(root, { recursive: true, force: true })
}

/** `mappa with` is in front of programs all day: against a bare program that starts the same child and waits for it. */
function standingIn() {
  const root = startUpProject()
  const bare = join(root, 'bare.mjs')
  writeFileSync(
    bare,
    `import { spawn } from 'node:child_process'
const [program, ...args] = process.argv.slice(2)
spawn(program, args, { stdio: 'inherit' }).once('exit', (code) => { process.exitCode = code })`,
  )
  const mappa = join(top, 'packages/cli/bin/mappa.js')
  const child = [process.execPath, '-e', '0']
  console.log('\nmappa with (second run) against a bare Node program that starts the same child')
  for (const [what, folder] of [
    ['JSON legend', 'json'],
    ['JavaScript legend', 'js'],
    ['TypeScript legend', 'ts'],
  ]) {
    const cwd = join(root, folder)
    const [mine, base] = alternate(
      startRuns,
      () => runShell([mappa, 'with', '--', ...child], cwd),
      () => runShell([bare, ...child], cwd),
    )
    report(what, mine, base, { most: 1.3 })
  }
  rmSync(root, { recursive: true, force: true })
}

/** What being watched costs a program: its start, and a read that it does again and again. */
function witnessing() {
  const root = startUpProject()
  const folder = join(root, 'witness')
  mkdirSync(folder)
  const observer = join(top, 'packages/cli/dist/observer.cjs')
  const names = Array.from({ length: 60 }, (_, at) => `HIVE_${at}_SETTING`)
  const asked = {
    key: 'ab'.repeat(16),
    plain: names.slice(0, 50),
    secret: names.slice(50),
    ours: `--require ${observer}`,
  }
  writeFileSync(join(folder, 'asked.json'), JSON.stringify(asked))
  const watched = { NODE_OPTIONS: asked.ours, MAPPA_WITNESS: folder }
  const cwd = join(root, 'json')
  const told = 'const { user, system } = process.cpuUsage()\nprocess.stdout.write(String((user + system) / 1000))\n'
  const read = `let length = 0\nfor (const name of ${JSON.stringify(names)}) length += process.env[name].length\n${told}`
  writeFileSync(join(cwd, 'reads.mjs'), read)
  writeFileSync(
    join(cwd, 'settings.mjs'),
    `import { settle } from 'mappa/node'\nimport { readFileSync } from 'node:fs'\nimport { legendFromJsonSchema } from 'mappa'\nconst settings = settle(legendFromJsonSchema(JSON.parse(readFileSync('mappa.legend.json', 'utf8'))))\nlet length = 0\nfor (const name of ${JSON.stringify(names)}) length += String(settings[name]).length\n${told}`,
  )
  console.log('\nA program with 60 variables that is watched, against the same one that is not')
  for (const [what, args] of [
    ['with mappa/preload', ['--import', 'mappa/preload', 'reads.mjs']],
    ['with settle', ['settings.mjs']],
  ]) {
    const [mine, base] = alternate(
      startRuns,
      () => runNode(args, cwd, watched),
      () => runNode(args, cwd),
    )
    report(what, mine, base, { most: 1.1 })
  }
  const loop = `let length = 0
const name = 'HIVE_0_SETTING'
const once = (count) => { for (let at = 0; at < count; at++) length += process.env[name].length }
once(100_000)
const before = performance.now()
once(1_000_000)
process.stdout.write(String(performance.now() - before))`
  writeFileSync(join(cwd, 'loop.mjs'), loop)
  const own = (env) =>
    Number(
      spawnSync(process.execPath, ['loop.mjs'], { cwd, env: { ...environment(), HIVE_0_SETTING: '4100', ...env } })
        .stdout,
    )
  const times = Array.from({ length: pairRuns }, () => [own(watched), own({})])
  const [mine, base] = [0, 1].map((at) => times.map((pair) => pair[at]).sort((a, b) => a - b)[Math.floor(pairRuns / 2)])
  console.log(
    `  a read in a loop: ${mine.toFixed(0)} ns watched, ${base.toFixed(0)} ns not: ${(mine - base).toFixed(0)} ns more`,
  )
  rmSync(root, { recursive: true, force: true })
}

/** Of Node and what it starts: wall time, and the processor time that the shell counts. In milliseconds. */
function runShell(args, cwd) {
  const command = [process.execPath, ...args].map((arg) => `'${arg}'`).join(' ')
  const before = performance.now()
  const { status, stdout, stderr } = spawnSync('bash', ['-c', `${command} && times`], {
    cwd,
    env: environment(),
    encoding: 'utf8',
  })
  const wall = performance.now() - before
  if (status !== 0) throw new Error(stderr)
  const times = [
    ...stdout
      .trim()
      .split('\n')
      .at(-1)
      .matchAll(/(\d+)m([\d.]+)s/g),
  ]
  return { wall, cpu: times.reduce((sum, [, minutes, seconds]) => sum + minutes * 60_000 + seconds * 1000, 0) }
}

/** How long it takes until all of a fleet have a new value: a second is what is promised. */
async function fleets() {
  if (!hasStore) {
    console.log('\nA fleet: etcd is not installed, so that nothing was measured.')
    return
  }
  const [count, most] = [50, 1000]
  const fleet = await startFleet(count)
  try {
    const times = []
    for (let seconds = 11; seconds < 21; seconds++) {
      const has = ({ kind, pause }) => kind === 'has' && pause === seconds * 1000
      times.push(...(await fleet.measure(() => fleet.store.put(`${prefix}SCALE_PAUSE`, `${seconds}s`), has)))
    }
    const worst = Math.max(...times)
    const isHeld = times.length === count * 10 && worst <= most
    console.log(`\nA value in a store until it is in each of ${count} processes, ten times`)
    console.log(
      `  median ${median(times).toFixed(0)} ms, worst ${worst.toFixed(0)} ms  limit ≤ ${most} ms${isHeld ? '' : '  NOT HELD'}`,
    )
    if (!isHeld) process.exitCode = 1
  } finally {
    await fleet.end()
  }
}

function startUpProject() {
  const root = join(scratch, 'bench')
  rmSync(root, { recursive: true, force: true })
  const names = Array.from({ length: 60 }, (_, at) => `HIVE_${at}_SETTING`)
  const kinds = [
    [{ type: 'string', minLength: 1 }, 'two words'],
    [{ type: 'integer', minimum: 0 }, '42'],
    [{ type: 'boolean' }, 'true'],
    [{ type: 'integer', maximum: 65535 }, '4100'],
  ]
  const properties = Object.fromEntries(names.map((name, at) => [name, kinds[at % 4][0]]))
  const emptyPackage = join(root, 'packages/empty')
  mkdirSync(join(emptyPackage, 'dist'), { recursive: true })
  const description = JSON.parse(readFileSync(join(top, 'packages/mappa/package.json'), 'utf8'))
  writeFileSync(join(emptyPackage, 'package.json'), JSON.stringify({ ...description, name: 'empty' }))
  writeFileSync(join(emptyPackage, 'dist/preload.mjs'), '')
  const legends = {
    json: ['mappa.legend.json', JSON.stringify({ type: 'object', properties, required: names })],
    js: [
      'mappa.legend.mjs',
      `import { legend } from 'mappa/legend'\nexport default legend(${JSON.stringify(properties)})`,
    ],
    ts: [
      'mappa.legend.ts',
      `import { legend } from 'mappa/legend'\nexport default legend(${JSON.stringify(properties)})`,
    ],
    none: ['package.json', '{}'],
  }
  for (const [folder, [file, text]] of Object.entries(legends)) {
    const cwd = join(root, folder)
    mkdirSync(join(cwd, '.git'), { recursive: true })
    mkdirSync(join(cwd, 'node_modules'))
    symlinkSync(join(top, 'packages/mappa'), join(cwd, 'node_modules/mappa'), 'dir')
    symlinkSync(emptyPackage, join(cwd, 'node_modules/empty'), 'dir')
    writeFileSync(join(cwd, file), text)
    writeFileSync(
      join(cwd, 'app.mjs'),
      'const { user, system } = process.cpuUsage(); process.stdout.write(String((user + system) / 1000))',
    )
    for (const [at, layer] of ['.env', '.env.development', '.env.local', '.env.development.local'].entries()) {
      const lines = names.flatMap((name, number) => (number % 2 ** at === 0 ? [`${name}=${kinds[number % 4][1]}`] : []))
      writeFileSync(join(cwd, layer), `${lines.join('\n')}\n`)
    }
  }
  return root
}

/** Wall time of the whole process, and the processor time that it reports of itself. In milliseconds. */
function runNode(args, cwd, more = {}) {
  const before = performance.now()
  const env = { ...environment(), ...more }
  const { status, stdout, stderr } = spawnSync(process.execPath, args, { cwd, env, encoding: 'utf8' })
  const wall = performance.now() - before
  if (status !== 0) throw new Error(stderr)
  return { wall, cpu: Number(stdout) }
}

async function reading() {
  const pairs = {}
  let text = ''
  for (let at = 0; text.length < 10_000_000; at++) {
    const [name, value] = [`HIVE_${at}_READINGS_URL`, `https://collector.fennelhill.example/hives/${at}`]
    pairs[name] = value
    text += `${name}=${value}\n`
  }
  // Joined text is a tree of pieces until it is first read; a file's text is flat.
  text = Buffer.from(text).toString()
  const json = JSON.stringify(pairs)
  let seen = 0
  // What every layer is read by, without what else is asked of one.
  const room = join(scratch, 'bench-values.mjs')
  buildSync({
    entryPoints: [join(top, 'packages/mappa/src/format/values.ts')],
    bundle: true,
    format: 'esm',
    outfile: room,
  })
  const { readValues } = await import(room)
  const read = () => {
    const values = readValues(text)
    values.each((name, value) => {
      seen += name.length + value.length
    })
    // JSON.parse gives something to look names up in, so that is made here too.
    if (values.get('HIVE_7_READINGS_URL') === undefined) throw new Error('a name was not read')
  }
  const parse = () => {
    seen += JSON.parse(json).HIVE_7_READINGS_URL.length
  }
  for (let warm = 0; warm < 3; warm++) {
    read()
    parse()
  }
  const [mine, base] = alternate(
    readRuns,
    () => timed(read),
    () => timed(parse),
  )
  console.log(
    `\nNames and values of a layer text of 10 MB (${Object.keys(pairs).length} lines) against JSON.parse of the same pairs`,
  )
  report('speed of reading', base, mine, { least: 1 })
  if (seen === 0) throw new Error('nothing was read')
}

/** Six layer files that set each of 1,000 variables, as a package and its repository's top may have them. */
function layersProject() {
  const root = join(scratch, 'bench-layers')
  rmSync(root, { recursive: true, force: true })
  const cwd = join(root, 'package')
  mkdirSync(join(root, '.git'), { recursive: true })
  mkdirSync(cwd)
  const names = Array.from({ length: 1000 }, (_, at) => `HIVE_${at}_URL`)
  const files = [
    ...['.env', '.env.staging'].map((name) => join(root, name)),
    ...['.env', '.env.staging', '.env.local', '.env.staging.local'].map((name) => join(cwd, name)),
  ]
  for (const [at, file] of files.entries())
    writeFileSync(file, names.map((name) => `${name}=https://collector.fennelhill.example/hives/${at}\n`).join(''))
  const entries = Object.fromEntries(names.map((name) => [name, { type: 'string', minLength: 1 }]))
  return { root, cwd, files, names, definition: legend(entries, { topLayers: true }) }
}

function settling() {
  const { root, cwd, files, definition } = layersProject()
  const options = { root: cwd, stage: 'staging', environment: {} }
  const settleAll = () => {
    if (settle(definition, options).HIVE_7_URL === '') throw new Error('a value was not read')
  }
  // The least that any reader does.
  const split = () => {
    for (const file of files) if (readFileSync(file, 'utf8').split('\n').length === 0) throw new Error('nothing there')
  }
  for (let warm = 0; warm < 200; warm++) {
    settleAll()
    split()
  }
  // One run takes a millisecond or so, which is less than processor time is counted in.
  const many = (work) => () => timed(() => Array.from({ length: 20 }, work))
  const [mine, base] = alternate(readRuns, many(settleAll), many(split))
  console.log('\nSettling 1,000 variables over six layer files against reading those files and splitting their lines')
  report('warm, 20 times', mine, base, { most: 5 })
  cold(cwd, files)
  rmSync(root, { recursive: true, force: true })
}

/** Values that are given, read through a legend of every kind, against a loop that converts them and checks nothing. */
function validating() {
  const kinds = [
    [{ type: 'port' }, '4100'],
    [{ type: 'boolean' }, 'true'],
    [{ type: 'number', minimum: 0, maximum: 10 }, '1.5'],
    [{ type: 'string', minLength: 3 }, 'meadow'],
    [{ type: 'string', enum: ['debug', 'info', 'warn'] }, 'info'],
  ]
  const all = Array.from({ length: 1000 }, (_, at) => [`HIVE_${at}`, ...kinds[at % kinds.length]])
  const definition = legend(Object.fromEntries(all.map(([name, entry]) => [name, entry])))
  const texts = Object.fromEntries(all.map(([name, , text]) => [name, text]))
  const layers = [layerFromValues('given', texts)]
  const mine = () => {
    if (surveyLayers(definition, { stage: 'test', layers }).settings.HIVE_0 !== 4100)
      throw new Error('a value was not read')
  }
  const base = () => {
    const settings = {}
    for (const [name, { type }] of all) {
      const text = texts[name]
      settings[name] = type === 'boolean' ? text === 'true' : type === 'string' ? text : Number(text)
    }
    if (settings.HIVE_0 !== 4100) throw new Error('a value was not read')
  }
  for (let warm = 0; warm < 500; warm++) {
    mine()
    base()
  }
  const many = (work) => () => timed(() => Array.from({ length: 100 }, work))
  const [own, loop] = alternate(readRuns, many(mine), many(base))
  console.log('\nValidating 1,000 given variables against a loop that only converts with Number and ===')
  report('warm, 100 times', own, loop, { most: 5 })
}

/** The first time, in processes of their own: nothing is compiled yet, and the legend must be checked. */
function cold(cwd, files) {
  const lead = `import { readFileSync } from 'node:fs'; import { legend } from 'mappa'; import { leaksIn, settle } from 'mappa/node'
    const entries = Object.fromEntries(Array.from({ length: 1000 }, (_, at) => ['HIVE_' + at + '_URL', { type: 'string', minLength: 1 }]))
    const definition = legend(entries, { topLayers: true }); const before = performance.now();`
  const works = [
    `settle(definition, { root: ${JSON.stringify(cwd)}, stage: 'staging', environment: {} })`,
    `for (const file of ${JSON.stringify(files)}) readFileSync(file, 'utf8').split('\\n')`,
  ]
  const [mine, base] = works.map((work) => {
    const script = `${lead}${work}; console.log(performance.now() - before)`
    const runs = Array.from({ length: 7 }, () =>
      Number(
        spawnSync(process.execPath, ['--input-type=module', '-e', script], { cwd: top, env: environment() }).stdout,
      ),
    )
    return median(runs)
  })
  console.log(
    `  the first time     ${(mine / base).toFixed(1)} × wall time  (medians ${mine.toFixed(1)} ms and ${base.toFixed(1)} ms)`,
  )
}

/** What hostile text costs at one, two and four times the size: 2 for linear time, and the last one is the largest a file may be. */
function growth() {
  console.log('\nCommands over 1/8, 1/4 and 1/2 MiB of one token: milliseconds, and how they grow')
  const steep = commandGrowth('', [1 / 8, 1 / 4, 1 / 2])
  console.log(steep.length === 0 ? '  All grow with what they read.' : `  NOT HELD: ${steep.join(', ')}`)
  const mib = 1024 * 1024
  const texts = {
    'opening quotes': (size) => "A='\n".repeat(size / 4),
    'a line of quotes': (size) => `A=${'"'.repeat(size - 2)}`,
    'opening expansions': (size) => `A=${'${'.repeat(size / 2 - 1)}`,
    'expansions in turn': (size) => `A=\n${'A=${A}\n'.repeat(size / 7)}`,
    'one line': (size) => `A=${'x'.repeat(size - 2)}`,
    'dollar signs': (size) => `A=${'$a '.repeat(size / 3 - 1)}`,
    'many tiny lines': (size) =>
      Array.from({ length: size / 8 }, (_, at) => `A${at.toString(36).padStart(5, '0')}=`).join('\n'),
  }
  console.log('\nReading, with faults and notices, of 2, 4 and 8 MiB of: milliseconds, and how they grow')
  for (const [what, make] of Object.entries(texts)) {
    const times = [2, 4, 8].map((size) => {
      const text = Buffer.from(make(size * mib)).toString()
      const runs = Array.from({ length: 3 }, () =>
        timed(() => {
          const found = surveyLayers(undefined, { stage: 'test', layers: [layerFromText('.env', text)] })
          if (found.faults.length + found.notices.length < 0) throw new Error('never')
        }),
      )
      // The least: what comes on top is the machine's own.
      return Math.min(...runs.map(({ wall }) => wall))
    })
    const grows = [1, 2].map((at) => `${(times[at] / times[at - 1]).toFixed(1)} ×`)
    console.log(
      `  ${what.padEnd(20)} ${times.map((time) => time.toFixed(0).padStart(6)).join('')}   ${grows.join(', ')}`,
    )
  }
}

/** A page of many modules, built and served with the plugin and with a stand-in that gives the same values and asks nothing. */
async function building() {
  const vite = await import('vite')
  const { mappa } = await import('@mappa/build/vite')
  const root = join(scratch, 'bench-page')
  const values = Array.from({ length: 20 }, (_, at) => `value-${at}-of-the-page`)
  makePage(root, values)
  const stub = {
    name: 'stand-in',
    resolveId: { filter: { id: /^virtual:mappa\/settings$/ }, handler: () => '\0stand-in' },
    load: {
      filter: { id: /^\0stand-in$/ },
      handler: () => values.map((value, at) => `export const PAGE_${at} = '${value}'`).join('\n'),
    },
  }
  const common = { root, configFile: false, logLevel: 'silent' }
  const waited = async (work) => {
    const before = performance.now()
    await work()
    return performance.now() - before
  }
  const built = (plugin, sourcemap) => () =>
    vite.build({ ...common, plugins: [plugin()], build: { write: false, minify: false, sourcemap } })
  const served = (plugin) => async () => {
    const server = await vite.createServer({ ...common, plugins: [plugin()], server: { port: 0, watch: null } })
    await server.listen()
    await server.close()
  }
  console.log(
    '\nA page of 2,000 modules, of which 500 take settings and 375 read import.meta.env, with the plugin against without',
  )
  for (const [what, make, most] of [
    ['building', (plugin) => built(plugin, false), 1.05],
    ['with source maps', (plugin) => built(plugin, true), 1.05],
    ['starting to serve', served, 1.3],
  ]) {
    const [bare, ours] = [make(() => stub), make(mappa)]
    await ours()
    const rounds = []
    for (let round = 0; round < pairRuns; round++)
      rounds.push([await waited(bare), await waited(ours), await waited(bare)])
    const ratio = median(rounds.map(([one, own]) => own / one))
    const itself = median(rounds.map(([one, , other]) => other / one))
    // What a second run without it takes is what the machine alone makes of one.
    const held = ratio <= most * Math.max(itself, 1) ? '' : '  NOT HELD'
    console.log(
      `  ${what.padEnd(18)} ${ratio.toFixed(2)} × wall time  (a second run without it ${itself.toFixed(2)} ×)  limit ≤ ${most.toFixed(2)}${held}`,
    )
    if (held) process.exitCode = 1
  }
  rmSync(root, { recursive: true, force: true })
}

/** From the moment in which a file is written to the page that shows it: a layer, and a module that Vite follows by itself. */
async function changing() {
  if (!existsSync('/usr/bin/chromium')) return
  const vite = await import('vite')
  const { mappa } = await import('@mappa/build/vite')
  const { chromium } = await import('playwright-core')
  const root = join(scratch, 'bench-change')
  makePage(root, ['value-of-the-page'])
  const write = (path, text) => writeFileSync(join(root, path), text)
  write('index.html', '<script type="module" src="/main.js"></script>')
  write(
    'main.js',
    "import { PAGE_0 } from 'virtual:mappa/settings'\nimport { own } from './own.js'\ndocument.title = PAGE_0 + own\n",
  )
  write('own.js', "export const own = 'own'\n")
  const server = await vite.createServer({
    root,
    configFile: false,
    logLevel: 'silent',
    plugins: [mappa()],
    server: { port: 0 },
  })
  await server.listen()
  const browser = await chromium.launch({ executablePath: '/usr/bin/chromium', args: ['--no-sandbox'] })
  try {
    const page = await browser.newPage()
    await page.goto(server.resolvedUrls.local[0])
    let count = 0
    const shown = async (path, text) => {
      const value = `change-${count++}`
      // What watches files tells one change of a file in a tenth of a second.
      await new Promise((resolve) => setTimeout(resolve, 300))
      const before = performance.now()
      write(path, text(value))
      await page.waitForFunction((title) => document.title.includes(title), value, { polling: 5 })
      return performance.now() - before
    }
    const layer = () => shown('.env', (value) => `PAGE_0=${value}\n`)
    const module = () => shown('own.js', (value) => `export const own = '${value}'\n`)
    await layer()
    await module()
    const [own, base] = [[], []]
    for (let round = 0; round < pairRuns; round++) {
      base.push(await module())
      own.push(await layer())
    }
    console.log('\nFrom a file that is written to the page that shows it, a layer against a module')
    const [ratio, most] = [median(own) / median(base), 1.5]
    const held = ratio <= most ? '' : '  NOT HELD'
    console.log(
      `  an edited layer    ${ratio.toFixed(2)} × wall time  (${median(own).toFixed(0)} ms)  limit ≤ ${most.toFixed(2)}${held}`,
    )
    if (held) process.exitCode = 1
  } finally {
    await browser.close()
    await server.close()
    rmSync(root, { recursive: true, force: true })
  }
}

/** What was built, searched for many secrets in all their spellings, against a search for their texts alone. */
function searching() {
  const root = join(scratch, 'bench-search')
  const folder = join(root, 'dist')
  rmSync(root, { recursive: true, force: true })
  mkdirSync(folder, { recursive: true })
  const source = readFileSync(join(top, 'node_modules/typescript-5.9/lib/typescript.js'), 'utf8')
  const size = 1_000_000
  for (let at = 0; at < 200; at++) {
    const start = (at * 7_919_777) % (source.length - size)
    writeFileSync(join(folder, `${at}.js`), source.slice(start, start + size))
  }
  const form = (at) => (at % 2 ? 'hex' : 'base64url')
  const values = Array.from({ length: 200 }, (_, at) =>
    createHash('sha512')
      .update(`hive ${at}`)
      .digest(form(at))
      .slice(0, 24 + (at % 12)),
  )
  writeFileSync(join(root, 'values'), `${values.join('\n')}\n`)
  const entries = Object.fromEntries(values.map((_, at) => [`KEY_${at}`, { type: 'string', secret: true }]))
  const texts = Object.fromEntries(values.map((value, at) => [`KEY_${at}`, value]))
  const found = surveyLayers(
    { entries, stages: [] },
    { stage: 'production', layers: [layerFromValues('given', texts)] },
  )
  writeFileSync(
    join(folder, 'slip.css'),
    `a { background: url(data:text/plain;base64,${Buffer.from(`x${values[7]}`).toString('base64')}) }`,
  )
  const own = () => {
    const before = performance.now()
    const names = leaksIn(folder, found).map(({ name }) => name)
    if (names.join() !== 'KEY_7') throw new Error(`The search found ${names.join() || 'nothing'}.`)
    return { wall: performance.now() - before, cpu: 0 }
  }
  const grep = () => {
    const before = performance.now()
    spawnSync('grep', ['-rFf', join(root, 'values'), folder], { env: { ...process.env, LC_ALL: 'C' } })
    return { wall: performance.now() - before, cpu: 0 }
  }
  own()
  console.log(
    '\nSearching 200 MB of what was built for 200 secrets, in all spellings, against grep -rFf for their texts',
  )
  const [mine, base] = alternate(7, own, grep)
  const [ratio, most] = [median(mine.map(({ wall }) => wall)) / median(base.map(({ wall }) => wall)), 0.5]
  const held = ratio <= most ? '' : '  NOT HELD'
  console.log(`  the leak search    ${ratio.toFixed(2)} × wall time  limit ≤ ${most.toFixed(2)}${held}`)
  if (held) process.exitCode = 1
  rmSync(root, { recursive: true, force: true })
}

/** What 5,000 commits have added, searched for secrets and for what looks like a key, against git's telling it alone. */
async function history() {
  const root = join(scratch, 'bench-history')
  const repository = join(root, 'hives')
  rmSync(root, { recursive: true, force: true })
  mkdirSync(repository, { recursive: true })
  makeHistory(repository, 5000)
  const room = join(root, 'searched.mjs')
  buildSync({
    stdin: {
      contents:
        "export { heldInHistory } from './commands/guard/searched.ts'\nexport { secretsOf } from './commands/guard/known-secrets.ts'",
      resolveDir: join(top, 'packages/cli/src'),
    },
    bundle: true,
    format: 'esm',
    platform: 'node',
    packages: 'external',
    outfile: room,
  })
  const { heldInHistory, secretsOf } = await import(room)
  const names = Array.from({ length: 20 }, (_, at) => `KEY_${at}`)
  const entries = Object.fromEntries(names.map((name) => [name, { type: 'string', secret: true }]))
  const values = Object.fromEntries(
    names.map((name) => [name, createHash('sha256').update(name).digest('base64url').slice(0, 32)]),
  )
  const secrets = secretsOf({ entries, stages: [] }, [layerFromValues('given', values)])
  const waited = async (work) => {
    const before = performance.now()
    await work()
    return performance.now() - before
  }
  const own = async () => {
    const found = await heldInHistory(repository, secrets, undefined, () => {})
    if (found.length !== 1) throw new Error(`The search found ${found.length} texts, not one.`)
  }
  const log = () =>
    spawnSync('git', ['log', '-p', '--all'], {
      cwd: repository,
      env: { ...process.env, LC_ALL: 'C' },
      maxBuffer: 1e9,
    })
  const rounds = []
  await own()
  for (let round = 0; round < 7; round++) rounds.push([await waited(own), await waited(log)])
  const [ratio, most] = [median(rounds.map(([mine, base]) => mine / base)), 0.7]
  const held = ratio <= most ? '' : '  NOT HELD'
  console.log('\nSearching a history of 5,000 commits, against git log -p --all')
  console.log(
    `  guard              ${ratio.toFixed(2)} × wall time  (${median(rounds.map(([mine]) => mine)).toFixed(0)} ms)  limit ≤ ${most.toFixed(2)}${held}`,
  )
  if (held) process.exitCode = 1
  rmSync(root, { recursive: true, force: true })
}

/** Commits that each change some lines of some of 400 files; one of them adds a key, and the next one takes it away. */
function makeHistory(repository, commits) {
  const source = readFileSync(join(top, 'node_modules/typescript-5.9/lib/typescript.js'), 'utf8').split('\n')
  let seed = 7
  const random = (most) => {
    seed = (seed * 1_103_515_245 + 12_345) & 0x7fffffff
    return seed % most
  }
  const files = Array.from({ length: 400 }, () => {
    const start = random(source.length - 400)
    return source.slice(start, start + 60 + random(300))
  })
  const parts = []
  for (let commit = 0; commit < commits; commit++) {
    const time = 1_700_000_000 + commit * 600
    parts.push(`commit refs/heads/main\ncommitter Rosa <rosa@fennelhill.example> ${time} +0000\ndata 6\nChange\n`)
    const count = commit === 0 ? files.length : 1 + random(3)
    for (let at = 0; at < count; at++) {
      const number = commit === 0 ? at : random(files.length)
      const lines = files[number]
      const near = random(lines.length)
      for (let step = 0; step < 4; step++) {
        const from = random(source.length - 10)
        lines.splice(Math.min(near + random(20), lines.length), 1, ...source.slice(from, from + 2))
      }
      if (lines.length > 500) lines.length = 400
      const text = `${lines.join('\n')}\n`
      parts.push(`M 100644 inline src/room${number % 20}/file${number}.js\ndata ${Buffer.byteLength(text)}\n${text}\n`)
    }
    const key = "const apiKey = 'kq9v7Xw2Lm4Rt8Zp6Nc3'\n"
    if (commit === 2000) parts.push(`M 100644 inline key.js\ndata ${key.length}\n${key}\n`)
    if (commit === 2001) parts.push('D key.js\n')
  }
  spawnSync('git', ['init', '-q', '-b', 'main'], { cwd: repository })
  spawnSync('git', ['fast-import', '--quiet'], { cwd: repository, input: parts.join(''), maxBuffer: 1e9 })
}

function makePage(root, values) {
  rmSync(root, { recursive: true, force: true })
  mkdirSync(join(root, 'src/hives'), { recursive: true })
  mkdirSync(join(root, 'node_modules'))
  symlinkSync(join(top, 'packages/mappa'), join(root, 'node_modules/mappa'), 'dir')
  const write = (path, text) => writeFileSync(join(root, path), text)
  const entries = values.map(
    (_, at) =>
      `  PAGE_${at}: { type: 'string', reach: 'browser' },\n  SERVER_${at}: { type: 'string', optional: true },`,
  )
  write(
    'mappa.legend.ts',
    `import { legend } from 'mappa/legend'\nexport default legend({\n${entries.join('\n')}\n})\n`,
  )
  for (const layer of ['.env', '.env.production'])
    write(layer, values.map((value, at) => `PAGE_${at}=${value}\n`).join(''))
  write('package.json', '{ "name": "hives", "type": "module" }')
  write('index.html', '<script type="module" src="/src/main.js"></script>')
  write(
    'src/use.js',
    'export const use = (hive) => { globalThis.all = (globalThis.all ?? 0) + Object.values(hive).length }',
  )
  const imports = Array.from({ length: 2000 }, (_, at) => {
    const settings =
      at % 4 === 0 ? `import { PAGE_${at % 20} as own } from 'virtual:mappa/settings'\nexport const taken = own\n` : ''
    const env = at % 16 < 3 ? `export const read = import.meta.env.PAGE_${at % 20} + import.meta.env.MODE\n` : ''
    const code = Array.from(
      { length: 12 },
      (_, line) =>
        `export function weigh${line}(a, b) { return [a, b, ${line}].map((each) => each * ${at}).filter((each) => each > ${line}).length }\n`,
    )
    write(`src/hives/hive-${at}.js`, settings + env + code.join(''))
    return `import * as hive${at} from './hives/hive-${at}.js'\nuse(hive${at})\n`
  })
  write('src/main.js', `import { use } from './use.js'\n${imports.join('')}`)
}

/** Finding settings in what is installed, against parsing the same files to trees. */
async function finding() {
  const { findIn, parseFile } = await import('./lift/room.mjs')
  const folders = ['commander', 'esbuild', 'hono', 'magic-string', 'fast-check', '@babel/parser', 'diff']
  const files = folders.flatMap((folder) =>
    readdirSync(join(top, 'node_modules', folder), { recursive: true, encoding: 'utf8' })
      .filter((path) => /\.[cm]?js$/.test(path) && !/(?:^|\/)tests?\//.test(path))
      .map((path) => ({
        path: `${folder}/${path}`,
        text: readFileSync(join(top, 'node_modules', folder, path), 'utf8'),
      })),
  )
  const [mine, base] = alternate(
    7,
    () => timed(() => findIn(files, [])),
    () => timed(() => files.map(parseFile).length),
  )
  const size = files.reduce((sum, { text }) => sum + text.length, 0) / 1024 / 1024
  console.log(
    `\nFinding settings in ${files.length} files of installed code (${size.toFixed(1)} MiB) against parsing them to trees`,
  )
  report('finding', mine, base, { most: 1.5 })
  findingMemory(folders)
  findingGrowth(findIn)
  cores(files)
}

/** How the time grows with twice as many of what a hostile or a made file may hold. */
function findingGrowth(findIn) {
  const many = (count, text) => Array.from({ length: count }, (_, at) => text.replaceAll('#', at)).join('\n')
  const shapes = {
    'a table of texts': (count) =>
      `const texts = {\n${many(count, "  passwordLabel#: 'word # of it', url#: 'https://a.example/#', user#: 'meadow#',")}\n}`,
    variables: (count) => many(count, "const a# = process.env.NAME_# || 'x#'; if (a#) f(a#)"),
    'one name again and again': (count) =>
      many(count, "function f#() { const apiKey = 'hive-#-clover'; return apiKey }"),
    ports: (count) => many(count, "app#.listen(# + 3000); const u# = 'http://localhost:3000/#'"),
  }
  console.log('  2,000, 4,000 and 8,000 of one thing in a file: milliseconds, and how they grow')
  for (const [what, make] of Object.entries(shapes)) {
    const times = [2000, 4000, 8000].map((count) => {
      const text = make(count)
      return Math.min(...Array.from({ length: 2 }, () => timed(() => findIn([{ path: 'a.ts', text }], [])).wall))
    })
    const grows = [1, 2].map((at) => `${(times[at] / times[at - 1]).toFixed(1)} ×`)
    console.log(
      `    ${what.padEnd(26)} ${times.map((time) => time.toFixed(0).padStart(6)).join('')}   ${grows.join(', ')}`,
    )
  }
}

/** The whole command over a large project, on all cores against one: only where a process can be kept to one. */
function cores(files) {
  const hasTaskset = spawnSync('taskset', ['-c', '0', 'true']).status === 0
  if (!hasTaskset || availableParallelism() < 2) return console.log('  all cores against one: not measured here')
  const root = join(scratch, 'bench-cores')
  rmSync(root, { recursive: true, force: true })
  for (let copy = 0; copy < 6; copy++)
    for (const { path, text } of files) {
      mkdirSync(join(root, `copy-${copy}`, path, '..'), { recursive: true })
      writeFileSync(join(root, `copy-${copy}`, path), text)
    }
  const lift = [process.execPath, join(top, 'packages/cli/bin/mappa.js'), 'lift', '--json']
  const run = ([command, ...args]) =>
    timed(() => {
      const { status, stderr } = spawnSync(command, args, { cwd: root, env: environment(), encoding: 'utf8' })
      if (status !== 0) throw new Error(stderr)
    })
  const kept = (core) => ['taskset', '-c', String(core), ...lift]
  const quoted = (command) => command.map((word) => `'${word}'`).join(' ')
  // Two cores of a machine may be less than twice one: the same work twice, each on a core of its own, tells.
  const twice = ['sh', '-c', `${quoted(kept(0))} > /dev/null & ${quoted(kept(1))} > /dev/null; wait`]
  const runs = Array.from({ length: 3 }, () => [run(lift), run(kept(0)), run(twice)].map(({ wall }) => wall))
  const [ratio, machine] = [
    median(runs.map(([all, one]) => all / one)),
    median(runs.map(([, one, both]) => both / 2 / one)),
  ]
  const most = machine * coresMost
  const held = ratio <= most ? '' : '  NOT HELD'
  console.log(
    `  looking through ${files.length * 6} files on two cores: ${ratio.toFixed(2)} × the wall time on one  limit ≤ ${most.toFixed(2)}, since two cores share ${machine.toFixed(2)} of it each${held}`,
  )
  if (held) process.exitCode = 1
  rmSync(root, { recursive: true, force: true })
}

/** Whole commands on many variables in five layers: milliseconds, and how they grow with ten times as many. */
function commands() {
  const lines = [
    'check staging',
    'check --every-stage',
    'compare --all',
    'guide',
    'guide --as html',
    'trace * --stage staging',
  ]
  console.log('\nCommands on 500 and 5,000 variables in five layers: milliseconds, and how they grow')
  const [few, many] = [500, 5000].map((count) => {
    const cwd = commandsProject(count)
    return lines.map((line) => {
      const runs = Array.from({ length: 3 }, () => {
        const before = performance.now()
        const { status, stderr } = spawnSync(
          process.execPath,
          [join(top, 'packages/cli/bin/mappa.js'), ...line.split(' ')],
          {
            cwd,
            env: environment(),
            encoding: 'utf8',
            maxBuffer: 64 * 1024 * 1024,
          },
        )
        if (status !== 0) throw new Error(stderr)
        return performance.now() - before
      })
      return median(runs)
    })
  })
  for (const [at, line] of lines.entries())
    console.log(
      `  ${line.padEnd(24)} ${few[at].toFixed(0).padStart(6)} ${many[at].toFixed(0).padStart(6)}   ${(many[at] / few[at]).toFixed(1)} ×`,
    )
  rmSync(join(scratch, 'bench-commands'), { recursive: true, force: true })
}

function commandsProject(count) {
  const cwd = join(scratch, 'bench-commands', String(count))
  rmSync(cwd, { recursive: true, force: true })
  mkdirSync(join(cwd, '.git'), { recursive: true })
  const names = Array.from({ length: count }, (_, at) => `HIVE_${at}_URL`)
  const properties = Object.fromEntries(
    names.map((name, at) => [
      name,
      { type: 'string', description: `Address of hive ${at}`, ...(at % 7 === 0 && { 'x-mappa-secret': true }) },
    ]),
  )
  writeFileSync(join(cwd, 'mappa.legend.json'), JSON.stringify({ type: 'object', properties, required: names }))
  const files = ['.env', '.env.staging', '.env.production', '.env.local', '.env.staging.local']
  for (const [at, file] of files.entries()) {
    // Secrets are in layers of this machine only; elsewhere they are faults.
    const isSecret = (number) => number % 7 === 0
    const lines = names.filter((_, number) =>
      file.endsWith('.local')
        ? isSecret(number) || number % (at + 1) === 0
        : !isSecret(number) && number % (at + 1) === 0,
    )
    writeFileSync(
      join(cwd, file),
      lines.map((name) => `${name}=https://collector.fennelhill.example/hives/${at}/${name}\n`).join(''),
    )
  }
  return cwd
}

/** What finding keeps as it goes on: the same files once and four times, one after the other as the command takes them. */
function findingMemory(folders) {
  const script = `import { readdirSync, readFileSync } from 'node:fs'
    import { findIn } from './scripts/lift/room.mjs'
    const folders = ${JSON.stringify(folders)}
    let most = 0
    function* files(rounds) {
      let count = 0
      for (let round = 0; round < rounds; round++) for (const folder of folders)
        for (const path of readdirSync('node_modules/' + folder, { recursive: true, encoding: 'utf8' })) {
          if (!/\\.[cm]?js$/.test(path)) continue
          if (count++ % 100 === 99) { gc(); most = Math.max(most, process.memoryUsage().heapUsed) }
          yield { path: round + '/' + folder + '/' + path, text: readFileSync('node_modules/' + folder + '/' + path, 'utf8') }
        }
      console.log(count)
    }
    for (const rounds of [1, 4]) { findIn(files(rounds), []); console.log(most) }`
  const { stdout, stderr, status } = spawnSync(process.execPath, ['--expose-gc', '--input-type=module', '-e', script], {
    cwd: top,
    env: environment(),
    encoding: 'utf8',
  })
  if (status !== 0) throw new Error(stderr)
  const [few, atFew, many, atMany] = stdout.trim().split('\n').slice(-4).map(Number)
  const mib = (bytes) => `${(bytes / 1024 / 1024).toFixed(1)} MiB`
  console.log(`  most memory in use: ${mib(atFew)} over ${few} files, ${mib(atMany)} over ${many}`)
}

/** In a process of its own, so that nothing else is counted. */
function memory() {
  const script = `import { layerFromText, legend, settleLayers } from 'mappa'
    const names = Array.from({ length: 100_000 }, (_, at) => 'HIVE_' + at)
    const text = Buffer.from(names.map((name) => name + '=https://collector.fennelhill.example/hives\\n').join('')).toString()
    const definition = legend(Object.fromEntries(names.map((name) => [name, { type: 'string' }])))
    gc(); const before = process.memoryUsage()
    const settings = settleLayers(definition, { stage: 'test', layers: [layerFromText('.env', text)] })
    gc(); const after = process.memoryUsage()
    console.log(JSON.stringify([text.length, after.heapUsed - before.heapUsed, settings.HIVE_7.length]))`
  const { stdout, stderr, status } = spawnSync(process.execPath, ['--expose-gc', '--input-type=module', '-e', script], {
    cwd: top,
    env: environment(),
    encoding: 'utf8',
  })
  if (status !== 0) throw new Error(stderr)
  const [text, kept] = JSON.parse(stdout)
  const mib = (bytes) => `${(bytes / 1024 / 1024).toFixed(1)} MiB`
  console.log(
    `\nMemory kept by the settings of 100,000 variables: ${mib(kept)}, beside ${mib(text)} of text (${(kept / text).toFixed(1)} ×)`,
  )
}

function timed(work) {
  const cpu = process.cpuUsage()
  const before = performance.now()
  work()
  const wall = performance.now() - before
  const { user, system } = process.cpuUsage(cpu)
  return { wall, cpu: (user + system) / 1000 }
}

function size() {
  const [packed] = JSON.parse(
    execSync('npm pack --dry-run --json --loglevel=error', { cwd: join(top, 'packages/mappa'), encoding: 'utf8' }),
  )
  const { dependencies = {} } = JSON.parse(readFileSync(join(top, 'packages/mappa/package.json'), 'utf8'))
  const kib = (bytes) => `${(bytes / 1024).toFixed(1)} KiB`
  console.log(
    `\nPublished size of mappa: ${kib(packed.size)} packed, ${kib(packed.unpackedSize)} unpacked, ${packed.entryCount} files`,
  )
  // What an application that bundles the core for a browser or a worker takes along.
  const { outputFiles } = buildSync({
    stdin: { contents: "export { legend, settleLayers, surveyLayers } from 'mappa'", resolveDir: top },
    bundle: true,
    minify: true,
    format: 'esm',
    write: false,
    logLevel: 'error',
  })
  const core = outputFiles[0].contents
  console.log(`The core with settle and survey: ${kib(core.length)} minified, ${kib(gzipSync(core).length)} gzipped`)
  console.log(`Runtime dependencies of mappa: ${Object.keys(dependencies).length}`)
}

function alternate(runs, first, second) {
  const results = [[], []]
  first()
  second()
  for (let run = 0; run < runs; run++) {
    results[0].push(first())
    results[1].push(second())
  }
  return results
}

/**
 * One line: the median of the ratios of runs that followed each other, in processor time, which is what a limit holds,
 * and in wall time. Neighbours share the machine's moods, which last for many runs.
 */
function report(what, runs, base, { most, least } = {}) {
  const [cpu, wall] = ['cpu', 'wall'].map((key) => median(runs.map((run, at) => run[key] / base[at][key])))
  const ms = (values) => `${median(values.map((run) => run.cpu)).toFixed(0)} ms`
  const within = most !== undefined ? cpu <= most : least !== undefined ? cpu >= least : true
  const limit =
    most !== undefined ? `  limit ≤ ${most.toFixed(2)}` : least !== undefined ? `  limit ≥ ${least.toFixed(2)}` : ''
  const medians = `(medians ${ms(runs)} and ${ms(base)})`
  console.log(
    `  ${what.padEnd(18)} ${cpu.toFixed(2)} × processor time, ${wall.toFixed(2)} × wall time  ${medians}${limit}${within ? '' : '  NOT HELD'}`,
  )
  if (!within) process.exitCode = 1
}

function median(values) {
  const sorted = [...values].sort((a, b) => a - b)
  return sorted[sorted.length >> 1]
}
