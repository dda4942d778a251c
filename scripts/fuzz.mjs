// Properties that hold for whatever a layer, a legend, an edit or a host's answer may be. Run as `npm run fuzz -- MINUTES`,
// which prints the seed of each round; a round is repeated with `npm run fuzz -- --seed SEED`. `npm test` runs a few.
import assert from 'node:assert/strict'
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs'
import { createServer } from 'node:http'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { fileURLToPath } from 'node:url'
import { parseArgs } from 'node:util'
import fc from 'fast-check'
import {
  layerFromText,
  legendFromJsonSchema,
  mask,
  readLayer,
  reportJson,
  reportSarif,
  reportText,
  surveyLayers,
  toJsonSchema,
} from 'mappa'
import { askRemote } from 'mappa/command'
import { etcdSource } from 'mappa/etcd'
import { layerFromRemote, settleAsync, surveyAsync } from 'mappa/node'

const sentinel = 'Qz7-heather-lime-bramble'

/** Text made of what matters to the grammar, so that most of it is almost right. */
export const layerText = fc
  .array(
    fc.oneof(
      {
        weight: 4,
        arbitrary: fc.constantFrom(
          ...'AB_2=\'"\\$#{} \t\n',
          ...['\r\n', 'export ', '\r', '\0', '\ufeff', '${', 'A=', 'B=', 'KEY=', sentinel, '${KEY}', '# note\n'],
          ...['-----BEGIN A-----', '-----END A-----', '\u202e', '\ud800', '${A:-', '${B:?'],
        ),
      },
      fc.string({ unit: 'binary' }),
    ),
    { maxLength: 60 },
  )
  .map((parts) => parts.join(''))

const name = fc.constantFrom('A', 'B', 'KEY', 'AB_2', 'HIVE')
/** Every line end reads as LF. */
const value = fc.oneof(layerText, fc.string({ unit: 'binary' })).filter((text) => !/\0|\r\n/.test(text))

function valuesOf(layer) {
  return new Map(layer.names().map((each) => [each, layer.get(each)]))
}

/** The document and the layer agree, and printing gives the same text back. */
function reading(text) {
  const layer = readLayer(text)
  assert.equal(layer.toString(), text)
  const given = layerFromText('.env', text)
  const seen = new Map([...given.names()].map((each) => [each, given.get(each)]))
  assert.deepEqual(seen, valuesOf(layer))
}

const edit = fc.oneof(
  fc.record({ act: fc.constant('set'), name, value }),
  fc.record({
    act: fc.constant('add'),
    name,
    value,
    comment: fc.option(fc.string({ unit: 'binary' }), { nil: undefined }),
  }),
  fc.record({ act: fc.constant('rename'), name, fresh: name }),
  fc.record({ act: fc.constant('remove'), name }),
)

/** An edit does what it says, to its own name alone; or it is refused, and nothing has changed. */
function editing(text, edits) {
  const layer = readLayer(text)
  for (const { act, name: own, value: fresh, comment, fresh: other } of edits) {
    const before = valuesOf(layer)
    const printed = layer.toString()
    const starts = layer
      .ranges()
      .get(own)
      ?.map(({ nameStart }) => nameStart)
    const expected = new Map(before)
    try {
      if (act === 'set') layer.set(own, fresh)
      else if (act === 'add') layer.add(own, fresh, comment === undefined ? {} : { comment })
      else if (act === 'rename') layer.rename(own, other)
      else layer.remove(own)
      if (act === 'set' || act === 'add') expected.set(own, fresh)
      else if (before.has(own)) {
        expected.delete(own)
        if (act === 'rename') expected.set(other, before.get(own))
      }
    } catch (error) {
      assert.ok(error instanceof RangeError, String(error))
      assert.equal(layer.toString(), printed)
    }
    const after = layer.toString()
    const again = readLayer(after)
    // A rename follows the name into what is built on it.
    const renamed = act === 'rename' ? new RegExp(`\\$\\{(?:${own}|${other})(?![A-Za-z0-9_])`, 'g') : /(?!)/
    const sorted = (map) =>
      [...map].map(([key, text]) => [key, text.replace(renamed, '${~')]).sort(([a], [b]) => (a < b ? -1 : 1))
    assert.deepEqual(sorted(valuesOf(again)), sorted(expected), `${act} ${own}`)
    assert.deepEqual(sorted(valuesOf(layer)), sorted(expected))
    // What is in front of the first edited place and behind the last one is the same, byte for byte.
    let [start, end] = [0, 0]
    while (start < printed.length && printed[start] === after[start]) start++
    while (end < printed.length - start && printed.at(-1 - end) === after.at(-1 - end)) end++
    if (starts && act !== 'remove' && !(act === 'rename' && printed.includes(`${'${'}${own}`)))
      assert.ok(start >= Math.min(...starts), 'nothing above is touched')
    if (!starts && act === 'set') assert.ok(start + end >= printed.length, 'nothing is taken away by adding')
    if (act === 'set' && !/\n/.test(text.replaceAll('\r\n', '')) && text.includes('\r\n') && layer.faults.length === 0)
      assert.ok(!/[^\r]\n/.test(layer.toString()) || /\r(?!\n)/.test(text), 'line ends stay')
  }
}

/** Whatever is in a layer: places lie in it, every report can be made, and a secret is in none of them. */
function surveying(text, more) {
  const definition = {
    entries: {
      KEY: { type: 'string', secret: true, optional: true },
      A: { type: 'string', reach: 'browser', optional: true, formerly: ['B'] },
      AB_2: { type: 'integer', optional: true },
      HIVE: { type: 'pem', optional: true },
    },
    stages: [],
  }
  const layers = [layerFromText('.env', text), layerFromText('.env.local', `KEY=${sentinel}\n${more}`, { local: true })]
  for (const given of [definition, undefined]) {
    const found = surveyLayers(given, { stage: 'test', layers, thorough: true })
    const reported = [...found.faults, ...found.notices]
    for (const { place } of reported) {
      if (!place) continue
      const lines = (place.file === '.env' ? text : layers[1].text).split('\n')
      assert.ok(place.line >= 1 && place.line <= lines.length, 'a line of the file')
      assert.ok(place.column >= 1 && place.column <= (lines[place.line - 1]?.length ?? 0) + 1, 'a column of the line')
    }
    const reports = [
      reportText(found),
      JSON.stringify(reportJson(found)),
      JSON.stringify(reportSarif(found)),
      JSON.stringify([...found.trails]),
      given ? mask(sentinel, definition.entries.KEY) : '',
    ].join('\n')
    if (given) assert.ok(!reports.includes(sentinel), reports)
    assert.doesNotMatch(reportText(found), /[\0-\x09\x0b-\x1f\x7f-\x9f\u202a-\u202e]/)
  }
}

const word = fc.constantFrom(
  ...[
    'type',
    'enum',
    'default',
    'minimum',
    'maximum',
    'pattern',
    'format',
    'items',
    'secret',
    'reach',
    'fixed',
    'stages',
  ],
  ...[
    'formerly',
    'as',
    'optional',
    'empty',
    'file',
    'delimiter',
    'schemes',
    'description',
    'generate',
    'minItems',
    '__proto__',
  ],
)
const kind = fc.constantFrom(
  ...[
    'string',
    'integer',
    'number',
    'boolean',
    'array',
    'object',
    'port',
    'duration',
    'bytes',
    'pem',
    'browser',
    'build',
  ],
)
const data = fc.oneof(
  kind,
  fc.jsonValue({ maxDepth: 3 }),
  fc.boolean(),
  fc.integer(),
  fc.constantFrom('A', 'a.b', 'a', '^x'),
)
const entry = fc.oneof(
  { weight: 5, arbitrary: fc.record({ type: kind }) },
  {
    weight: 3,
    arbitrary: fc.dictionary(word, data, { maxKeys: 5 }).chain((words) => kind.map((type) => ({ type, ...words }))),
  },
  fc.jsonValue({ maxDepth: 2 }),
)

/** Whatever a legend says: it settles or is at fault, never throws; and a right one is the same by way of JSON Schema. */
function declaring(entries, text) {
  const layers = [layerFromText('.env', text)]
  const found = surveyLayers({ entries, stages: [] }, { stage: 'test', layers })
  assert.equal(found.ok, found.faults.length === 0)
  reportText(found)
  if (found.faults.some(({ kind: each }) => each === 'legend')) return
  const again = surveyLayers(legendFromJsonSchema(JSON.parse(JSON.stringify(toJsonSchema({ entries, stages: [] })))), {
    stage: 'test',
    layers,
  })
  assert.deepEqual(
    again.faults.map(({ kind: each, name: own }) => `${each} ${own}`),
    found.faults.map(({ kind: each, name: own }) => `${each} ${own}`),
  )
}

const answer = fc.record({
  status: fc.constantFrom(200, 200, 200, 204, 301, 302, 400, 401, 404, 429, 500),
  type: fc.constantFrom('application/json', 'text/plain', 'image/png', ''),
  location: fc.constantFrom(undefined, '/', '//', 'http://[', 'https://elsewhere.example/'),
  body: fc.oneof(
    layerText,
    fc.json(),
    fc.dictionary(fc.constantFrom('A', 'KEY', '2'), fc.jsonValue()).map((each) => JSON.stringify(each)),
  ),
})

/** A host for answers, so that whatever one says is asked for over a real connection. */
async function host() {
  let next
  const server = createServer((_, response) => {
    const { status, type, location, body } = next
    response.writeHead(status, { ...(type && { 'content-type': type }), ...(location && { location }) })
    response.end(status === 204 ? undefined : body)
  })
  await new Promise((resolve) => server.listen(0, '127.0.0.1', resolve))
  const url = `http://127.0.0.1:${server.address().port}/`
  return {
    close: () => server.close(),
    /** Whatever it answers: texts, or one fault that says neither the address nor the token nor what was answered. */
    answering: async (given) => {
      next = given
      const asked = await askRemote({ name: 'the host', url, token: sentinel }, { timeout: 2000 })
      assert.ok('text' in asked || !JSON.stringify(asked).includes(sentinel))
      const legend = {
        entries: { A: { type: 'string', optional: true }, URL: { type: 'string' } },
        stages: [],
        remotes: [{ name: 'the host', url: 'URL' }],
      }
      const options = {
        root: fileURLToPath(new URL('..', import.meta.url)),
        stage: 'test',
        environment: { URL: url },
        timeout: 2000,
      }
      const { faults } = await surveyAsync(legend, options)
      for (const { kind: each, message } of faults)
        assert.ok(['remote', 'wrong-type'].includes(each) && !message.includes(url), message)
      if (faults.length > 0) await assert.rejects(settleAsync(legend, options))
    },
  }
}

const odd = fc.oneof(
  fc.jsonValue({ maxDepth: 1 }),
  fc.constantFrom('YXBpYXJ5L0E=', 'eA==', '7', '-1', '9'.repeat(400), 'apiary/A', { length: 1e9 }, null),
)
/** What looks like the answer of a store, and is not quite. */
const storeAnswer = fc.record(
  {
    header: fc.oneof(fc.record({ revision: odd }), odd),
    kvs: fc.oneof(
      fc.array(fc.oneof(fc.record({ key: odd, value: odd, mod_revision: odd }), odd), { maxLength: 3 }),
      odd,
    ),
    error: odd,
  },
  { requiredKeys: [] },
)

/** A store that answers anything: texts, or one fault that says nothing of it; never at length. */
async function store() {
  let next
  const server = createServer((_, response) => response.end(next))
  await new Promise((resolve) => server.listen(0, '127.0.0.1', resolve))
  const url = `http://127.0.0.1:${server.address().port}`
  return {
    close: () => server.close(),
    storing: async (given) => {
      next = JSON.stringify(given)
      const source = etcdSource({ name: 'the store', url, prefix: 'apiary/', user: 'rosa', password: sentinel })
      const { faults = [] } = await layerFromRemote(source, { timeout: 2000 })
      for (const { kind: each, message } of faults)
        assert.ok(each === 'remote' && !message.includes(url) && !message.includes(sentinel), message)
      assert.ok(
        faults.every(({ message }) => !message.includes('did not answer within')),
        next,
      )
    },
  }
}

/** What may stand between two words of code without changing what it says. */
const blank = fc.constantFrom('', ' ', '\n', '\t', '/* KEY */', ' // KEY\n', '\r\n', '/*\n*/')
/** Ways to take a name, `~` where a blank may be, `^` where one must, and `N` for the name; `@` is a name that nothing else has. */
const takings = [
  "import~{~N^as^@~}~from~'virtual:mappa/settings'~;read(@)",
  'import~{~A^as^@a~,~N^as^@~,~}~from~"virtual:mappa/settings"~;read(@, @a)',
  "import~*~as^@^from~'virtual:mappa/settings'~;read(@~.~N)",
  "import~*~as^@^from~'virtual:mappa/settings'~;const @f = () => @ ?.[~'N'~];read(@f)",
  "export~{~N^as^@~}~from~'virtual:mappa/settings'~;",
  "read((await import(~'virtual:mappa/settings'~))~.~N)",
  'const {~N~:~@~} = await import(~`virtual:mappa/settings`~);read(@)',
  'read(import~.~meta~.~env~.~N)',
  'read(import.meta?.env?.~N)',
  "read(import.meta~.env~[~'N'~])",
  'const {~N~:~@~=~1~} = import.meta~.env~;read(@)',
  'const @ = import.meta.env~;read(@~.~N)',
  'const @f = (@) => @.N~;read(import.meta.env.MODE, (() => { const @ = import.meta~.env; return @~.N })())',
  'read(process~.env~.~N)',
  "read(globalThis~.process~.env~[~'N'~])",
]
/** Ways to take everything, whatever it is called. */
const wholes = [
  "import^@^from~'virtual:mappa/settings'~;read(@)",
  "import~*~as^@^from~'virtual:mappa/settings'~;read({~...@~})",
  "export~*~from~'virtual:mappa/settings'~;",
  "export~*~as^@^from~'virtual:mappa/settings'~;",
  "read(await import(~'virtual:mappa/settings'~))",
]
/** Statements that take nothing, and what only looks as if it did. */
const others = ["read('import.meta.env is not.KEY')", "read('KEY')", '// import.meta.env.KEY\n', 'read({ KEY: 1 }.KEY)']

const statement = fc
  .oneof(
    { weight: 6, arbitrary: fc.tuple(fc.constantFrom(...takings), fc.constantFrom('A', 'B', 'B', 'A', 'KEY')) },
    { weight: 1, arbitrary: fc.tuple(fc.constantFrom(...wholes), fc.constant('*')) },
    { weight: 2, arbitrary: fc.tuple(fc.constantFrom(...others), fc.constant(undefined)) },
  )
  .chain(([form, taken]) =>
    fc.array(blank, { minLength: 12, maxLength: 12 }).map((blanks) => ({
      taken,
      // What nothing reads is left out of what is built.
      isRead: !form.startsWith('export'),
      code: form
        .replaceAll(/[~^]/g, (sign) => blanks.shift() || (sign === '^' ? ' ' : ''))
        .replaceAll(/\bN\b/g, taken ?? ''),
    })),
  )

/** A builder that is given modules, and refuses those that take what a page may not have: by its own search, before any is parsed. */
async function builder() {
  const [{ build }, { mappa }] = [await import('vite'), await import('@mappa/build/vite')]
  const root = mkdtempSync(join(tmpdir(), 'mappa-fuzz-'))
  const write = (file, text) => writeFileSync(join(root, file), text)
  const entries =
    '{ "A": { "type": "string", "x-mappa-reach": "browser" }, "B": { "type": "string", "x-mappa-reach": "browser" }, "KEY": { "type": "string", "x-mappa-secret": true } }'
  write('mappa.legend.json', `{ "type": "object", "properties": ${entries} }`)
  write('.env', `A=meadow-a\nB=meadow-b\nKEY=${sentinel}\n`)
  write('package.json', '{ "type": "module" }')
  return {
    close: () => rmSync(root, { recursive: true, force: true }),
    bundling: async (statements) => {
      const code = statements.map((each, at) => each.code.replaceAll('@', `own${at}_`)).join('\n')
      write('main.js', `const read = (...all) => globalThis.all.push(...all)\n${code}\n`)
      const built = await build({
        root,
        configFile: false,
        logLevel: 'silent',
        plugins: [mappa()],
        build: { write: false, minify: false, target: 'esnext', rolldownOptions: { input: join(root, 'main.js') } },
      }).catch((error) => error)
      const mustStop = statements.some(({ taken }) => taken === 'KEY' || taken === '*')
      const said = built instanceof Error ? built.message : ''
      assert.ok(!said.includes('Parse') && !said.includes('PARSE'), `${code}\n${said}`)
      assert.equal(/KEY is secret|imports all settings/.test(said), mustStop, `${code}\n${said}`)
      if (said !== '') return
      const text = built.output.map(({ code: own, source }) => own ?? source).join('\n')
      assert.ok(!text.includes(sentinel))
      const names = new Set(statements.flatMap(({ taken, isRead }) => (taken && isRead ? [taken] : [])))
      for (const own of names) assert.match(text, new RegExp(`meadow-${own.toLowerCase()}`), code)
    },
  }
}

/** Each property with the share of runs it gets; those that ask over a connection take longest. */
export async function fuzz({ seed, runs }) {
  const options = (share) => ({
    seed,
    numRuns: Math.max(1, Math.round(runs * share)),
    ...(process.env.CI && { verbose: 1 }),
  })
  fc.assert(fc.property(layerText, reading), options(1))
  fc.assert(fc.property(layerText, fc.array(edit, { minLength: 1, maxLength: 4 }), editing), options(1))
  fc.assert(fc.property(layerText, layerText, surveying), options(0.3))
  fc.assert(fc.property(fc.dictionary(name, entry, { maxKeys: 4 }), layerText, declaring), options(0.5))
  const { answering, close } = await host()
  try {
    await fc.assert(fc.asyncProperty(answer, answering), options(0.01))
  } finally {
    close()
  }
  const { storing, close: end } = await store()
  try {
    await fc.assert(fc.asyncProperty(storeAnswer, storing), options(0.1))
  } finally {
    end()
  }
  const { bundling, close: remove } = await builder()
  try {
    await fc.assert(fc.asyncProperty(fc.array(statement, { minLength: 1, maxLength: 4 }), bundling), options(0.05))
  } finally {
    remove()
  }
}

if (process.argv[1] === fileURLToPath(import.meta.url)) {
  const { values, positionals } = parseArgs({ options: { seed: { type: 'string' } }, allowPositionals: true })
  const end = Date.now() + Number(positionals[0] ?? 1) * 60_000
  let rounds = 0
  do {
    const seed = values.seed === undefined ? Math.floor(Math.random() * 2 ** 31) : Number(values.seed)
    console.log(`Round ${++rounds}, seed ${seed}`)
    await fuzz({ seed, runs: 5000 })
  } while (values.seed === undefined && Date.now() < end)
  console.log(`${rounds} rounds held.`)
}
