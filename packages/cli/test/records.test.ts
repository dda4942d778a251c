// One record for each truth: what is in a record is in the docs and in the tests, so that a new one cannot be half there. Everything is
// taken from the sources as they are, so that scripts/changes.mjs can try it in a copy without building.
import assert from 'node:assert/strict'
import { existsSync, readFileSync } from 'node:fs'
import { join } from 'node:path'
import test from 'node:test'
import { Command } from 'commander'
import { builders } from '../../build/src/builders.js'
import { valueTypes } from '../../mappa/src/legend/value-types.js'
import { words } from '../../mappa/src/legend/words.js'
import { remoteKinds } from '../../mappa/src/node/remotes/remote-kinds.js'
import { faultKinds, noticeKinds } from '../../mappa/src/settle/faults/kinds.js'
import { layerSources } from '../../mappa/src/settle/stack/layer.js'
import { emitForms } from '../src/commands/emit/forms.js'
import { templateForms } from '../src/commands/stamp/stamped.js'
import { endings } from '../src/guess/proposed-name.js'
import { commands } from '../src/program.js'

const top = join(import.meta.dirname, '../../..')
const textOf = (path: string) => readFileSync(join(top, path), 'utf8')

/** What the paths of docs and tests lack that have to speak of something; each sentence begins with its path. */
function lackingIn(
  wanted: readonly (readonly [path: string, name: string, how?: RegExp | string | undefined])[],
): string[] {
  return wanted.flatMap(([path, name, how = `\`${name}\``]) => {
    const text = textOf(path)
    return (typeof how === 'string' ? text.includes(how) : how.test(text)) ? [] : [`${path} says nothing of ${name}`]
  })
}

test('docs speak of each type, word, form and kind that the records have', () => {
  const each = (path: string, names: object, how?: (name: string) => RegExp) =>
    Object.keys(names).map((name) => [path, name, how?.(name)] as const)
  const asWord = (name: string) => new RegExp(`\\b${name}\\b`)
  const lacking = lackingIn([
    ...each('docs/legend.md', { ...valueTypes, ...words }),
    ...each(
      'docs/command.md',
      { ...emitForms, ...Object.fromEntries(templateForms.map((form) => [form, true])) },
      asWord,
    ),
    ...each('docs/layers.md', remoteKinds, asWord),
    ...each('docs/layers.md', layerSources),
    ...each('docs/lift.md', endings, (name) => new RegExp(`^\\| (?:\\w+, )?${name}\\b`, 'm')),
    ...each('docs/faults.md', { ...faultKinds, ...noticeKinds }),
  ])
  assert.deepEqual(lacking, [])
})

test('each kind of fault and notice has a stored answer, which a case in faults.test.ts asks for', () => {
  const lacking = Object.entries({ fault: faultKinds, notice: noticeKinds }).flatMap(([what, kinds]) =>
    Object.keys(kinds)
      .filter((kind) => !existsSync(join(top, `packages/cli/test/faults/${what}-${kind}.txt`)))
      .map((kind) => `packages/cli/test/faults.test.ts has no case for the ${what} ${kind}`),
  )
  assert.deepEqual(lacking, [])
})

test('each builder is an entry point, has its packages as peers, is built and is documented', () => {
  const file = 'packages/build/package.json'
  const { exports, peerDependencies, peerDependenciesMeta } = JSON.parse(textOf(file))
  const names = Object.keys(builders)
  const peers = Object.values(builders).flatMap((each): readonly string[] => each.peers)
  const isSame = (a: readonly string[], b: readonly string[]) => [...a].sort().join() === [...b].sort().join()
  const lacking = lackingIn(
    names.flatMap((name) => [
      ['scripts/build.mjs', name, new RegExp(`pluginEntries = \\{[^}]*\\b${name}:`)] as const,
      ...['docs/build.md', 'docs/library.md', 'packages/build/README.md'].map(
        (path) => [path, name, `@mappa/build/${name}`] as const,
      ),
    ]),
  )
  const entries = Object.keys(exports).filter((each) => each !== './package.json')
  if (
    !isSame(
      entries,
      names.map((name) => `./${name}`),
    )
  )
    lacking.push(`${file} has no case for the entry points of ${names.join(', ')}`)
  if (!isSame(Object.keys(peerDependencies), [...peers, 'mappa']) || !isSame(Object.keys(peerDependenciesMeta), peers))
    lacking.push(`${file} has no case for the peers ${peers.join(', ')}`)
  assert.deepEqual(lacking, [])
})

test('docs/command.md has a part for each command, and names each of its options', () => {
  const lacking = lackingIn(
    commands.flatMap(({ name, define }) => {
      const command = new Command(name)
      define(command, { rest: undefined, binary: '', commands: () => [], finish: () => {} })
      const options = command.options.map(({ long }) => ['docs/command.md', `${long} of ${name}`, `${long}`] as const)
      return [['docs/command.md', name, new RegExp(`\\bmappa ${name}\\b`)] as const, ...options]
    }),
  )
  assert.deepEqual(lacking, [])
})

test('docs/command.md has every option of every command, as the help has it', () => {
  const page = readFileSync(join(top, 'docs/command.md'), 'utf8')
  for (const { name, define } of commands) {
    const command = new Command('mappa').command(name)
    define(command, { rest: undefined, finish: () => {}, binary: '', commands: () => [] })
    const [, section = ''] = page.split(new RegExp(`^## ${name}\n`, 'm'))
    const [own = ''] = section.split(/^## /m)
    const rows = [...own.matchAll(/^\| `(--[^`]+)` \| (.*) \|$/gm)].map(([, flags, about]) => `${flags}: ${about}`)
    const options = command.options.map(({ flags, description, argChoices }) => {
      const choices = argChoices ? ` (${argChoices.join(', ')})` : ''
      return `${flags}: ${description}${choices}`.replaceAll('|', '\\|')
    })
    assert.deepEqual(rows, options, name)
    assert.ok(page.includes(`[\`mappa ${name}\`](#${name}) | ${command.summary()} |`), name)
  }
})
