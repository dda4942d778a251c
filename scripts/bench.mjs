// Speed as ratios of two things measured in turn in the same run, so that a slow or busy machine changes both alike.
// Medians of alternating runs; processor time beside wall time. Only `npm run bench` runs this: no test is timed.
import { execSync, spawnSync } from 'node:child_process'
import { mkdirSync, readFileSync, rmSync, symlinkSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { readValues } from 'mappa'
import { top } from './prepare.mjs'
import { environment, scratch } from './stage.mjs'

const startRuns = 61
const readRuns = 25

console.log(`Node ${process.versions.node}, ${process.platform} ${process.arch}\n`)
startUp()
reading()
size()

function startUp() {
  const root = startUpProject()
  // Installed as mappa is, so that what Node does to find a package is on both sides.
  const empty = ['--import', 'empty/preload', 'app.mjs']
  const preloaded = ['--import', 'mappa/preload', 'app.mjs']
  const rows = [
    ['JSON legend', 'json', 1.1],
    ['JavaScript legend', 'js', undefined],
    ['no legend', 'none', undefined],
  ]
  console.log('Start-up with mappa/preload (60 variables, four layers) against an empty module of a package')
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
    js: ['mappa.legend.mjs', `import { legend } from 'mappa'\nexport default legend(${JSON.stringify(properties)})`],
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
function runNode(args, cwd) {
  const before = performance.now()
  const { status, stdout, stderr } = spawnSync(process.execPath, args, { cwd, env: environment(), encoding: 'utf8' })
  const wall = performance.now() - before
  if (status !== 0) throw new Error(stderr)
  return { wall, cpu: Number(stdout) }
}

function reading() {
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
