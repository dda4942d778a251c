// What the core says and makes of many small cases, of which each word counts: they are in stored/, the cases and the answers.
// A line that is added to a case there gets its answer by WRITE_STORED=1, to be read in the diff.
import assert from 'node:assert/strict'
import { join } from 'node:path'
import test from 'node:test'
import {
  changesBetween,
  type Entries,
  type Fault,
  flagHelp,
  type Legend,
  layerFromText,
  layerFromValues,
  legend,
  legendFromJsonSchema,
  mask,
  type Notice,
  readLayer,
  reportJson,
  reportSarif,
  reportText,
  settleLayers,
  surveyLayers,
  toJsonSchema,
  variablesOf,
} from 'mappa'
import { deliveredValues, reportLines, tryPatternsWith } from 'mappa/command'
import { builtStageOf, pageValues, stampPage } from 'mappa/page'
import { project, storedIn } from '../../../test/helpers.js'
import { readValues } from '../src/format/values.js'
import { gatherPlain, needsMore } from '../src/node/layers/plain.js'
import { gather } from '../src/node/machine.js'
import { originsIn, originsText } from '../src/report/origins.js'
import { tagsIn } from '../src/report/page.js'
import type { Sources } from '../src/settle/reading/read.js'

const { store, answered, answeredEach } = storedIn('packages/mappa/test/stored')

const told = ({ kind, name, message, remedy, place, excerpt }: Fault | Notice) => {
  const { text = '', start = 0, end = 0 } = excerpt ?? {}
  return [
    `    ${kind}${name === undefined ? '' : ` of ${name}`}: ${message}`,
    ...(remedy === undefined ? [] : [`        ${remedy}`]),
    ...(place ? [`        ${place.file}:${place.line}:${place.column}-${place.endColumn}`] : []),
    ...(excerpt ? [`        ${text.slice(0, start)}[${text.slice(start, end)}]`] : []),
  ].join('\n')
}
const aFunction = 'a function'
const shown = (value: unknown) =>
  JSON.stringify(value, (_, each) => (typeof each === 'function' ? aFunction : each)) ?? 'undefined'
const given = (text: string) => JSON.parse(text, (_, each) => (each === aFunction ? String : each))
const attempt = (action: () => unknown) => {
  try {
    return shown(action())
  } catch (error) {
    return String(error)
  }
}

test('what a legend that contradicts itself is told', async () => {
  await answered('contradictions', (line) => {
    const parts = given(line)
    // What is no legend at all stands among them.
    const isLegend = Object.keys(Object(parts)).some((word) => word !== 'default')
    const definition = isLegend ? { entries: {}, stages: [], ...parts } : parts
    return surveyLayers(definition as Legend, { stage: 'development', layers: [] }).faults.map(told)
  })
})

test('what texts come to by their entries, and what is said of those that do not fit', () => {
  answeredEach('values', (entry, text) => {
    const definition = { entries: { A: given(entry) }, stages: [] } as unknown as Legend<Entries>
    const found = surveyLayers(definition, { stage: 'staging', layers: [layerFromValues('given', { A: given(text) })] })
    const said = found.faults.map(({ message, remedy }) => `${message} | ${remedy}`).join(' & ')
    return found.ok ? shown(found.settings.A) : said
  })
})

test('what a mask shows', () => {
  answeredEach('masks', (pattern, value) => mask(given(value), pattern === 'no pattern' ? undefined : { pattern }))
})

/** What the fast reader gives, visited and asked for by name. */
function fastOf(text: string): [string, string | undefined][] {
  const values = readValues(text)
  const last = new Map<string, string>()
  values.each((name, value) => last.set(name, value))
  for (const [name, value] of last) assert.equal(values.get(name), value)
  assert.deepEqual([...values.names()], [...last.keys()])
  return [...last]
}

test('names, values, places and flaws, from the document and from the fast reader alike', async () => {
  await answered('texts', (line) => {
    const text = given(line)
    const layer = readLayer(text)
    const values = layer.names().map((name) => [name, layer.get(name)])
    assert.equal(layer.toString(), text)
    assert.deepEqual(fastOf(text), values, text)
    const [fast, ranges] = [readValues(text), layer.ranges()]
    assert.equal(fast.behind('NONE'), '')
    for (const [name, all] of ranges) assert.deepEqual(fast.ranges(name), all, text)
    const flaws = layer.faults.map(({ flaw, line, column }) => ` ${flaw} ${line}:${column}`)
    const spans = [...ranges].map(([name, all]) => {
      const places = all.map((each) =>
        [each.nameStart, each.valueStart, each.valueEnd, each.style, each.loose].join(' '),
      )
      return `${name} at ${places.join(', ')}${fast.behind(name) && `, behind it ${shown(fast.behind(name))}`}`
    })
    return [`    ${shown(values)}${flaws.join('')}${spans.map((each) => `; ${each}`).join('')}`]
  })
})

const hives: Entries = {
  HIVES: { type: 'integer', default: 3, formerly: ['OLD', 'OLDER'] },
  TOKEN: { type: 'string', secret: true, optional: true, obtain: 'the wiki' },
  PAGE: { type: 'string', reach: 'browser', optional: true },
  GONE: { type: 'string', optional: true, deprecated: true },
  A: { type: 'string', optional: true },
  KEY: { type: 'string', secret: true, optional: true },
}

test('what is said of layer files, with and without a legend, and what they come to', async () => {
  const names = ['.env', '.env.production', '.env.production.local']
  await answered('layers', (line) =>
    [undefined, legend(hives)].flatMap((definition) => {
      const parts = given(line)
      const texts: readonly string[] = parts.texts ?? parts
      const files = texts.map((text, at) => layerFromText(names[at] as string, text))
      const host = layerFromValues('the process environment', parts.environment ?? {}, { source: 'environment' })
      const layers = parts.environment ? [...files, host] : files
      const found = surveyLayers(definition as Legend | undefined, { stage: 'production', layers, thorough: true })
      const trails = [...found.trails].map(([name, { steps, winner }]) => {
        assert.equal(
          winner,
          steps.find(({ passed }) => !passed),
        )
        return `    ${name}: ${shown(steps)}`
      })
      return [
        `  ${definition ? 'with' : 'without'} a legend: ${shown(Object.fromEntries(found.texts))}`,
        ...[...found.faults, ...found.notices].map(told),
        ...(layers.length > 1 ? trails : []),
        ...(parts.environment
          ? [`    secrets: ${shown(found.secretsIn(Object.values(parts.environment).join(' ')))}`]
          : []),
      ]
    }),
  )
})

test('what reports look like, in narrow windows and wide ones', () => {
  const layers = [
    layerFromText(
      '.env',
      `HIVES=many\nA=\${NONE}\nTOKEN=changeme\n${'B'.repeat(80)}-=x\nC=${'long '.repeat(30)}"\nD='open\n`,
    ),
    layerFromText('.env.production', 'PAGE=tile_test_meadow\nhives=2\nE=1 2\n'),
  ]
  const found = surveyLayers(legend(hives), { stage: { name: 'production', from: 'MAPPA_STAGE' }, layers })
  const paint = {
    bold: (text: string) => `<b>${text}</b>`,
    fault: (text: string) => `<r>${text}</r>`,
    notice: (text: string) => `<y>${text}</y>`,
    dim: (text: string) => `<d>${text}</d>`,
  }
  const fine = surveyLayers(legend({}), { stage: 'test', layers: [] })
  const { faults, notices } = found
  const here = { file: 'src/hive house/ä.ts', line: 2, column: 1, endColumn: 4 }
  const other = { kind: 'no-entry', message: 'A is read.', layer: 'the code', remedy: 'Run: mappa add A' } as const
  const bare = { kind: 'hidden-by-local', message: 'the code is wrong', layer: 'the code' } as const
  const marked = (text: string, start: number, end: number) =>
    ({ ...other, place: here, excerpt: { text, start, end } }) as const
  const cases: (readonly Fault[])[] = [
    [
      other,
      bare,
      { ...other, remedy: 'Run: mappa add A Run: mappa check' },
      { ...other, remedy: 'Look. Run: mappa check' },
    ],
    [
      marked('f(A)', 2, 3),
      marked(`${'f'.repeat(29)}A${'g'.repeat(30)}`, 26, 30),
      marked(`${'f'.repeat(27)}Ag`, 27, 60),
    ],
    [marked('f'.repeat(36), 25, 36), marked('f'.repeat(37), 26, 26), marked('f'.repeat(90), 80, 90)],
  ]
  store('reports', [
    ...cases.flatMap((each) => [
      reportText({ stage: found.stage, faults: each, notices: each, accepted: each } as never, {
        width: 30,
        consequence: 'No.',
      }),
      reportLines({ stage: found.stage, faults: each, notices: [{ kind: 'misnamed', message: 'one', remedy: 'two' }] }),
      shown(reportSarif({ stage: found.stage, faults: each, notices: [bare] }, { root: 'file:///srv/' })),
    ]),
    reportText(
      { stage: { name: 'a b', from: 'MAPPA_STAGE' }, faults: [], notices: [bare, bare] },
      { consequence: 'No.' },
    ),
    shown(reportJson({ stage: { name: 'test', from: undefined }, faults: [], notices })),
    shown(reportJson({ stage: { name: 'test', from: 'x' }, faults, notices: [], accepted: [{ kind: 'rule' }] })),
    attempt(() =>
      settleLayers(legend(hives) as Legend, { stage: 'test', layers: [layerFromText('.env', 'HIVES=x\nA=$A\n')] }),
    ),
    ...[40, 60, 100, 200].map((width) => reportText(found, { width, consequence: 'Nothing was started.' })),
    reportText(found, { width: 100, paint } as never),
    reportText(fine, { width: 100 }),
    reportText({ stage: found.stage, faults: found.faults, notices: [] }, { width: 100 }),
  ])
})

test('where a page takes its settings, whatever its tags are like', async () => {
  const page = { type: 'string', reach: 'browser', fixed: 'start' } as const
  const settings = settleLayers(legend({ PAGE: page, HIVES: { type: 'integer', default: 3 } }) as Legend, {
    stage: 'production',
    layers: [layerFromText('.env', 'PAGE=</script>\u2028$&\n')],
  }) as object
  // What a function of the legend makes of a value may hold anything.
  const key = { type: 'string', secret: true } as const
  const leaking = [(text: string) => text, () => ({ key: ['xheather-limex'] }), () => 'heathen'].map((read) =>
    attempt(() => {
      const definition = legend({ PAGE: { ...page, read }, KEY: key }) as Legend
      const layers = [layerFromText('.env', 'PAGE=hive\nKEY=heather-lime\n')]
      return pageValues(settleLayers(definition, { stage: 'production', layers }) as object)
    }),
  )
  store('leaking', leaking)
  await answered('pages', (line) => {
    const html = given(line)
    const tags = [...tagsIn(html)].map(({ start, tag, name }) => `${start}-${start + tag.length} ${name}`)
    return [`    ${tags.join(', ')}; built for ${builtStageOf(html)}`, `    ${shown(stampPage(html, settings))}`]
  })
})

test('what edits leave of a layer file', () => {
  answeredEach('edits', (text, edit) => {
    const layer = readLayer(given(text))
    const [, name = '', args = ''] = /^(\w+) (.*)$/.exec(edit) ?? []
    return attempt(() => {
      const gave = (layer as unknown as Record<string, (...args: readonly string[]) => unknown>)[name]?.(...given(args))
      return [layer.toString(), ...(gave === undefined ? [] : [gave])]
    })
  })
})

test('what a JSON legend comes to, and a legend as JSON Schema', async () => {
  await answered('schemas', (line) => {
    const document = given(line)
    const asLegend = document?.stages && document.entries ? shown(toJsonSchema(document)) : ''
    return [
      `    read: ${attempt(() => legendFromJsonSchema(document))}`,
      ...(asLegend ? [`    written: ${asLegend}`] : []),
    ]
  })
})

test('which names are taken for slips of the hand', async () => {
  const text = { type: 'string', optional: true } as const
  const definition = legend({ HIVES: text, FEED_URL: text, API: text, S3_KEY: text })
  await answered('slips', (name) => {
    const found = surveyLayers(definition, { stage: 'test', layers: [layerFromText('.env', `${name}=x\n`)] })
    return [...found.faults, ...found.notices].filter(({ kind }) => /^(?:undeclared|bad-name)$/.test(kind)).map(told)
  })
})

test('what a legend says of its variables, and what changes from one state to another', () => {
  const definition = legend(
    {
      ...hives,
      PORT: { type: 'port', default: 4100, as: 'collector.port', description: 'Where it listens', examples: [80, 443] },
      FEED_URL: {
        type: 'string',
        format: 'uri',
        schemes: ['https'],
        stages: { test: { optional: true }, production: { default: 'https://feed.example' } },
      },
      MODE: { type: 'string', enum: ['quiet', 'loud'], fixed: 'build', default: 'quiet', file: true },
      SEEN: { type: 'string', reach: 'browser', fixed: 'start', default: 'yes', read: (text: string) => text.length },
      NEW: { type: 'string', secret: true, generate: { bytes: 16, text: 'hex' } },
      LIST: { type: 'array', items: { type: 'integer' }, default: [1, 2], delimiter: ';' },
      WAIT: { type: 'duration', default: 90_000 },
      PLAN: { type: 'object', default: { a: 1 } },
      RATIO: { type: 'number', default: 0.5 },
      OPEN: { type: 'boolean', default: true },
    },
    { stages: { preview: { like: 'production' } } },
  ) as Legend
  const state = (...texts: readonly string[]) =>
    surveyLayers(definition, {
      stage: 'preview',
      layers: texts.map((text, at) => layerFromText(['.env', '.env.preview'][at] as string, text)),
    })
  const states = [
    state('NEW=heather\n'),
    state('NEW=clover\nPORT=1\n', 'MODE=loud\nX=1\n'),
    state('NEW=\nPORT=2\nX=2\n'),
    state('NEW=clover\nA=tile\nLIST=3;4\n'),
  ]
  const text = { type: 'string', empty: 'keep' } as const
  const kept = legend({ A: text, B: text, C: text }) as unknown as Legend
  store('variables', [
    ...variablesOf(definition).map((each) => shown(each)),
    ...variablesOf(definition, 'preview').map((each) => shown(each)),
    ...variablesOf(definition, 'test').map(({ name, required, default: value }) => `${name} ${required} ${value}`),
    ...states.flatMap((before) => states.map((after) => shown(changesBetween(before, after)))),
    ...states.map(({ settings }) => (settings ? pageValues(settings) : 'no settings')),
    ...[{ width: 60 }, { stage: 'test', program: 'node hives.js' }].map((options) => flagHelp(definition, options)),
    ...states.flatMap((each) => deliveredValues(each).map((value) => shown(value))),
    ...states.slice(0, 3).flatMap((each) => [shown(reportJson(each)), shown(reportSarif(each))]),
    ...states.slice(0, 2).flatMap((each) => reportLines(each)),
    ...states.map((each) => originsText(originsIn(each, '/srv/hives', new Date(0)))),
    originsText(originsIn(surveyLayers(legend({}) as Legend, { stage: 'test', layers: [] }), '/srv', new Date(0))),
    originsText(
      originsIn(
        surveyLayers(kept, {
          stage: 'test',
          layers: [layerFromText('.env', `A=\nB=${'b'.repeat(48)}\nC=${'c'.repeat(49)}`)],
        }),
        '/',
        new Date(0),
      ),
    ),
    flagHelp(legend({}) as Legend),
    ...['Shut...', '.env', 'a.b'].map((description) =>
      flagHelp(legend({ A: { type: 'string', description, optional: true } }) as Legend, { width: 20 }),
    ),
  ])
})

test('which stages there are, and patterns that take too long', async () => {
  const definitions = [undefined, legend({}, { stages: ['harvest'] }) as unknown as Legend]
  await answered('stages', (line) =>
    definitions.flatMap((each) => surveyLayers(each, { stage: given(line), layers: [] }).faults.map(told)),
  )
  tryPatternsWith(() => undefined)
  await answered('slow', (line) => {
    const definition = { entries: { A: given(line) }, stages: [] } as unknown as Legend
    return surveyLayers(definition, { stage: 'test', layers: [layerFromText('.env', 'A=c\n')] }).faults.map(told)
  })
  tryPatternsWith((pattern, text) => pattern.test(text))
})

/** The preload gathers fewer sources by less code, unless that would miss something. */
function samePlain(definition: Legend, root: string, environment: Record<string, string>): void {
  const own = process.env
  process.env = environment
  try {
    const plain = gatherPlain(root, definition, undefined)
    if (needsMore(definition, plain)) return
    const known = ({ stage, layers, faults }: Sources) =>
      shown([stage, layers.map((each) => [each.name, each.source, each.names(), each.faults]), faults])
    assert.equal(known(plain), known(gather(definition, { root, environment })))
  } finally {
    process.env = own
  }
}

test('what starts come to on a machine: its files, its environment, its command line', async () => {
  const { survey: surveyHere } = await import('mappa/node')
  const entries: Entries = {
    ...hives,
    KEY: { type: 'string', secret: true, optional: true, file: true },
    FEED_URL: { type: 'string', default: 'https://${HOST}/' },
    HOST: {
      type: 'string',
      default: 'hill.example',
      stages: { staging: { default: 'stage.example', enum: ['stage.example'] } },
    },
    EMPTY: { type: 'string', empty: 'keep', default: 'full' },
  }
  const definition = legend(entries, {
    stages: { preview: { like: 'staging' } },
    directories: ['run/secrets'],
    rules: { 'HIVES must be few': ({ HIVES }: { HIVES: number }) => HIVES < 100 },
  } as never) as unknown as Legend
  await answered('starts', (line) => {
    const { files = {}, environment = {}, entries: own, options: more, at = '', layers = [], ...options } = given(line)
    const common = { '.env': 'HIVES=4\nTOKEN=heather-and-clover\nA=1\n', '.env.staging': 'HIVES=5\nPAGE=p\n', ...files }
    const present = Object.entries(common as Record<string, string | null>).filter(([, text]) => text !== null)
    const here = project(Object.fromEntries(present) as Record<string, string>)
    const root = join(here, at)
    const stated = { ...definition, ...more, ...(own && { entries: own, rules: undefined }) }
    const found = surveyHere(stated as typeof definition, {
      root,
      environment,
      ...options,
      layers: layers.map(([name, text]: [string, string]) => layerFromText(name, text)),
    })
    if (!('stage' in options || 'commandLine' in options))
      samePlain({ ...stated, directories: undefined } as typeof definition, root, environment)
    // The winner first: where a text stands, as it may be shown, and why it does not count.
    const trails = [...found.trails].flatMap(([name, { steps }]) =>
      steps.map(({ layer, source, place, shown: text, passed, ...more }, at) => {
        const where = place ? `${place.file}:${place.line}:${place.column}-${place.endColumn}` : layer
        const rest = Object.keys(more).length > 0 ? ` ${shown(more)}` : ''
        return `    ${at === 0 ? name : ' '.repeat(name.length)} ${where} (${source}) ${text}${passed ? `, ${passed}` : ''}${rest}`
      }),
    )
    const lines = [
      `    stage ${found.stage.name} (${found.stage.from ?? 'the default'}), ${found.ok ? 'fine' : 'at fault'}`,
      `    texts ${shown(Object.fromEntries(found.texts))}`,
      `    settings ${shown(found.settings)}`,
      ...(found.accepted.length > 0 ? [`    accepted ${shown(found.accepted)}`] : []),
      ...trails,
      ...[...found.faults, ...found.notices].map(told),
    ]
    return lines.map((each) => each.replaceAll(here, '<top>'))
  })
})
