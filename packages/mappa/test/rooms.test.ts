import assert from 'node:assert/strict'
import { existsSync, readdirSync, readFileSync } from 'node:fs'
import { dirname, join, normalize } from 'node:path'
import test from 'node:test'
import { parse } from 'acorn'
import { top } from '../../../test/helpers.js'

/** What is one room to the others, from its ground to its door. */
const legend = ['legend/text', 'legend']
const settle = ['value', 'faults', 'stack', 'reading', 'explain'].map((each) => `settle/${each}`).concat('settle')
const core = ['format', 'leak', ...legend, ...settle, 'report']
const machine = ['files', 'legends', 'layers', 'remotes'].map((each) => `node/${each}`).concat('node')
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
    'node/files': core,
    'node/legends': [...core, 'node/files'],
    'node/layers': [...core, 'node/files', 'node/legends'],
    'node/remotes': core,
    node: [...core, ...machine.slice(0, -1)],
    testing: [...core, ...machine],
    '.': [...core, ...machine],
  },
  build: {
    'builders.ts': [],
    bundle: ['builders.ts'],
    vite: ['bundle'],
    '.': ['bundle', 'builders.ts'],
  },
  cli: {
    'terminal/escapes.ts': [],
    terminal: ['terminal/escapes.ts'],
    code: [],
    'code/stages': ['code'],
    starts: ['code'],
    credentials: ['code'],
    declared: ['code', 'terminal/escapes.ts'],
    guess: ['code', 'code/stages', 'credentials', 'starts'],
    writing: [],
    edits: ['terminal', 'code', 'declared', 'writing'],
    'project/git': ['terminal'],
    project: ['terminal', 'code', 'declared', 'edits', 'writing', 'project/git', 'starts'],
    'lift/change.ts': ['guess', 'starts'],
    'lift/edit': ['code', 'declared', 'guess', 'edits', 'starts', 'lift/change.ts'],
    lift: ['code', 'code/stages', 'credentials', 'declared', 'guess', 'edits', 'starts', 'lift/edit', 'lift/change.ts'],
    delivery: ['terminal', 'code', 'declared', 'edits', 'writing', 'project', 'project/git', 'terminal/escapes.ts'],
    run: ['terminal', 'code', 'declared', 'project', 'writing', 'lift'],
    commands: [
      'terminal',
      'terminal/escapes.ts',
      'code',
      'code/stages',
      'starts',
      'credentials',
      'declared',
      'guess',
      'edits',
      'writing',
      'project',
      'project/git',
      'lift',
      'lift/change.ts',
      'lift/edit',
      'delivery',
      'run',
    ],
    '.': ['commands', 'terminal', 'writing', 'project'],
  },
}
/** A room of the command is one to others with what it has within; more would not be found. */
const roomsMax = 16
/** Rooms above each other. */
const floorsMax = 8
/** A command that ends with another's run is handed it by its definition. */
const commandsAcross = new Set(['commands/lift/definition.ts commands/check/run.ts'])
/** Anyone who opens a room sees at once what is in it. */
const filesMax = 15
/** Rooms that compute: they know neither files nor arguments nor a terminal. */
const pure = /^(?:code.*|credentials|declared|guess|lift.*|starts(?:\/readers)?)$/
/** What preload, being one file by itself, loads later. */
const loadedLater = new Set(['node/preload.ts ../preload-more.js', 'node/preload.ts ../index.js'])

const sourceOf = (name: string) => join(top, 'packages', name, 'src')
const filesOf = (name: string) =>
  readdirSync(sourceOf(name), { recursive: true, encoding: 'utf8' }).filter((file) => file.endsWith('.ts'))

function roomOf(file: string, known: object): string {
  if (file in known) return file
  // What lies in a folder within these belongs to them.
  return (
    /^(?:(?:commands|starts)(?=\/)|code(?=\/values\/)|lift(?=\/(?:proof|places)\/))/.exec(file)?.[0] ?? dirname(file)
  )
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
    assert.ok(graph.size >= 18)
    const floors = floorsOf(graph, (file) => roomOf(file, known).replace(/^lift\/change\.ts$/, 'lift'))
    // What gathers the commands is above all rooms.
    const own = Object.keys(known).filter((room) => room !== '.' && !room.endsWith('.ts'))
    if (name === 'cli') assert.ok(own.length <= roomsMax, `${own.length} rooms`)
    if (name === 'cli') assert.ok(floors <= floorsMax, `${floors} floors`)
    const files = (room: string) => [...graph.keys()].filter((file) => dirname(file) === room)
    const full = [...new Set([...graph.keys()].map(dirname))].filter((room) => files(room).length > filesMax)
    assert.deepEqual(full, [], `more than ${filesMax} files`)
    assert.deepEqual(circleIn(graph), [])
  })

/** How many rooms stand above each other, by what their files import. What is within a room is on its floor. */
function floorsOf(graph: ReadonlyMap<string, readonly string[]>, room: (file: string) => string): number {
  const below = new Map<string, Set<string>>()
  const outer = (file: string) => room(file).split('/')[0] as string
  for (const [file, targets] of graph)
    for (const target of targets)
      if (outer(target) !== outer(file))
        below.set(outer(file), new Set([...(below.get(outer(file)) ?? []), outer(target)]))
  const height = (each: string): number => 1 + Math.max(0, ...[...(below.get(each) ?? [])].map(height))
  return Math.max(...[...below.keys()].map(height))
}

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
      assert.ok(/^(?:node|testing)(?:\/|$)/.test(room) && path.startsWith('node:'), `${file} imports ${path}`)
    }
  for (const file of filesOf('cli').filter((each) => pure.test(roomOf(each, rooms.cli as object))))
    for (const path of importsOf(readFileSync(join(sourceOf('cli'), file), 'utf8')))
      assert.doesNotMatch(path, /^node:(?!path)|^(?:commander|picocolors|mappa\/node|@clack)/, file)
})

test('a command imports no other, and its definition loads what it does only when it is called', () => {
  const folder = (file: string) => file.split('/')[1]
  for (const file of filesOf('cli').filter((each) => /^commands\/.+\//.test(each))) {
    const text = readFileSync(join(sourceOf('cli'), file), 'utf8')
    for (const path of importsOf(text).filter((each) => each.startsWith('.'))) {
      const target = normalize(join(dirname(file), path)).replace(/\.js$/, '.ts')
      const isOther = /^commands\/.+\//.test(target) && folder(target) !== folder(file)
      assert.ok(!isOther || commandsAcross.has(`${file} ${target}`), `${file} imports ${target}`)
    }
    if (!file.endsWith('/definition.ts')) continue
    const eager = [...text.matchAll(/^import (?!type )(?:.*) from '(\.\/[^']+)'/gm)].map(([, path]) => path)
    // A record of options is a part of what is defined.
    assert.deepEqual(
      eager.filter((each) => each !== './entry-words.js'),
      [],
      file,
    )
  }
})

/** Verbs that the library has for given layers and for this machine's, and what each builder's plugin is called. */
const verbs = new Set(['mappa'])

test('no name stands for two things: each is defined in one file of its package', () => {
  for (const name of Object.keys(rooms)) {
    const places = new Map<string, string[]>()
    for (const file of filesOf(name).filter((each) => each !== 'report/wrong-door.ts'))
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

/** What each command's folder has, and a door of the library that is named like what is behind it. */
const allowedTwice = new Set(['index.ts', 'page.ts', 'definition.ts', 'run.ts', 'text.ts', 'json.ts', 'questions.ts'])

test('no list is spread over the arguments of a call, which has room for some 100,000', () => {
  for (const name of Object.keys(rooms))
    for (const file of filesOf(name)) {
      const found = /^.*\b(?:push|unshift|fromCharCode|max|min)\((?:[^(){}]*, )?\.\.\..*$/m.exec(
        readFileSync(join(sourceOf(name), file), 'utf8'),
      )
      assert.equal(found?.[0], undefined, `${name}: ${file}`)
    }
})

test('the built core imports nothing, and the library depends on nothing', () => {
  const dist = join(top, 'packages/mappa/dist')
  for (const entry of ['index.mjs', 'legend.mjs'])
    for (const name of reachable(entry, dist))
      for (const path of loadedBy(join(dist, name))) assert.match(path, /^\.\//, name)
  assert.deepEqual([...reachable('legend.mjs', dist)], ['legend.mjs'])
  assert.deepEqual([...reachable('preload.mjs', dist)], ['preload.mjs'])
  const { dependencies, peerDependencies } = JSON.parse(readFileSync(join(dist, '../package.json'), 'utf8'))
  assert.deepEqual([dependencies, peerDependencies], [undefined, undefined])
})

test('the doors of the command and of the plugins have under 70 names together, none of them public', () => {
  const named = (file: string) =>
    [...readFileSync(join(sourceOf('mappa'), file), 'utf8').matchAll(/^export (?:type )?\{([^}]*)\}/gm)].flatMap(
      ([, names = '']) =>
        names
          .split(',')
          .map((name) => name.trim().replace(/^type /, ''))
          .filter(Boolean),
    )
  const doors = [...named('command.ts'), ...named('plugin.ts')]
  assert.ok(doors.length < 70, `${doors.length} names`)
  const open = new Set(['index.ts', 'node/index.ts', 'page.ts', 'legend/index.ts'].flatMap(named))
  assert.deepEqual(
    doors.filter((name) => open.has(name)),
    [],
  )
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
  const { body } = parse(readFileSync(file, 'utf8'), { ecmaVersion: 'latest', sourceType: 'module' })
  return body.flatMap((each) => ('source' in each && each.source ? [String(each.source.value)] : []))
}

test('docs/architecture.md names files that exist, and every room', () => {
  const text = readFileSync(join(top, 'docs/architecture.md'), 'utf8')
  const table = text.slice(text.indexOf('## Where do I change'))
  const rows = table
    .split('\n')
    .filter((line) => /^\| [a-z]/.test(line) && line !== '| what | where |' && line !== '| --- | --- |')
  assert.ok(rows.length >= 20, `${rows.length} rows`)
  for (const row of rows) {
    const paths = [...row.matchAll(/`((?:mappa|build|cli)\/[\w/.-]+|(?:docs|scripts|packages)\/[\w/.-]+)`/g)]
    assert.ok(paths.length > 0, row)
    for (const [, path = ''] of paths)
      assert.ok(existsSync(join(top, path.replace(/^(mappa|build|cli)\//, 'packages/$1/src/'))), `${path} in: ${row}`)
  }
  for (const [name, known] of Object.entries(rooms))
    for (const room of Object.keys(known))
      if (room !== '.' && !room.endsWith('.ts')) assert.ok(text.includes(`\`${name}/${room}/\``), `${name}/${room}/`)
})

test('no literal is spread only to pack lines', () => {
  for (const name of Object.keys(rooms))
    for (const file of filesOf(name))
      for (const line of readFileSync(join(sourceOf(name), file), 'utf8').split('\n'))
        assert.doesNotMatch(line, /\.\.\.\{|\.\.\.\[[^\]]*\]\s*[,)\]]?$/, file)
})

test('the table of changes in docs/architecture.md is what npm run changes has found', () => {
  const text = readFileSync(join(top, 'docs/architecture.md'), 'utf8')
  const tried: Record<string, string[]> = JSON.parse(readFileSync(join(top, 'docs/changes-tried.json'), 'utf8'))
  assert.ok(Object.keys(tried).length >= 10)
  for (const [what, files] of Object.entries(tried)) {
    const [, row = ''] = new RegExp(`^\\| ${what} \\|(.*)\\|$`, 'm').exec(text) ?? []
    const named = [...row.matchAll(/`([^`]+)`/g)].map(([, path = '']) =>
      path.replace(/^(mappa|build|cli)\//, 'packages/$1/src/'),
    )
    assert.deepEqual(named, files, what)
  }
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
