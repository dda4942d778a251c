// What takes long, or comes from elsewhere: npm run field [-- PART…]. Runtimes, every TypeScript, a store that is killed while a fleet follows
// it, and texts made at random. What came of it is written to docs/field.json, with its date and versions; pages of docs/ are made from
// that, and npm test compares them.
import { spawnSync } from 'node:child_process'
import { existsSync, readFileSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { top } from '../prepare.mjs'
import { applicationsTable, liftedTable, readersTable, runtimesPage, startersTable } from './tables.mjs'

const file = join(top, 'docs/field.json')
const nodes = [
  process.execPath,
  ...['node22', 'node24'].map((name) => join(top, '.scratch/runtimes', name, 'node_modules/node/bin/node')),
].filter((path) => existsSync(path))
const parts = {
  async runtimes() {
    const { tryRuntimes } = await import('./runtimes.mjs')
    return { rows: await tryRuntimes() }
  },
  typescript() {
    const said = run(['scripts/test.mjs', 'packages/mappa/test/consumers.test.ts'], { MAPPA_FIELD: '1' })
    const versions = Object.keys(manifest().devDependencies).filter((name) => /^typescript(?:-|$)/.test(name))
    return {
      passed: said.status === 0,
      versions: versions.map(
        (name) => JSON.parse(readFileSync(join(top, 'node_modules', name, 'package.json'), 'utf8')).version,
      ),
    }
  },
  installed() {
    const { status, stdout } = run(['scripts/test.mjs', 'packages/cli/test/history.test.ts'], { MAPPA_FIELD: '1' })
    return { passed: status === 0, said: stdout.split('\n').filter((line) => /files of installed packages/.test(line)) }
  },
  store() {
    const { status, stdout } = run(['examples/fleet/fleet.mjs', '50'])
    return {
      passed: status === 0,
      said: stdout
        .split('\n')
        .filter((line) => /^(?:It |The store|SCALE| {2}\d+ of \d+ )/.test(line))
        .map((line) => line.trim()),
    }
  },
  writes() {
    const { status, stdout } = run(
      ['scripts/test.mjs', 'packages/cli/test/whole.test.ts', 'packages/cli/test/watch.test.ts'],
      {
        MAPPA_FIELD: '1',
      },
    )
    return {
      passed: status === 0,
      said: stdout
        .split('\n')
        .filter((line) => /^✔ /.test(line))
        .map((line) => line.replace(/^✔ | \([\d.]+ms\)$/g, '')),
    }
  },
  pipes() {
    const { status } = run(['scripts/test.mjs', 'packages/cli/test/pipes.test.ts'], { MAPPA_NODES: nodes.join(',') })
    const versions = nodes.map((path) => spawnSync(path, ['--version'], { encoding: 'utf8' }).stdout.trim())
    return { passed: status === 0, versions }
  },
  async applications() {
    const { tryApplications } = await import('./witnessed.mjs')
    const rows = await tryApplications()
    return { passed: rows.every(({ isSame }) => isSame), rows }
  },
  async starters() {
    const { tryStarters } = await import('./starters.mjs')
    const rows = await tryStarters()
    return { passed: rows.every(({ wrong, init }) => wrong.length + (init?.differs.length ?? 0) === 0), rows }
  },
  async lifted() {
    const { tryLifted } = await import('./lifted.mjs')
    const rows = await tryLifted()
    return { passed: rows.every(({ differs }) => differs.length === 0), rows }
  },
  witness() {
    const versions = nodes.map((path) => spawnSync(path, ['--version'], { encoding: 'utf8' }).stdout.trim())
    const statuses = nodes.map(
      (path) => run(['scripts/test.mjs', 'packages/cli/test/witness.test.ts'], { MAPPA_TEST_NODE: path }).status,
    )
    return { passed: statuses.every((status) => status === 0), versions }
  },
  async readers() {
    const mappa = await import('mappa')
    const { compareReader, layerFiles, ownSide } = await import('./readers-compared.mjs')
    const { readRows } = await import('./reader-rows.mjs')
    const { readers } = await import('./readers.mjs')
    const own = await ownSide()
    // Those that are not asked this time keep what came of them.
    const asked = process.env.MAPPA_READERS?.split(',') ?? Object.keys(readers)
    const compared = { ...results.readers?.compared }
    const seed = Date.now() % 1e6
    for (const [name, { is, model }] of Object.entries(readers)) {
      if (!is() || !asked.includes(name)) continue
      const texts = layerFiles(Number(process.env.MAPPA_FILES ?? 100_000), seed, model === 'container')
      const { examples, ...counts } = await compareReader(name, texts, { mappa, own })
      console.log(name, seed, counts, ...examples)
      compared[name] = { date: new Date().toISOString().slice(0, 10), ...counts }
    }
    const passed = Object.values(compared).every(({ wrong, unnamed }) => wrong + unnamed === 0)
    return { passed, compared, rows: await readRows(mappa) }
  },
  tour() {
    const { status, stdout } = run(['scripts/demo.mjs', '--all'])
    return { passed: status === 0, steps: (stdout.match(/^── /gm) ?? []).length }
  },
  fuzz() {
    const { status, stdout } = run(['scripts/fuzz.mjs', '2'])
    return { passed: status === 0, rounds: (stdout.match(/^Round /gm) ?? []).length }
  },
}

const named = process.argv.slice(2)
const wrong = named.find((name) => !Object.hasOwn(parts, name))
if (wrong !== undefined) {
  console.error(`Unknown part ${wrong}. Parts: ${Object.keys(parts).join(', ')}`)
  process.exit(2)
}
const results = existsSync(file) ? JSON.parse(readFileSync(file, 'utf8')) : {}
for (const name of named.length > 0 ? named : Object.keys(parts)) {
  console.log(`── ${name}`)
  const result = await parts[name]()
  results[name] = { date: new Date().toISOString().slice(0, 10), node: process.versions.node, ...result }
  if (result.passed === false) process.exitCode = 1
  writeFileSync(file, `${JSON.stringify(results, null, 2)}\n`)
}
writeFileSync(join(top, 'docs/runtimes.md'), runtimesPage(results.runtimes))
/** Pages with a table of results: the results, how the table begins, and what makes it. */
const tables = [
  ['docs/witness.md', 'applications', '| application |', applicationsTable],
  ['docs/starts.md', 'starters', '| application |', startersTable],
  ['docs/lift.md', 'lifted', '| application |', liftedTable],
  ['docs/format.md', 'readers', '| written | Mappa |', readersTable],
]
for (const [path, part, begins, tableOf] of tables) {
  if (!results[part]) continue
  const page = readFileSync(join(top, path), 'utf8')
  const start = page.indexOf(begins)
  const end = page.indexOf('\n\n', start) + 1
  writeFileSync(join(top, path), page.slice(0, start) + tableOf(results[part]) + page.slice(end))
}

function run(args, env = {}) {
  const child = spawnSync(process.execPath, args, {
    cwd: top,
    env: { ...process.env, ...env },
    encoding: 'utf8',
    stdio: ['ignore', 'pipe', 'inherit'],
  })
  console.log(child.stdout)
  return child
}

function manifest() {
  return JSON.parse(readFileSync(join(top, 'package.json'), 'utf8'))
}
