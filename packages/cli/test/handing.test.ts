// Values that leave this machine: each form is read back by what reads it in earnest, or by a reader written from its
// published description; templates by the format's own parser.
import assert from 'node:assert/strict'
import { spawnSync } from 'node:child_process'
import { readFileSync, statSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import test from 'node:test'
import fc from 'fast-check'
import { type Legend, layerFromValues, legend, readLayer, readValues, survey } from 'mappa'
import { parse, parseAllDocuments } from 'yaml'
import { mappa, mappaAsked, noTerminal, project, token } from '../../../test/helpers.js'
import { stampFile, type TemplateForm, templateFile } from '../src/stamp/stamped.js'

const pieces = [
  'a',
  ' ',
  '  ',
  '\t',
  '\n',
  '\n\n',
  '\r',
  '\r\n',
  ':',
  ': ',
  ' #',
  '#',
  '"',
  "'",
  '\\',
  '`',
  '$',
  '${',
  '}',
  '$(x)',
]
const more = [
  '-',
  '- ',
  '!',
  '&',
  '*',
  '%',
  '@',
  '|',
  '>',
  '{',
  '[',
  ',',
  '?',
  '~',
  '\u00e9',
  '\u2028',
  '\u0085',
  '\u007f',
  '\ufeff',
  '🐝',
]
const words = [
  'true',
  'No',
  'null',
  '0x1f',
  '1e3',
  '010',
  '1:20',
  '.inf',
  '2026-11-26',
  '<<',
  '---',
  '...',
  '=',
  '<!--',
  '</b>',
  '%h',
]
const hostile = fc.array(fc.constantFrom(...pieces, ...more, ...words), { maxLength: 8 }).map((parts) => parts.join(''))
const known = [...pieces, ...more, ...words, '', 'a\nb\n', ' lead', 'trail ', "it's", '\n', `${'x'.repeat(500)}: y`]
const values = Object.fromEntries(
  [...known, ...fc.sample(hostile, { numRuns: 300, seed: 20 })].map((text, at) => [`V${at}`, text]),
)

function stage(texts: Readonly<Record<string, string>>) {
  const entries = Object.keys(texts).map((name) => [name, { type: 'string', empty: 'keep' }])
  return survey({ entries: Object.fromEntries(entries), stages: [] } as unknown as Legend, {
    stage: 'staging',
    layers: [layerFromValues('given', texts)],
  })
}

/** A project that has these values, on its way through a layer file. */
function apiary(texts: Readonly<Record<string, string>>): string {
  const document = readLayer('')
  for (const [name, text] of Object.entries(texts)) document.set(name, text)
  const properties = Object.fromEntries(
    Object.keys(texts).map((name) => [name, { type: 'string', 'x-mappa-empty': 'keep' }]),
  )
  const required = Object.keys(texts)
  return project({
    'mappa.legend.json': JSON.stringify({ type: 'object', properties, required }),
    '.env': document.toString(),
  })
}

/** A container's environment file: a line a variable, `#` in front makes a remark, all behind the sign is the value. */
function containerValues(text: string): Record<string, string> {
  const lines = text.split('\n').map((line) => line.replace(/\r$/, ''))
  const pairs = lines.filter((line) => line !== '' && !line.startsWith('#')).map((line) => line.split(/=([\s\S]*)/))
  return Object.fromEntries(pairs as [string, string][])
}

/** systemd.exec(5): values in double quotes, in which a backslash makes `"`, `\`, a backtick and `$` ordinary. */
function serviceValues(text: string): Record<string, string> {
  const found = text.replace(/^#.*\n/, '').matchAll(/(\w+)="((?:[^"\\]|\\[\s\S])*)"\n/g)
  return Object.fromEntries([...found].map(([, name = '', value = '']) => [name, value.replace(/\\(["\\`$])/g, '$1')]))
}

function shellValues(text: string): Record<string, string> {
  const { stdout } = spawnSync('dash', ['-c', `set -eu; eval "$(cat)"; env -0`], {
    input: text,
    env: { PATH: process.env.PATH },
  })
  const pairs = String(stdout)
    .split('\0')
    .map((each) => each.split(/=([\s\S]*)/) as [string, string])
  return Object.fromEntries(pairs.filter(([name]) => /^(?:V\d+|MAPPA_STAGE)$/.test(name)))
}

function clusterValues(text: string): Record<string, string> {
  const objects = parseAllDocuments(text).map((each) => each.toJS())
  assert.deepEqual(
    objects.map(({ apiVersion, kind, metadata }) => [apiVersion, kind, metadata.name]),
    [['v1', 'ConfigMap', 'hives']],
  )
  return objects[0].data
}

test('each form is read back to the same values, and says what it cannot hold', async () => {
  const noService = Object.entries(values).filter(([, text]) => text.includes('\ufeff'))
  const noContainer = Object.entries(values).filter(([, text]) => /\n|\r$/.test(text))
  const without = (some: readonly (readonly [string, string])[]) =>
    Object.fromEntries(Object.entries(values).filter(([name]) => !some.some(([other]) => other === name)))
  const own = { MAPPA_STAGE: 'staging' }
  const rows: readonly (readonly [string, (text: string) => object, object, readonly (readonly [string, string])[]])[] =
    [
      ['shell', shellValues, own, []],
      [
        'layer',
        (text) => Object.fromEntries([...readValues(text).names()].map((name) => [name, readValues(text).get(name)])),
        {},
        [],
      ],
      ['json', JSON.parse, {}, []],
      ['yaml', (text) => parse(text), {}, []],
      ['yaml', (text) => parse(text, { version: '1.1' }), {}, []],
      ['container', containerValues, own, noContainer],
      ['service', serviceValues, own, noService],
      ['cluster', clusterValues, own, []],
    ]
  const whole = apiary(values)
  for (const [form, read, extra, unheld] of rows) {
    const name = form === 'cluster' ? ['--name', 'hives'] : []
    const args = ['emit', '--as', form, '--stage', 'staging', ...name]
    if (unheld.length > 0) {
      const refused = await mappa(args, { cwd: whole })
      assert.equal(refused.code, 1)
      for (const [name] of unheld) assert.match(refused.stderr, new RegExp(`^${name} has `, 'm'))
      assert.equal(refused.stdout, '')
    }
    const cwd = unheld.length > 0 ? apiary(without(unheld)) : whole
    const { code, stdout, stderr } = await mappa(args, { cwd })
    assert.equal(code, 0, stderr)
    assert.deepEqual({ ...read(stdout) }, { ...without(unheld), ...extra }, form)
  }
})

const templates: readonly (readonly [form: TemplateForm, text: string])[] = [
  ['yaml', 'a: @\nb: "x @ y"\nc: \'x @ y\'\n# @\nd: x-@\n@: [@, {k: @}, "@"]\n'],
  ['yaml', '- |\n  first\n  @\n  last @\n- >-\n  folded @\n  text\n- |+\n  @\n\n- end\n'],
  ['yaml', 'a: &x @\nb: !tag @\nc:\n  - @ # @\n  - ? @\n    : @\n--- # @\n"%": @\n...\n---\n@\n'],
  ['yaml', 'a:\r\n  b: @\r\n  c: |\r\n    x @\r\n'],
  ['json', '{ "a": "@", "b": @, "c": ["x @ \\" y"], "@": 1 }'],
]

test('what a template means is what it says, whatever the values hold', () => {
  const all = Object.values(values)
  fc.assert(
    fc.property(fc.constantFrom(...templates), fc.oneof(fc.constantFrom(...all), hostile), ([form, shape], value) => {
      const found = stage({ V: value })
      const stamped = stampFile(templateFile(`t.${form}`, shape.replaceAll('@', '${V}'), form), found)
      assert.deepEqual(stamped.faults, [])
      // A word that means itself wherever it stands.
      const plain = shape.replaceAll(/(?<="b": )@/g, '"@"').replaceAll('@', 'MEANT')
      const read = (text: string) =>
        form === 'json'
          ? [JSON.parse(text)]
          : parseAllDocuments(text, { uniqueKeys: false, logLevel: 'silent' }).map((each) =>
              each.toJS({ mapAsMap: true }),
            )
      const meant = (data: unknown): unknown =>
        typeof data === 'string'
          ? data.replaceAll('MEANT', () => value)
          : Array.isArray(data)
            ? data.map(meant)
            : data instanceof Map
              ? new Map([...data].map(([key, each]) => [meant(key), meant(each)]))
              : data && typeof data === 'object'
                ? Object.fromEntries(Object.entries(data).map(([key, each]) => [meant(key), meant(each)]))
                : data
      assert.deepEqual(read(stamped.text), meant(read(plain)))
    }),
    { numRuns: 3000 },
  )
})
