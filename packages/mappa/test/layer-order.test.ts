// The order of layers, the core of what is promised: every pair of neighbours, in every kind of start.
import assert from 'node:assert/strict'
import { mkdirSync, writeFileSync } from 'node:fs'
import { createServer } from 'node:http'
import type { AddressInfo } from 'node:net'
import { join } from 'node:path'
import test from 'node:test'
import { layerFromValues, legendFromJsonSchema } from 'mappa'
import { settle, settleAsync, survey, surveyAsync, watch } from 'mappa/node'
import { environment, mappa, mappaProcess, node, project } from '../../../test/helpers.js'
import { layerOrder, placesOf } from '../src/node/layers/layer-order.js'

/** What can set a value, lowest first, by what says so; docs/layers.md has them in the same order. */
const places = [
  'the default',
  "the repository's top",
  '.env',
  '.env.staging',
  'a directory',
  'a given layer',
  'a remote source',
  '.env.local',
  '.env.staging.local',
  'the host',
  'the command line',
] as const
type PlaceName = (typeof places)[number]

const document = (url: string) => ({
  type: 'object',
  properties: {
    HIVE: { type: 'string', default: 'the default' },
    SERVICE: { type: 'string', default: url },
  },
  'x-mappa-directories': ['secrets'],
  'x-mappa-top-layers': true,
  'x-mappa-remotes': [{ name: 'the service', url: 'SERVICE' }],
})

/** A project in a repository in which each of these places sets HIVE to its own name. */
function projectWith(set: readonly PlaceName[], url: string): string {
  const top = project({ 'package.json': '{"name":"hill"}', 'hives/package.json': '{"name":"hives"}' })
  const root = join(top, 'hives')
  writeFileSync(join(root, 'mappa.legend.json'), JSON.stringify(document(url)))
  mkdirSync(join(root, 'secrets'))
  // A stage that has a file is one that somebody meant.
  writeFileSync(join(root, '.env'), set.includes('.env') ? 'HIVE=.env\n' : '')
  for (const name of ['.env.staging', '.env.local', '.env.staging.local'] as const)
    if (set.includes(name)) writeFileSync(join(root, name), `HIVE=${name}\n`)
  if (set.includes("the repository's top"))
    writeFileSync(join(top, '.env'), "HIVE='the repository''s top'\n".replace("''", `'"'"'`))
  if (set.includes('a directory')) writeFileSync(join(root, 'secrets/HIVE'), 'a directory')
  return root
}

/** How a start gets what the machine and its caller give it, and which places it does not have. */
interface Start {
  readonly without: readonly PlaceName[]
  readonly value: (root: string, set: readonly PlaceName[]) => Promise<unknown> | unknown
}

const host = (set: readonly PlaceName[]) => ({
  MAPPA_STAGE: 'staging',
  ...(set.includes('the host') && { HIVE: 'the host' }),
})
const inCode = (root: string, set: readonly PlaceName[]) => ({
  root,
  environment: host(set),
  layers: set.includes('a given layer') ? [layerFromValues('given', { HIVE: 'a given layer' })] : [],
  ...(set.includes('the command line') && { commandLine: { HIVE: 'the command line' } }),
})
const set = (names: readonly PlaceName[]) =>
  names.includes('the command line') ? ['--set', 'HIVE=the command line'] : []
const hived = (settings: unknown) => (settings as { readonly HIVE?: string } | undefined)?.HIVE

test('each layer hides the one below it, in every kind of start', async () => {
  let asked: readonly PlaceName[] = []
  const server = createServer((_, response) => {
    response.setHeader('content-type', 'application/json')
    response.end(JSON.stringify(asked.includes('a remote source') ? { HIVE: 'a remote source' } : {}))
  })
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve))
  const url = `http://127.0.0.1:${(server.address() as AddressInfo).port}/`
  const definition = legendFromJsonSchema(document(url))
  const still = legendFromJsonSchema({ ...document(url), 'x-mappa-remotes': [] })
  const sync: readonly PlaceName[] = ['a remote source']
  const starts: Readonly<Record<string, Start>> = {
    settle: { without: sync, value: (root, names) => hived(settle(still, inCode(root, names))) },
    survey: { without: sync, value: (root, names) => hived(survey(still, inCode(root, names)).settings) },
    watch: {
      without: sync,
      value: (root, names) => {
        const watching = watch(still, inCode(root, names), () => {})
        watching.close()
        return hived(watching.survey.settings)
      },
    },
    settleAsync: {
      without: [],
      value: async (root, names) => hived(await settleAsync(definition, inCode(root, names))),
    },
    surveyAsync: {
      without: [],
      value: async (root, names) => hived((await surveyAsync(definition, inCode(root, names))).settings),
    },
    'mappa list': {
      without: ['a given layer'],
      value: async (root, names) => {
        // A machine names the address itself before anything is asked.
        const env = { ...host(names), SERVICE: url }
        const { stdout } = await mappa(['list', '--json', ...set(names)], { cwd: root, env })
        const { variables } = JSON.parse(stdout) as { variables: { name: string; value: string }[] }
        return variables.find(({ name }) => name === 'HIVE')?.value
      },
    },
  }
  try {
    for (const [name, { without, value }] of Object.entries(starts)) {
      const own = places.filter((place) => !without.includes(place))
      for (const [at, place] of own.entries()) {
        // The place and the one below it, then that with all below it.
        for (const names of [own.slice(Math.max(at - 1, 0), at + 1), own.slice(0, at + 1)]) {
          asked = names
          assert.equal(await value(projectWith(names, url), names), place, `${name}: ${names.join(', ')}`)
        }
      }
    }
  } finally {
    server.close()
  }
})

test('programs that are started get the same: with the preload, by mappa with, and by both', async () => {
  const still = { ...document('http://127.0.0.1:9/'), 'x-mappa-remotes': [] }
  const own = places.filter(
    (place) => place !== 'a remote source' && place !== 'a given layer' && place !== 'the command line',
  )
  const print = ['-p', 'process.env.HIVE']
  const preload = ['--import', 'mappa/preload']
  const starts = own.flatMap((place, at) => {
    const names = own.slice(Math.max(at - 1, 0), at + 1)
    const root = projectWith(names, '')
    writeFileSync(join(root, 'mappa.legend.json'), JSON.stringify(still))
    const started = { cwd: root, env: host(names) }
    const within = (...args: string[]) => mappaProcess(['with', '--', process.execPath, ...args, ...print], started)
    return [node([...preload, ...print], started), within(), within(...preload)].map((ended) => ({ place, ended }))
  })
  for (const { place, ended } of starts) {
    const { stdout, stderr } = await ended
    assert.equal(stdout, `${place}\n`, stderr)
  }
})

test('each place of the order is one that some kind of layer has, and each kind has one', () => {
  assert.deepEqual([...new Set(Object.values(placesOf).flat())].sort(), [...layerOrder].sort())
  assert.ok(environment().PATH)
})
