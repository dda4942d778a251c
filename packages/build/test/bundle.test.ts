// What builders share, without a builder: what code takes, what it is told, and what is put in. Cases and answers are stored.
import assert from 'node:assert/strict'
import { writeFileSync } from 'node:fs'
import { dirname, join } from 'node:path'
import test from 'node:test'
import { parse } from 'acorn'
import { type Entries, type Fault, type Legend, layerFromText, legend, surveyLayers } from 'mappa'
import { browserModule, namesAtStart, withEmptyBlock } from 'mappa/plugin'
import { project, storedIn, top } from '../../../test/helpers.js'
import { withEnv, withPercentNames, withTexts } from '../src/bundle/fill.js'
import { graphOf, isOwnModule, moduleOf, refusedAssets } from '../src/bundle/page-graph.js'
import { type ModuleGraph, refusedInPage, refusedModule, refusedNames } from '../src/bundle/refuse.js'
import { isKeptName, Session } from '../src/bundle/session.js'
import { pageTexts, serverModule } from '../src/bundle/settings-module.js'
import { readsEnv, Suspicion } from '../src/bundle/suspect.js'
import { takenFromEnv, takenFromProcess, takenSettings } from '../src/bundle/taken.js'
import { carriedText } from '../src/vite/carried.js'

const { store, answered } = storedIn('packages/build/test/stored')
const shown = (value: unknown) => JSON.stringify(value) ?? 'undefined'
const entries: Entries = {
  PAGE: { type: 'string', reach: 'browser' },
  HIVES: { type: 'integer', reach: 'browser', default: 3, as: 'hives.count' },
  NOTE: { type: 'string', reach: 'browser', fixed: 'start', stages: { test: { optional: true } } },
  LATE: { type: 'string', reach: 'browser', fixed: 'start', optional: true },
  GONE: { type: 'string', reach: 'browser', optional: true },
  KEY: { type: 'string', secret: true, optional: true },
  PLACE: { type: 'string', default: 'meadow', as: 'place' },
  BUILT: { type: 'string', fixed: 'build', default: '</script>' },
}
const definition = legend(entries) as unknown as Legend
const found = surveyLayers(definition, {
  stage: 'staging',
  layers: [layerFromText('.env', 'PAGE="<a\\"`&"\nNOTE=n\n')],
})
const texts = pageTexts(definition, found)

/** So many names that a pattern of them would be too long. */
const page = { type: 'string', reach: 'browser', optional: true }
const names = Array.from({ length: 600 }, (_, at) => [`HIVE_${at}_NAME`, page])
const large = new Suspicion({ entries: Object.fromEntries(names), stages: [] } as unknown as Legend)

const told = (here: string, { kind, message, remedy, place, excerpt }: Fault) => {
  const { text = '', start = 0, end = 0 } = excerpt ?? {}
  const at = place ? ` ${place.file}:${place.line}:${place.column}-${place.endColumn}` : ''
  return `    ${kind}${at} ${text.slice(0, start)}[${text.slice(start, end)}] ${message} ${remedy}`.replaceAll(
    here,
    '<top>',
  )
}

/** A graph of modules that are in files of a project, found by the text of their imports. */
const graphIn = (here: string, entries: readonly string[]): ModuleGraph => ({
  entries: entries.map((each) => join(here, each)),
  resolve: async (path, importer) => (path.startsWith('.') ? join(dirname(importer), path) : undefined),
  nameOf: (id) => id.replace(/\?.*/, '').slice(here.length + 1),
})

test('what code takes of settings and environments, what is refused, and what is put in its place', async () => {
  const here = project({
    'index.html': '<p>\n<script type="module" src="./main.js"></script>',
    'main.js': "import './other.js'\nimport './map.js?a'\nimport './node_modules/a/b.js'",
    'other.js': "import('./none.js')",
    'map.js': "import {\n  a } from './part.js'",
  })
  const file = join(here, 'part.js')
  const graph = graphIn(here, ['index.html'])
  const [suspicion, inWorkers] = [new Suspicion(definition), new Suspicion(definition, true)]
  await answered('modules', async (line) => {
    const code = line.replaceAll('\\n', '\n')
    const program = parse(code, { ecmaVersion: 'latest', sourceType: 'module' })
    const taken = [takenSettings, takenFromEnv, takenFromProcess].map((of) => {
      const { names, whole } = of(program)
      return [...names, ...(whole ? ['*'] : [])].join()
    })
    const asks = [suspicion, inWorkers].map((each) =>
      Object.entries({
        settings: each.ofSettings(code),
        'import.meta.env of a page': each.ofEnv(code, true),
        'import.meta.env': each.ofEnv(code, false),
        'process.env': each.ofProcess(code),
        'some environment': readsEnv(code),
      })
        .flatMap(([what, may]) => (may ? [what] : []))
        .join(', '),
    )
    writeFileSync(file, code)
    const faults: Fault[] = []
    const module = { id: `${file}?x`, code, parse: () => program }
    for (const of of [suspicion, inWorkers]) {
      const refused = [true, false].map((isOwn) => refusedNames({ ...module, isOwn }, definition, of, graph))
      const own = (await Promise.all(refused)).flat()
      faults.push(...own)
      // A builder's own search lets nothing go by that is refused.
      for (const each of [of, large])
        assert.ok(own.length === 0 || each.patterns().some((pattern) => pattern.test(code)), code)
    }
    const filled = [withTexts(program, code, ['import.meta', 'process'], texts), withEnv(code, texts)]
    return [
      `    takes of settings: ${taken[0] || '–'}; of import.meta.env: ${taken[1] || '–'}; of process.env: ${taken[2] || '–'}`,
      `    may read, in a page: ${asks[0] || '–'}; in a worker: ${asks[1] || '–'}`,
      `    patterns that match: ${
        suspicion
          .patterns()
          .flatMap((each, at) => (each.test(code) ? [at + 1] : []))
          .join(', ') || '–'
      }`,
      ...filled.filter((each) => each !== code).map((each) => `    ${shown(each)}`),
      ...new Set(faults.map((each) => told(here, each))),
    ]
  })
})

test('what a page is given for what it says between percent characters, and what it carries', async () => {
  await answered('page-names', (line) => {
    const html = line.replaceAll('\\n', '\n')
    const refused = refusedInPage(html, '/pages/a.html', definition, graphIn('/pages', []))
    return [
      ...[withPercentNames(html, texts), withEmptyBlock(html, 'staging')].map((each) => `    ${shown(each)}`),
      ...refused.map((each) => told('/pages', each)),
    ]
  })
})

test('what the settings module is, for pages and for servers', () => {
  const remote = { ...definition, remotes: [{ name: 'hill', url: 'PAGE' }] }
  const here = project({ 'mappa.legend.json': '{"properties":{"A":{"default":"</script>"}}}' })
  const json = join(here, 'mappa.legend.json')
  const calm = surveyLayers(legend({}) as unknown as Legend, { stage: 'test', layers: [] })
  store('made', [
    browserModule(definition, found, 'build'),
    browserModule(definition, found, 'serve'),
    browserModule(legend({}) as unknown as Legend, calm, 'build'),
    serverModule(definition, '/hill/mappa.legend.js', found, { here: 'import.meta.url', outputAt: 'dist/server' }),
    serverModule(remote as Legend, '/hill/mappa.legend.js', found, { here: '__dirname' }, '/hill'),
    serverModule(legend({}) as unknown as Legend, json, calm, { here: 'import.meta.url' }),
    serverModule(legend({}) as unknown as Legend, join(here, 'none.json'), calm, { here: 'import.meta.url' }),
    shown(namesAtStart(definition)),
    shown([...texts]),
    String(new Suspicion(definition).patterns()),
    String(large.patterns()),
    ...[[], ['PAGE'], ['NOTE'], ['PAGE', 'NOTE', 'LATE', 'HIVES']].map((names) =>
      String(carriedText('a.html', names, ['NOTE', 'LATE'], 'staging')),
    ),
  ])
})

test('which files may not get into a page, and how a page came to them', async () => {
  const here = project({
    '.env': 'A=1',
    '.env.example': '',
    'a.env': '',
    'secrets/KEY': 'k',
    'secretsx/a.js': '',
    'page/a.js': "new URL('./b.js', import.meta.url)",
    'page/b.js': '',
    'mappa.legend.mjs': '',
    'page/index.html': '<script src="./a.js"></script>',
    'page/.env.local': 'B=1',
  })
  const session = new Session(
    join(here, 'page'),
    '..',
    { name: 'test', from: 'x' },
    'build',
    async () => ({
      loaded: { definition: { ...definition, directories: ['secrets'] } },
      dependencies: [],
    }),
    false,
  )
  await session.project.read()
  const graph = graphOf(session, undefined, async (path, importer) => join(dirname(importer), path))
  const ids = session.concerningIds()
  const lines: string[] = []
  const library = join(top, 'packages/mappa/dist')
  const paths = [
    '.env',
    '.env?raw',
    '.env.example',
    '.env.example.local',
    'a.env',
    '.envx',
    'secrets/KEY',
    'secretsx/a.js',
    'mappa.legend.mjs',
    'mappa.legend.mjs?a',
    'page/.env.local',
    'page/a.js',
  ]
  for (const path of [
    ...paths.map((each) => join(here, each)),
    join(library, 'node.mjs'),
    join(library, 'legend.mjs'),
  ]) {
    const why = session.keptFromPages(path)
    lines.push(
      `${path} ${isKeptName(path)} ${ids.test(path)} ${session.isOneValueFile(path)} ${session.nameOf(path)}: ${why}`,
    )
    if (why) lines.push(told(here, await refusedModule(path, why, graph)))
  }
  for (const [at, code] of [
    "new URL('../.env', import.meta.url)",
    'new URL("../secrets/KEY?a", import.meta.url)',
    'new  URL( `../a.env` , import.meta.url )',
    "new URL('../.env', base)",
    "url('../.env')",
  ].entries()) {
    const id = join(here, `page/${at}.js`)
    writeFileSync(id, code)
    const faults = await refusedAssets(session, `${id}?a`, code, graph)
    lines.push(
      `${code} ${(await refusedAssets(session, id, 'none', graph)).length}`,
      ...faults.map((each) => told(here, each)),
    )
  }
  lines.push(
    ...['/a/node_modules/b.js', 'C:\\node_modules\\b.js', '\0a', '/a.js', '/node_modulesx/b.js'].map(
      (id) => `${shown(id)} ${isOwnModule(id)}`,
    ),
  )
  lines.push(told(here, await refusedModule(join(here, 'page/b.js'), 'is no part of a page', graph)))
  let parsed = 0
  const { parse: once } = moduleOf('/a.js', 'a', () => ++parsed)
  lines.push(
    String([
      once(),
      once(),
      graphOf(session, 'b.html', async () => '').entries,
      graphOf(session, { a: 'c.js' }, async () => '').entries,
      graph.entries,
    ]),
  )
  lines.push(...session.project.notices.map((each) => told(here, each as never)), ...session.project.files)
  lines.push(shown([session.atStart, session.reach, session.values, [...session.texts]]))
  // What a build is held to, and what is served: servers have their values where they start, and pages here.
  const least = Object.entries({ S: {}, N: { reach: 'browser', fixed: 'start' }, B: { reach: 'browser' } })
  const held = Object.fromEntries(least.map(([name, words]) => [name, { type: 'string', ...words }]))
  const given = [
    { definition: { entries: held, stages: [] } as unknown as Legend },
    { fault: { kind: 'legend', message: 'no legend' } as Fault },
  ]
  for (const command of ['build', 'serve'] as const)
    for (const loaded of given) {
      const load = async () => ({ loaded, dependencies: ['/other'] })
      const own = new Session(here, undefined, { name: 'test', from: 'x' }, command, load, command === 'serve')
      await own.project.read()
      const { root, files, faults } = own.project
      lines.push(
        `${command} ${root} ${files}`,
        ...faults.map((each) => told(here, each)),
        own.report(faults),
        own.report([], true),
      )
      own.started = true
      lines.push(own.report([]), String(own.pages), shown([...own.filled]), own.error().stack ?? '')
    }
  store(
    'kept',
    lines.map((each) => each.replaceAll(here, '<top>').replaceAll(library, '<library>')),
  )
})
