import assert from 'node:assert/strict'
import { readdirSync, readFileSync } from 'node:fs'
import { join, relative } from 'node:path'
import test from 'node:test'
import { top } from '../../../test/helpers.js'

/** What each room of the library may import beside itself; `''` holds the entry points. */
const arrows: Record<string, readonly string[]> = {
  format: [],
  legend: [],
  settle: ['format', 'legend'],
  report: ['format', 'legend', 'settle'],
  node: ['format', 'legend', 'settle', 'report', ''],
  testing: ['legend', 'settle', 'report', 'node'],
  vite: ['format', 'legend', 'settle', 'report', 'node'],
  '': ['format', 'legend', 'settle', 'report'],
}
const source = join(top, 'packages/mappa/src')

function importsOf(file: string): string[] {
  const text = readFileSync(file, 'utf8')
  return [...text.matchAll(/(?:from|import|require)\s*\(?\s*'([^']+)'/g)].map(([, path]) => path as string)
}

test('imports between rooms point downward only, and the core has no node: import', () => {
  const files = readdirSync(source, { recursive: true, encoding: 'utf8' }).filter((name) => name.endsWith('.ts'))
  assert.ok(files.length > 20)
  for (const name of files) {
    const room = name.includes('/') ? (name.split('/')[0] as string) : ''
    assert.ok(room in arrows, `${name} is in a room that no rule knows`)
    for (const path of importsOf(join(source, name))) {
      if (/^(?:virtual:|mappa)/.test(path)) continue // code that the plugin writes, or an example
      if (!path.startsWith('.')) {
        assert.ok(
          room === 'node' || room === 'testing' ? path.startsWith('node:') : room === 'vite' && path === 'vite',
          `${name} imports ${path}`,
        )
        continue
      }
      const target = relative(source, join(source, name, '..', path))
      const other = target.includes('/') ? (target.split('/')[0] as string) : ''
      assert.ok(other === room || arrows[room]?.includes(other), `${name} imports ${target}`)
    }
  }
})

/** Rooms of the command that compute, and what each may import beside itself. */
const pure: Record<string, readonly string[]> = {
  compare: ['lift'],
  complete: ['lift'],
  declare: ['guide'],
  guide: [],
  lift: ['sample'],
  sample: ['guide'],
}

test('rooms of the command that compute know neither files nor arguments nor a terminal', () => {
  const commands = join(top, 'packages/cli/src')
  // What stands further in is code that is written.
  for (const [room, others] of Object.entries(pure))
    for (const name of readdirSync(join(commands, room)))
      for (const [, path = ''] of readFileSync(join(commands, room, name), 'utf8').matchAll(
        /^[^ ].* from '([^']+)'$/gm,
      )) {
        const other = /^\.\.\/([^/]+)\//.exec(path)?.[1]
        if (path.startsWith('.'))
          assert.ok(other === undefined || others.includes(other), `${room}/${name} imports ${path}`)
        else
          assert.doesNotMatch(
            path,
            /^node:(?!path)|^(?:commander|picocolors|mappa\/node)|^@inquirer/,
            `${room}/${name}`,
          )
      }
})

test('the built core imports nothing, and the library depends on nothing', () => {
  const dist = join(top, 'packages/mappa/dist')
  const core = [...reachable('index.mjs', dist)]
  for (const name of core)
    for (const path of importsOf(join(dist, name)).concat(doubleQuoted(join(dist, name))))
      assert.match(path, /^\.\//, name)
  const { dependencies, peerDependenciesMeta } = JSON.parse(readFileSync(join(dist, '../package.json'), 'utf8'))
  assert.deepEqual([dependencies, peerDependenciesMeta], [undefined, { vite: { optional: true } }])
})

/** The files that a built file loads, itself among them. */
function reachable(name: string, dist: string, seen = new Set<string>()): Set<string> {
  if (!seen.has(name)) {
    seen.add(name)
    for (const path of doubleQuoted(join(dist, name))) if (path.startsWith('./')) reachable(path.slice(2), dist, seen)
  }
  return seen
}

function doubleQuoted(file: string): string[] {
  return [...readFileSync(file, 'utf8').matchAll(/^(?:import|\} from) .*?"([^"]+)";?$/gm)].map(
    ([, path]) => path as string,
  )
}
