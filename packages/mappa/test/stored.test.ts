// What the core says and makes of many small cases, of which each word counts, as it is stored in stored/.
import test from 'node:test'
import {
  type Entries,
  type Fault,
  type Legend,
  layerFromText,
  layerFromValues,
  legend,
  legendFromJsonSchema,
  mask,
  type Notice,
  readLayer,
  reportText,
  survey,
  toJsonSchema,
} from 'mappa'
import { assertStored } from '../../../test/helpers.js'

const store = (name: string, lines: readonly string[]) =>
  assertStored(`packages/mappa/test/stored/${name}.txt`, `${lines.join('\n')}\n`)
const told = ({ kind, message, remedy, place, excerpt }: Fault | Notice) =>
  [
    `    ${kind}: ${message}`,
    ...(remedy === undefined ? [] : [`        ${remedy}`]),
    ...(place ? [`        ${place.file}:${place.line}:${place.column}-${place.endColumn}`] : []),
    ...(excerpt
      ? [`        ${excerpt.text.slice(0, excerpt.start)}[${excerpt.text.slice(excerpt.start, excerpt.end)}]`]
      : []),
  ].join('\n')
const shown = (value: unknown) =>
  JSON.stringify(value, (_, each) =>
    typeof each === 'function'
      ? 'a function'
      : typeof each === 'number' && !Number.isFinite(each)
        ? String(each)
        : each,
  )

/** One word of an entry A that is wrong, after what else A has. */
const words: readonly (readonly [base: object, ...wrong: object[]])[] = [
  [{}, {}, { type: 'hive' }, { type: 'sting' }, { type: 7 }, { type: 'a b' }, { type: 'a'.repeat(21) }],
  [
    { type: 'string' },
    ...[{ colour: 'red' }, { defalt: 1 }, { minimum: 1 }, { description: 1 }, { secret: 'yes' }, { reach: 'all' }],
    ...[{ fixed: 'never' }, { minLength: '3' }, { minLength: -1 }, { minLength: 1.5 }, { enum: [] }, { enum: 'a' }],
    ...[
      { pattern: '(' },
      { pattern: 7 },
      { format: 'phone' },
      { format: 'toString' },
      { schemes: [] },
      { schemes: [''] },
    ],
    ...[{ empty: true }, { as: 'a..b' }, { as: '' }, { as: 'a.then' }, { as: 'x.constructor.y' }, { as: 7 }],
    ...[{ formerly: ['2'] }, { formerly: 'B' }, { generate: { bytes: 15, text: 'hex' } }, { examples: 'a' }],
    ...[{ generate: { bytes: 1025, text: 'hex' } }, { generate: { bytes: 16, text: 'hax' } }, { generate: 16 }],
    ...[
      { generate: { bytes: 16, text: 'hex', more: 1 } },
      { read: 'x' },
      { schema: {} },
      { schema: null },
      { optional: 1 },
    ],
    ...[{ minLength: 3, maxLength: 2 }, { default: 7 }, { default: 'x', enum: ['a', 'b'] }, { enum: ['a', 7] }],
    ...[
      { default: 'ab', maxLength: 1 },
      { default: 'b', pattern: '^a' },
      { stages: 'all' },
      { stages: { harvest: {} } },
    ],
    ...[{ stages: { staging: 1 } }, { stages: { staging: { secret: true } } }, { stages: { test: { colour: 1 } } }],
    ...[{ stages: { test: { default: 7 } } }, { stages: { test: { minLength: 2, maxLength: 1 } } }, { items: {} }],
    ...[{ stages: { test: { pattern: '(' } } }, { default: [[]] }, { examples: deep(101) }, { formerly: ['A'] }],
  ],
  [
    { type: 'string', secret: true },
    ...[{ reach: 'browser' }, { fixed: 'build' }, { default: 'heather' }, { stages: { test: { default: 'heather' } } }],
    ...[{ enum: ['heather', 7] }, { read: String, schema: validator() }],
  ],
  [
    { type: 'integer' },
    { minimum: 2, maximum: 1 },
    { default: 1.5 },
    { enum: [1, 1.5] },
    { multipleOf: 0 },
    { maxLength: 1 },
  ],
  [
    { type: 'integer', maximum: 5 },
    { stages: { staging: { default: 9 } } },
    { maximum: 'five' },
    { exclusiveMinimum: '1' },
  ],
  [
    { type: 'number' },
    { minimum: Number.NaN },
    { multipleOf: -1 },
    { default: 1, exclusiveMinimum: 1 },
    { pattern: 'a' },
  ],
  [{ type: 'port' }, { default: 70_000 }, { default: 0 }, { minimum: 70_000 }, { default: '80' }],
  [
    { type: 'duration' },
    { default: '5 minutes' },
    { minimum: 'soon' },
    { minimum: '2h', maximum: '90m' },
    { multipleOf: 2 },
  ],
  [{ type: 'bytes' }, { minimum: '1GB', maximum: '1MB' }, { default: -1 }, { default: '9PB' }],
  [{ type: 'boolean' }, { minimum: 1 }, { default: 'true' }],
  [{ type: 'pem' }, { default: 'key' }, { minLength: 1 }],
  [{ type: 'object' }, { default: [] }, { minItems: 1 }],
  [
    { type: 'array' },
    ...[{}, { items: { type: 'port' } }, { items: 'string' }, { items: { type: 'string', secret: true } }],
    ...[{ items: { type: 'integer', pattern: 'a' } }, { items: { type: 'string', pattern: '(' } }],
  ],
  [
    { type: 'array', items: { type: 'integer' } },
    ...[
      { delimiter: '"' },
      { delimiter: '' },
      { delimiter: 'a' },
      { delimiter: '-' },
      { default: ['a'] },
      { default: 1 },
    ],
    ...[
      { minItems: 2, maxItems: 1 },
      { default: [1, 1], uniqueItems: true },
      { default: [], minItems: 1 },
    ],
  ],
]
/** Legends that contradict themselves as a whole. */
const wholes: readonly object[] = [
  ...[{ 'A-B': { type: 'string' } }, { A: 'string' }, { A: null }].map((entries) => ({ entries })),
  { entries: { A: { type: 'string', formerly: ['B'] }, B: { type: 'string' } } },
  { entries: { A: { type: 'string', formerly: ['C'] }, B: { type: 'string', secret: true, formerly: ['C'] } } },
  { entries: { A: { type: 'string', as: 'x' }, B: { type: 'string', as: 'x' } } },
  { entries: { A: { type: 'string', as: 'x.y' }, B: { type: 'string', as: 'x' } } },
  { entries: { A: { type: 'string', as: 'x' }, B: { type: 'string', as: 'x.y' } } },
  {
    entries: { A: { type: 'string', as: 'x.y' }, B: { type: 'string', as: 'x.z' }, C: { type: 'string', as: 'x.y.z' } },
  },
  ...[['Harvest'], ['local'], ['1st'], ['a_b'], ['example', 'sample']].map((stages) => ({ stages })),
  ...[{ preview: 'stagin' }, { staging: 'preview', preview: 'staging' }].map((like) => ({ stages: ['preview'], like })),
  ...['run/secrets', [''], [7]].map((directories) => ({ directories })),
  ...['yes', 1].map((topLayers) => ({ topLayers })),
  ...['all', { 'at least one': true }].map((rules) => ({ rules })),
  ...['host', [{}], [{ name: 'host' }], [{ name: '', url: 'A' }], [{ name: 'h', url: 'A', token: 7 }]].map(
    (remotes) => ({ remotes }),
  ),
  { remotes: [{ name: 'h', url: 'A', etcd: 7 }] },
  {
    entries: { A: { type: 'string' }, T: { type: 'string' } },
    remotes: [
      { name: 'h', url: 'A', token: 'T' },
      { name: 'g', url: 'B' },
    ],
  },
  ...[
    [{}],
    [{ kind: 'missing', because: 'x', until: '2027-01-31' }],
    [{ kind: 'undeclared', because: ' ', until: '2027-01-31' }],
    [{ kind: 'undeclared', because: 'x', until: '2027-02-30' }],
    [{ kind: 'undeclared', because: 'x', until: '31.1.2027' }],
    [{ kind: 'undeclared', name: 7, because: 'x', until: '2027-01-31' }],
  ].map((accepted) => ({ accepted })),
]

function deep(levels: number): unknown {
  return levels === 0 ? [] : [deep(levels - 1)]
}

function validator() {
  return { '~standard': { version: 1, vendor: 'apiary', validate: () => ({ value: 1 }) } }
}

test('what a legend that contradicts itself is told', () => {
  const entries = words.flatMap(([base, ...wrong]) => wrong.map((each) => ({ entries: { A: { ...base, ...each } } })))
  const faultsOf = (definition: unknown) => survey(definition as Legend, { stage: 'development', layers: [] }).faults
  store('contradictions', [
    ...[...entries, ...wholes].flatMap((given) => [
      shown(given),
      ...faultsOf({ entries: {}, stages: [], ...given }).map(told),
    ]),
    ...[7, {}, { default: legend({}) }].flatMap((given) => [shown(given), ...faultsOf(given).map(told)]),
  ])
})

const numbers = [
  '',
  '0',
  '1',
  '-1',
  '2',
  '3',
  '5',
  '6',
  '1.5',
  '0.3',
  '1e3',
  '0x10',
  '1,5',
  '+1',
  '.5',
  '01',
  '9007199254740993',
  ...[
    '41oo',
    '4l',
    '1,000',
    '1_000',
    '1 000',
    '1,000,000',
    '1,00',
    '12a',
    '12 # hives',
    '12a4',
    '4.0',
    '0b11',
    '1_000,000',
  ],
]
const texts = ['', 'a', 'ab', 'abc', 'abcd', 'abcde', '🐝🐝', '🐝🐝🐝🐝🐝', ' a ', 'live', 'LIVE']
const lists = ['', 'a', 'a,b', 'a, b ,c', 'a,,b', 'a,a', '["a","b"]', '["a",1]', '[', '1,2', '1,2,3', 'a;b', ',']
const amounts = [
  '0',
  '90',
  '90s',
  '1.5h',
  '1 h',
  '1h30m',
  '1h 30m',
  '30m1h',
  '1h1h',
  '10ms',
  '5min',
  '2d',
  '1w',
  '1y',
  '-1s',
  'PT1H30M',
  'P1DT2H',
  'P2W',
  'P1W2D',
  'PT',
  'P',
  'PT1.5S',
  'PT0.5M',
  '0.0001ms',
  '1.',
  '90S',
]
const sizes = [
  '0',
  '512',
  '10MB',
  '10MiB',
  '1.5 GB',
  '1 kb',
  '2KiB',
  '1tb',
  '1TiB',
  '1.5B',
  '0.5kib',
  '10 M',
  '1e3',
  '-1',
  '9000000TB',
  'MB',
  '1.25',
]
const pem = (body: string, label = 'KEY', end = label) => `-----BEGIN ${label}-----\n${body}\n-----END ${end}-----`
const blocks = [
  pem('QUJD'),
  `${pem('QUJD')}\n${pem('QUJDRA==')}`,
  pem('QUJD').replaceAll('\n', '\\n'),
  pem('QUJD').replaceAll('\n', ' '),
  pem('QUJ'),
  pem(''),
  pem('QUJD', 'KEY', 'CERT'),
  pem('QUJD', 'key'),
  `x${pem('QUJD')}`,
  `${pem('QUJD')}x`,
  pem('Proc-Type: 4,ENCRYPTED\n\nQUJD'),
  pem('QUJD'.repeat(20)),
  pem('QUJD '.repeat(20)),
  pem('QU=D'),
  pem('QUI=='),
  '-----BEGIN KEY-----',
  'key',
]
const formats: Readonly<Record<string, readonly string[]>> = {
  uri: [
    'https://a.example/b?c=d#e',
    'mailto:a@b.example',
    'a:',
    'a',
    'http://[::1]:80/',
    'https://a b',
    'https://ü.example',
    '1a:b',
    'http://a:b@c/',
    'http://a/%zz',
  ],
  email: [
    'bee@hill.example',
    'bee@hill',
    'bee@hill.',
    'b..e@hill.example',
    '.b@hill.example',
    'a@b@c.example',
    '@hill.example',
    "o'b+x@hill.example",
    'b e@hill.example',
  ],
  hostname: [
    'hill.example',
    'hill.example.',
    'a',
    '-a',
    'a-',
    'a_b',
    `${'a'.repeat(63)}.b`,
    `${'a'.repeat(64)}.b`,
    'a..b',
    '',
    `${'abcd.'.repeat(50)}abc`,
    `${'abcd.'.repeat(50)}abcd`,
  ],
  ipv4: ['127.0.0.1', '255.255.255.255', '256.1.1.1', '01.2.3.4', '1.2.3', '1.2.3.4.', '249.199.99.9', '1.2.3.4.5'],
  ipv6: [
    '::1',
    '::',
    'fe80::1:2',
    '1:2:3:4:5:6:7:8',
    '::ffff:1.2.3.4',
    '::ffff:1.2.3.256',
    '1:2:3:4:5:6:7::',
    '1:2:3:4:5:6:7:8::',
    '1::2::3',
    '12345::',
    'g::',
    '1:2:3:4:5:6:1.2.3.4',
    '1:2:3:4:5:6:7:1.2.3.4',
    '1:2:3:4:5:6:7',
    '1.2.3.4',
    '1::1.2.3.4x',
  ],
  date: [
    '2026-02-28',
    '2024-02-29',
    '2023-02-29',
    '1900-02-29',
    '2000-02-29',
    '2026-04-31',
    '2026-04-30',
    '2026-01-31',
    '2026-13-01',
    '2026-00-10',
    '2026-12-00',
    '2026-1-1',
    '12026-01-01',
    '2026-01-011',
  ],
  'date-time': [
    '2026-05-20T08:30:00Z',
    '2026-05-20t08:30:00.5+02:00',
    '2016-12-31T23:59:60Z',
    '2016-12-31T22:59:60-01:00',
    '2016-12-31T22:59:60Z',
    '2016-12-31T23:58:60Z',
    '2026-05-20T24:00:00Z',
    '2026-05-20T08:60:00Z',
    '2026-05-20T08:30:61Z',
    '2026-05-20T08:30:00',
    '2026-05-20T08:30:00+24:00',
    '2026-05-20T08:30:00+23:59',
    '2026-05-20T08:30:00+00:60',
    '2026-02-30T08:30:00Z',
    '2026-05-20 08:30:00Z',
    '2017-01-01T00:59:60+01:00',
    '2026-05-20T08:30:00.Z',
  ],
  uuid: [
    '2f6e2b2e-6c6a-4b2e-9a55-0a1b2c3d4e5f',
    'urn:uuid:2F6E2B2E-6C6A-4B2E-9A55-0A1B2C3D4E5F',
    '2f6e2b2e6c6a4b2e9a550a1b2c3d4e5f',
    '2f6e2b2e-6c6a-4b2e-9a55-0a1b2c3d4e5',
    '{2f6e2b2e-6c6a-4b2e-9a55-0a1b2c3d4e5f}',
    'g f6e2b2e-6c6a-4b2e-9a55-0a1b2c3d4e5f',
  ],
  regex: ['^a+$', '(', '\\p{L}', '[a-', 'a{2,1}', '\\-'],
}
/** Texts for entries: each with each. */
const matrix: readonly (readonly [entries: readonly object[], texts: readonly string[]])[] = [
  [
    [
      ...[{ type: 'integer' }, { type: 'integer', minimum: 1, maximum: 5 }, { type: 'integer', minimum: 2 }],
      ...[
        { type: 'integer', maximum: 2 },
        { type: 'integer', exclusiveMinimum: 1, exclusiveMaximum: 5 },
      ],
      ...[{ type: 'integer', multipleOf: 3 }, { type: 'integer', exclusiveMinimum: 1, maximum: 3 }, { type: 'number' }],
      ...[
        { type: 'number', multipleOf: 0.1 },
        { type: 'number', enum: [1, 1.5] },
        { type: 'number', minimum: 0.3 },
      ],
    ],
    numbers,
  ],
  [
    [{ type: 'port' }, { type: 'port', minimum: 1024 }, { type: 'port', maximum: 1024 }],
    ['0', '1', '1023', '1024', '1025', '65535', '65536', '80a', ''],
  ],
  [
    [{ type: 'boolean' }, { type: 'boolean', enum: [true] }],
    ['true', 'false', 'TRUE', 'True', '1', '0', 'yes', 'no', 'on', 'off', 'y', '2', ' true ', ''],
  ],
  [
    [
      ...[{ type: 'string' }, { type: 'string', minLength: 2, maxLength: 4 }, { type: 'string', minLength: 5 }],
      ...[
        { type: 'string', maxLength: 1 },
        { type: 'string', pattern: '^a+b' },
        { type: 'string', enum: ['live', 'a'] },
      ],
      ...[
        { type: 'string', enum: ['live'] },
        { type: 'string', empty: 'keep' },
        { type: 'string', maxLength: 4 },
      ],
    ],
    texts,
  ],
  [
    [
      { type: 'string', schemes: ['https'] },
      { type: 'string', schemes: ['http', 'https'], format: 'uri' },
    ],
    ['https://a.example', 'HTTPS://a.example', 'http://a.example', 'ftp://a.example', 'https', 'https:'],
  ],
  ...Object.entries(formats).map(([format, texts]) => [[{ type: 'string', format }], texts] as const),
  [
    [
      ...[
        { items: { type: 'string' } },
        { items: { type: 'string' }, uniqueItems: true },
        { items: { type: 'string' }, delimiter: ';' },
      ],
      ...[
        { items: { type: 'integer', minimum: 2 } },
        { items: { type: 'string', maxLength: 1 }, minItems: 2, maxItems: 2 },
      ],
      ...[
        { items: { type: 'string' }, minItems: 3 },
        { items: { type: 'string' }, maxItems: 1 },
        { items: { type: 'string' }, delimiter: '::' },
      ],
    ].map((each) => ({ type: 'array', ...each })),
    lists,
  ],
  [
    [
      { type: 'duration' },
      { type: 'duration', minimum: '1h', maximum: 5_400_000 },
      { type: 'duration', maximum: '90s' },
    ],
    amounts,
  ],
  [[{ type: 'bytes' }, { type: 'bytes', minimum: 512, maximum: '10MB' }, { type: 'bytes', minimum: 1024 }], sizes],
  [[{ type: 'pem' }], blocks],
  [
    [{ type: 'object' }, { type: 'object', enum: [{ a: 1, b: [2] }] }],
    ['{}', '{"a":1}', '{"b":[2],"a":1}', '{"b":[3],"a":1}', '[]', 'null', '1', '{', ''],
  ],
]

test('what texts come to by their entries, and what is said of those that do not fit', () => {
  store(
    'values',
    matrix.flatMap(([entries, texts]) =>
      entries.flatMap((entry) => [
        shown(entry),
        ...texts.map((text) => {
          const layers = [layerFromValues('given', { A: text })]
          const found = survey({ entries: { A: entry }, stages: [] } as unknown as Legend<Entries>, {
            stage: 'staging',
            layers,
          })
          const said = found.faults.map(({ message, remedy }) => `${message} | ${remedy}`).join(' & ')
          return `    ${shown(text)} → ${found.ok ? shown(found.settings.A) : said}`
        }),
      ]),
    ),
  )
})

test('what a mask shows', () => {
  const patterns = [
    '^tile_live_',
    '^tile_live_.+',
    '^tile_live_?',
    '^tile_live_*x',
    '^tile_live_{2}',
    '^tile_live_+',
    '^a',
    '^ab-c_d',
    '^tile_live|^x',
    'tile_live_',
    '^',
    '^tile_live_abc',
    '^tile_live_abcd',
    '^(tile)',
    '^tile\\.',
  ]
  const values = [
    'tile_live_meadowmeadowmeadow',
    'tile_live_m',
    'tile_live_abcdmeadowmeadowmeadowmeadow',
    'tile_test_meadowmeadowmeadow',
    'abc',
    'ab',
    'ab-c_dmeadowmeadowmeadow',
    '',
  ]
  store('masks', [
    ...patterns.map((pattern) => `${pattern}: ${values.map((value) => mask(value, { pattern })).join('  ')}`),
    values.map((value) => mask(value)).join('  '),
  ])
})

/** Layer files one above the other, each with what is odd about it. */
const layerTexts: readonly (readonly string[])[] = [
  ...[
    'A=1\nA=2\n',
    'a=1\n',
    'A =1\n',
    'A= 1\n',
    'A=1 2\n',
    'A=x"y\n',
    "A=Bob's\n",
    'A=a\\b\n',
    'A="a\\qb"\n',
    'A=~/hives\n',
  ],
  ...[
    'A="x\nB=1\ny"\n',
    'A=`date`\n',
    'A=$(date)\n',
    'A=$B\nB=1\n',
    'A=$HOME\n',
    'A="x"y\n',
    "A='x'  # note\n",
    'A=#x\n',
  ],
  ...[
    'A\n',
    '1A=2\n',
    'A-B=1\n',
    '=x\n',
    'export\n',
    'export A\n',
    'export A=1\n',
    ' A=1\n',
    "A='x\n",
    'A="x\n',
    "A='x' y\n",
  ],
  ...[
    'A=x\ry\n',
    'A=x\0y\n',
    '\ufeffA=1\n',
    'A=1\r\nB=2\r\n',
    'A=1',
    'A=${\n',
    'A=${B\n',
    'A=${B:=1}\n',
    'A=${}\n',
    'A=${1}\n',
  ],
  ...[
    'A=${B}\n',
    'A=${B:-x}\n',
    'A=${B-x}\nB=\n',
    'A=${B:?say which}\n',
    'A=${B:+x}\n',
    'A=${A}\n',
    'A=${B}\nB=${A}\n',
  ],
  ...[
    'A=${A}\nB=${C}\nC=${B:-${A}}\n',
    'A=x:${B}:${B}\nB=1\n',
    'IFS=x\n',
    'PATH=/bin\n',
    'NODE_OPTIONS=x\n',
    'LD_PRELOAD=x\n',
  ],
  ...[
    'MAPPA_STAGE=test\n',
    'MAPPA_ROOT=x\n',
    'A=;b&c|d\n',
    'A=<b>\n',
    'A=*\n',
    'A=(b)\n',
    'A=a!b\n',
    'A=é\n',
    'A=\u202e\n',
  ],
  ...[
    'A=x # mappa keep: a reason\n',
    'HIVE=1\n',
    'HIVES_=1\n',
    'hives=1\n',
    'HIEVS=1 # mappa keep: another\n',
    'A="$B"\nB=1\n',
  ],
].map((text) => [text])
const stacks: readonly (readonly string[])[] = [
  ...layerTexts,
  ['A=1\n', 'A=\n'],
  ['A=1\nB=${A}\n', 'A=2\n'],
  ['A=1\n', 'A=${A}2\n', 'A=${A}3\n'],
  ['OLD=1\n', 'OLDER=2\n'],
  ['HIVES=2\nOLD=1\n'],
  ['TOKEN=heather-and-clover\nA=${TOKEN}!\n'],
  ['TOKEN=heather-and-clover\nPAGE=${TOKEN}\n'],
  ['TOKEN=changeme\nA=<your key>\n'],
  ['TOKEN=abc\n'],
  ['PAGE=tile_live_meadow\nKEY=sms_test_meadow\n', 'KEY=sms_live_meadow\n'],
]
const hives: Entries = {
  HIVES: { type: 'integer', default: 3, formerly: ['OLD', 'OLDER'] },
  TOKEN: { type: 'string', secret: true, optional: true, obtain: 'the wiki' },
  PAGE: { type: 'string', reach: 'browser', optional: true },
  GONE: { type: 'string', optional: true, deprecated: true },
  A: { type: 'string', optional: true },
  KEY: { type: 'string', secret: true, optional: true },
}

test('what is said of layer files, with and without a legend, and what they come to', () => {
  const names = ['.env', '.env.production', '.env.production.local']
  store(
    'layers',
    stacks.flatMap((texts) => [
      shown(texts),
      ...[undefined, legend(hives)].flatMap((definition) => {
        const layers = texts.map((text, at) => layerFromText(names[at] as string, text))
        const found = survey(definition as Legend | undefined, { stage: 'production', layers, thorough: true })
        const values = shown(Object.fromEntries(found.texts))
        const trails = [...found.trails].map(([name, { steps }]) => `${name}: ${shown(steps)}`)
        return [
          `  ${definition ? 'with' : 'without'} a legend: ${values}`,
          ...[...found.faults, ...found.notices].map(told),
          ...(texts.length > 1 ? trails.map((each) => `    ${each}`) : []),
        ]
      }),
    ]),
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
  const found = survey(legend(hives), { stage: { name: 'production', from: 'MAPPA_STAGE' }, layers })
  const paint = {
    bold: (text: string) => `<b>${text}</b>`,
    red: (text: string) => `<r>${text}</r>`,
    yellow: (text: string) => `<y>${text}</y>`,
    dim: (text: string) => `<d>${text}</d>`,
  }
  const fine = survey(legend({}), { stage: 'test', layers: [] })
  store('reports', [
    ...[40, 60, 100, 200].map((width) => reportText(found, { width, consequence: 'Nothing was started.' })),
    reportText(found, { width: 100, paint } as never),
    reportText(fine, { width: 100 }),
    reportText({ stage: found.stage, faults: found.faults, notices: [] }, { width: 100 }),
  ])
})

/** Edits of a layer file, each as a call: what is there afterwards, or why not. */
const edits: readonly (readonly [name: 'set' | 'add' | 'rename' | 'remove', ...args: string[]])[] = [
  ...(
    [
      '1',
      '',
      'two words',
      "it's",
      'a "b" \'c\'',
      'x#y',
      'x #y',
      '#x',
      '$B',
      '${B}',
      'a\nb',
      ' a',
      'a ',
      'a\\b',
      '~',
      '`x`',
      'é',
      '"',
      '\r',
      '\0',
    ] as const
  ).map((text) => ['set', 'A', text] as const),
  ...[
    ['set', 'NEW', 'x'],
    ['set', '1', 'x'],
    ['add', 'A', 'x'],
    ['add', 'B_MORE', 'x'],
    ['add', 'ZED', "it's"],
  ],
  ...[
    ['rename', 'A', 'C'],
    ['rename', 'A', 'B'],
    ['rename', 'NONE', 'C'],
    ['rename', 'A', 'c-d'],
    ['remove', 'A'],
    ['remove', 'NONE'],
    ['set', 'B', 'two words'],
    ['set', 'B', "it's"],
  ],
] as never
const edited: readonly string[] = [
  'A=1\n',
  '# hives\nA = 1 # note\nB_X=2\n',
  "export A='1'\r\nB=2\r\n",
  'A="1" # note',
  'A=1\nA=2\nB=${A}\n',
  '',
  'B="x\ny"\nA=1\n\n# end\n',
  "A=1\nB='open\n",
  "A='open\nB=1\n",
  'A="open\nB=1\n',
]

test('what edits leave of a layer file', () => {
  store(
    'edits',
    edited.flatMap((text) => [
      shown(text),
      ...edits.map(([name, ...args]) => {
        const layer = readLayer(text)
        try {
          const given = (layer[name] as (...args: readonly string[]) => unknown)(...args)
          return `    ${name} ${shown(args)} → ${shown(layer.toString())}${given === undefined ? '' : ` (${given})`}`
        } catch (error) {
          return `    ${name} ${shown(args)} → ${error}`
        }
      }),
    ]),
  )
})

test('what a JSON legend comes to, and a legend as JSON Schema', () => {
  const port = { type: 'integer', 'x-mappa-type': 'port' }
  const documents: readonly unknown[] = [
    ...[
      null,
      [],
      7,
      {},
      { properties: [] },
      { properties: { A: 1 } },
      { entries: {}, stages: [] },
      { properties: {}, required: 'A' },
    ],
    ...[
      7,
      'a',
      [7],
      { preview: 7 },
      { preview: { like: 7 } },
      { preview: { unlike: 'test' } },
      ['harvest'],
      { preview: { like: 'staging' } },
    ].map((stages) => ({ properties: {}, 'x-mappa-stages': stages })),
    {
      properties: {
        A: { type: 'string' },
        B: { type: 'string', default: 'x' },
        C: { type: 'string', 'x-mappa-optional': false },
      },
    },
    {
      properties: { A: { type: 'string' } },
      required: ['A', 'B'],
      'x-mappa-directories': ['run'],
      'x-mappa-top-layers': true,
      'x-mappa-remotes': [],
      'x-mappa-accepted': [],
    },
    {
      properties: {
        A: { ...port, minimum: 1, maximum: 65535 },
        B: { ...port, minimum: 2, maximum: 80 },
        C: { ...port, minimum: 1, 'x-mappa-minimum': 1 },
      },
    },
    {
      properties: {
        A: { type: 'integer', minimum: 1, maximum: 65535, 'x-mappa-secret': true },
        B: { type: 'array', items: { type: 'string', 'x-mappa-schemes': ['https'] } },
      },
    },
    {
      properties: {
        A: { type: 'string', 'x-mappa-stages': { test: { 'x-mappa-optional': true, maxLength: 3 } } },
        B: { type: 'string', 'x-mappa-stages': { test: 7 } },
      },
    },
    {
      properties: {
        A: { type: 'string', 'x-mappa-stages': { test: { 'x-mappa-optional': true } } },
        ['__proto__']: { type: 'string' },
      },
    },
  ]
  const legends: readonly object[] = [
    { entries: {}, stages: [] },
    {
      entries: {
        A: { type: 'port' },
        B: { type: 'port', minimum: 1 },
        C: { type: 'port', maximum: 65535, minimum: 2 },
      },
      stages: ['harvest'],
    },
    {
      entries: {
        A: { type: 'duration', default: '90s', minimum: '1s', maximum: 5000, examples: ['2s'] },
        B: { type: 'bytes', default: 7 },
      },
      stages: [],
    },
    {
      entries: {
        A: { type: 'pem', default: blocks[2] },
        B: { type: 'object', default: { a: 1 }, optional: true },
        C: { type: 'string', optional: false },
      },
      stages: [],
    },
    {
      entries: {
        A: {
          type: 'array',
          items: { type: 'string', schemes: ['https'], maxLength: 9 },
          delimiter: ';',
          uniqueItems: true,
        },
        B: { type: 'string', optional: true },
      },
      stages: [],
    },
    {
      entries: {
        A: {
          type: 'duration',
          stages: { test: { default: '1s', optional: false }, staging: { minimum: '1m' } },
          read: String,
          schema: validator(),
        },
      },
      stages: ['preview', 'other'],
      like: { preview: 'staging' },
    },
    {
      entries: { A: { type: 'string', secret: true, as: 'a.b', formerly: ['B'], description: undefined } },
      stages: [],
      directories: ['run'],
      topLayers: true,
      remotes: [],
      accepted: [],
    },
  ]
  const read = (given: unknown) => {
    try {
      return shown(legendFromJsonSchema(given))
    } catch (error) {
      return String(error)
    }
  }
  store('schemas', [
    ...documents.map((document) => `${shown(document)}\n    → ${read(document)}`),
    ...legends.map((each) => `${shown(each)}\n    → ${shown(toJsonSchema(each as Legend<Entries>))}`),
  ])
})
