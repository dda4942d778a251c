import assert from 'node:assert/strict'
import { existsSync, readdirSync, readFileSync } from 'node:fs'
import { dirname, join, normalize } from 'node:path'
import test from 'node:test'
import { top } from '../../../test/helpers.js'

/** What is one room to the others, from its ground to its door. */
const legend = ['legend/text', 'legend']
const settle = ['value', 'faults', 'stack', 'reading', 'explain'].map((each) => `settle/${each}`).concat('settle')
const core = ['format', 'leak', ...legend, ...settle, 'report']
const machine = ['files', 'legends', 'layers', 'remotes'].map((each) => `node/${each}`).concat('node')
const project = ['project/git', 'project/contents', 'project']

/** The rooms of each package, and which others each may import: only such as stand above it here. `.` holds the entry points. */
const rooms: Readonly<Record<string, Readonly<Record<string, readonly string[]>>>> = {
  mappa: {
    format: [],
    leak: [],
    'legend/text': [],
    legend: ['format', 'leak', 'legend/text'],
    'settle/value': legend,
    'settle/faults': ['format', ...legend, 'settle/value'],
    'settle/stack': ['format', 'leak', ...legend, 'settle/value', 'settle/faults'],
    'settle/reading': ['format', 'leak', ...legend, 'settle/value', 'settle/faults', 'settle/stack'],
    'settle/explain': ['format', 'leak', ...legend, 'settle/value', 'settle/faults', 'settle/stack', 'settle/reading'],
    settle: ['format', 'leak', ...legend, ...settle.slice(0, -1)],
    report: ['format', 'leak', ...legend, ...settle],
    '.': core,
    'node/files': core,
    'node/legends': [...core, 'node/files'],
    'node/layers': [...core, 'node/files', 'node/legends'],
    'node/remotes': core,
    node: [...core, '.', ...machine.slice(0, -1)],
    bundle: [...core, ...machine],
    vite: [...core, ...machine, 'bundle'],
    builders: [...core, ...machine, 'bundle'],
    testing: [...core, ...machine],
    command: [...core, ...machine, 'bundle'],
  },
  cli: {
    names: [],
    terminal: [],
    'lift/read': [],
    'lift/stages': ['lift/read'],
    declared: ['lift/read'],
    guide: ['terminal'],
    sample: ['guide'],
    declare: ['guide', 'declared'],
    emit: ['guide', 'declare'],
    compare: ['names', 'terminal'],
    completion: [],
    trace: ['names', 'terminal'],
    check: ['lift/read', 'names'],
    fill: ['guide', 'terminal'],
    list: ['terminal'],
    stamp: ['emit'],
    'lift/finding.ts': ['lift/read'],
    'lift/change.ts': ['lift/finding.ts'],
    'lift/guess': ['lift/read', 'lift/stages', 'lift/finding.ts', 'names'],
    guard: ['lift/read', 'lift/guess'],
    'lift/manifests': ['lift/read', 'lift/stages', 'lift/finding.ts', 'lift/guess', 'names'],
    'lift/edit': [
      ...['lift/read', 'lift/finding.ts', 'lift/change.ts', 'lift/guess', 'lift/manifests'],
      ...['declared', 'sample', 'declare'],
    ],
    lift: ['lift/read', 'lift/finding.ts', 'lift/change.ts', 'lift/guess', 'lift/manifests', 'lift/edit'],
    change: ['terminal', 'declared', 'declare', 'sample', 'lift/read'],
    setup: [
      'change',
      ...['terminal', 'declared', 'declare', 'sample', 'lift/read', 'lift/finding.ts', 'lift/guess', 'lift/manifests'],
      'lift/edit',
    ],
    ask: ['lift/finding.ts', 'lift', 'setup', 'declared'],
    'project/git': ['guard'],
    'project/contents': ['stamp'],
    project: ['lift/read', 'names', 'declared', 'terminal', 'change', 'project/git'],
    run: ['lift', 'project', 'terminal'],
    quick: ['project', 'run'],
    'commands/look': ['names', 'terminal', 'guide', 'compare', 'trace', 'list', 'change', ...project],
    'commands/verify': ['terminal', 'declared', 'declare', 'sample', 'check', 'guard', ...project],
    'commands/change': [
      ...['terminal', 'declared', 'guide', 'fill', 'change', 'setup', 'ask', 'lift', 'lift/read', 'lift/manifests'],
      ...['lift/finding.ts', 'lift/change.ts'],
      ...['lift/edit', 'commands/verify', 'run', ...project],
    ],
    'commands/hand-on': ['terminal', 'compare', 'stamp', 'emit', ...project],
    'commands/run': ['terminal', 'declared', 'completion', 'run', ...project],
    '.': [
      ...['look', 'verify', 'change', 'hand-on', 'run'].map((each) => `commands/${each}`),
      ...['completion', 'project', 'terminal'],
    ],
  },
}
/** Whoever opens a room sees at once what is in it. */
const filesMax = 15
/** Rooms that compute: they know neither files nor arguments nor a terminal. */
const pure =
  /^(?:names|declared|guide|sample|declare|compare|completion|trace|check|fill|list|setup|guard|stamp|emit|change|lift.*)$/
/** What preload, being one file by itself, loads later. */
const loadedLater = new Set(['node/preload.ts ../command/index.js'])

const sourceOf = (name: string) => join(top, 'packages', name, 'src')
const filesOf = (name: string) =>
  readdirSync(sourceOf(name), { recursive: true, encoding: 'utf8' }).filter((file) => file.endsWith('.ts'))

function roomOf(file: string, known: object): string {
  return file in known ? file : dirname(file)
}

/** What a file imports: paths as they are written. Code that is written into other files is further in, or in a template. */
function importsOf(text: string): string[] {
  const own = /^(?:import|export|\}).*? from '([^']+)'$|^import '([^']+)'$|\bimport\('([^']+)'\)/gm
  return [...text.matchAll(own)].map(([, path, bare, later]) => (path ?? bare ?? later) as string)
}

for (const [name, known] of Object.entries(rooms))
  test(`${name}: rooms import only what stands below them, and no files import each other in a circle`, () => {
    const order = Object.keys(known)
    for (const [room, others] of Object.entries(known))
      for (const other of others) assert.ok(order.indexOf(other) < order.indexOf(room), `${other} is above ${room}`)
    const graph = new Map<string, string[]>()
    for (const file of filesOf(name)) {
      const room = roomOf(file, known)
      assert.ok(room in known, `${file} is in a room that no rule knows`)
      const targets: string[] = []
      for (const path of importsOf(readFileSync(join(sourceOf(name), file), 'utf8'))) {
        if (!path.startsWith('.') || loadedLater.has(`${file} ${path}`)) continue
        const target = normalize(join(dirname(file), path)).replace(/\.js$/, '.ts')
        targets.push(target)
        const other = roomOf(target, known)
        assert.ok(other === room || known[room]?.includes(other), `${file} imports ${target}`)
      }
      graph.set(file, targets)
    }
    assert.ok(graph.size > 20)
    const files = (room: string) => [...graph.keys()].filter((file) => dirname(file) === room)
    const full = [...new Set([...graph.keys()].map(dirname))].filter((room) => files(room).length > filesMax)
    assert.deepEqual(full, [], `more than ${filesMax} files`)
    assert.deepEqual(circleIn(graph), [])
  })

/** Files that import each other in a circle; empty if none do. */
function circleIn(graph: ReadonlyMap<string, readonly string[]>): string[] {
  const done = new Set<string>()
  const walk = (file: string, path: readonly string[]): string[] => {
    if (path.includes(file)) return [...path.slice(path.indexOf(file)), file]
    if (done.has(file)) return []
    for (const target of graph.get(file) ?? []) {
      const circle = walk(target, [...path, file])
      if (circle.length > 0) return circle
    }
    done.add(file)
    return []
  }
  return [...graph.keys()].map((file) => walk(file, [])).find((circle) => circle.length > 0) ?? []
}

test('the core has no node: import, and rooms of the command that compute know no machine', () => {
  for (const file of filesOf('mappa'))
    for (const path of importsOf(readFileSync(join(sourceOf('mappa'), file), 'utf8'))) {
      if (path.startsWith('.')) continue
      const room = dirname(file)
      assert.ok(
        (/^(?:node|testing)(?:\/|$)/.test(room) && path.startsWith('node:')) ||
          (room === 'vite' && path === 'vite') ||
          (room === 'builders' && path === 'acorn'),
        `${file} imports ${path}`,
      )
    }
  for (const file of filesOf('cli').filter((each) => pure.test(roomOf(each, rooms.cli as object))))
    for (const path of importsOf(readFileSync(join(sourceOf('cli'), file), 'utf8')))
      assert.doesNotMatch(path, /^node:(?!path)|^(?:commander|picocolors|mappa\/node)|^@inquirer/, file)
})

/** Verbs that the library has for given layers and for this machine's, and what each builder's plugin is called. */
const verbs = new Set(['settle', 'survey', 'mappa'])

test('no name stands for two things: each is defined in one file of its package', () => {
  for (const name of Object.keys(rooms)) {
    const places = new Map<string, string[]>()
    for (const file of filesOf(name))
      for (const [, own = ''] of readFileSync(join(sourceOf(name), file), 'utf8').matchAll(
        /^(?:export )?(?:default )?(?:async )?(?:function\*?|interface|type|class|const) ([A-Za-z_]\w*)/gm,
      ))
        places.set(own, [...(places.get(own) ?? []), file])
    const twice = [...places].filter(([own, files]) => new Set(files).size > 1 && !verbs.has(own))
    assert.deepEqual(Object.fromEntries(twice), {})
    const stems = filesOf(name).map((file) => file.split('/').at(-1) as string)
    const shared = stems.filter((stem, at) => stems.indexOf(stem) < at && !allowedTwice.has(stem))
    assert.deepEqual(shared, [], `${name}: one file name for two things`)
  }
})

/** A room's own door, and what a command is called and computes: `commands/change/lift.ts` calls `lift/lift.ts`. */
const allowedTwice = new Set(['index.ts', 'text.ts', 'json.ts', 'lift.ts', 'guide.ts', 'sample.ts', 'complete.ts'])

test('the built core imports nothing, and the library depends on nothing', () => {
  const dist = join(top, 'packages/mappa/dist')
  for (const entry of ['index.mjs', 'legend.mjs'])
    for (const name of reachable(entry, dist))
      for (const path of loadedBy(join(dist, name))) assert.match(path, /^\.\//, name)
  assert.deepEqual([...reachable('legend.mjs', dist)], ['legend.mjs'])
  assert.deepEqual([...reachable('preload.mjs', dist)], ['preload.mjs'])
  const { dependencies, peerDependenciesMeta } = JSON.parse(readFileSync(join(dist, '../package.json'), 'utf8'))
  assert.deepEqual([dependencies, peerDependenciesMeta], [undefined, { vite: { optional: true } }])
})

/** The files that a built file loads, itself among them. */
function reachable(name: string, dist: string, seen = new Set<string>()): Set<string> {
  if (!seen.has(name)) {
    seen.add(name)
    for (const path of loadedBy(join(dist, name))) if (path.startsWith('./')) reachable(path.slice(2), dist, seen)
  }
  return seen
}

function loadedBy(file: string): string[] {
  return [...readFileSync(file, 'utf8').matchAll(/^(?:import|\} from) .*?"([^"]+)";?$/gm)].map(
    ([, path]) => path as string,
  )
}

test('docs/architecture.md names files that exist, and every room', () => {
  const text = readFileSync(join(top, 'docs/architecture.md'), 'utf8')
  const table = text.slice(text.indexOf('## Where do I change'))
  const rows = table.split('\n').filter((line) => /^\| [a-z]/.test(line) && line !== '| what | where |')
  assert.ok(rows.length >= 20, `${rows.length} rows`)
  for (const row of rows) {
    const paths = [...row.matchAll(/`((?:mappa|cli)\/[\w/.-]+|(?:docs|scripts|packages)\/[\w/.-]+)`/g)]
    assert.ok(paths.length > 0, row)
    for (const [, path = ''] of paths)
      assert.ok(existsSync(join(top, path.replace(/^(mappa|cli)\//, 'packages/$1/src/'))), `${path} in: ${row}`)
  }
  for (const [name, known] of Object.entries(rooms))
    for (const room of Object.keys(known))
      if (room !== '.' && !room.endsWith('.ts')) assert.ok(text.includes(`\`${name}/${room}/\``), `${name}/${room}/`)
})

test('what scripts that no test runs take from the sources is there', () => {
  for (const script of ['bench', 'screenshots', 'lift/room', 'fuzz', 'build'])
    for (const [, path = ''] of readFileSync(join(top, `scripts/${script}.mjs`), 'utf8').matchAll(
      /'((?:\.|packages)\/[\w/-]+\.ts)'/g,
    ))
      assert.ok(
        ['.', 'packages/cli/src', 'packages/cli/src/lift', 'packages/mappa/src'].some((from) =>
          existsSync(join(top, from, path)),
        ),
        `${path} in ${script}`,
      )
})
