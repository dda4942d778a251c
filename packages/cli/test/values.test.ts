// What expressions come to: Node is the oracle. What is said to be known is what Node makes of it, and what Node refuses is never known.
import assert from 'node:assert/strict'
import { readdirSync, readFileSync, statSync } from 'node:fs'
import { join } from 'node:path'
import test from 'node:test'
import traverse from '@babel/traverse'
import fc from 'fast-check'
import { top } from '../../../test/helpers.js'
import { type Node, nodesIn, parseFile, walk } from '../src/code/parse.js'
import { bindingsOf } from '../src/code/values/bindings.js'
import { Evaluator, type Scene } from '../src/code/values/evaluate.js'
import { type CodeModule, codeModule } from '../src/code/values/modules.js'
import { isPrimitive, ListValue, RecordValue, type Value } from '../src/code/values/value.js'

/** Names that generated expressions use. */
const around = `const dev = process.env.NODE_ENV !== 'production'
const { HIVES = '4', NODE_ENV: stage } = process.env
const env = process.env
const table = { development: 'http://localhost:4100', production: 'https://hives.example', none: undefined, list: [1, 'a', null], inner: { port: 4100 } }
const plain = { development: 'local', production: 'live', 'b c': 0 }
const words = ['production', 'staging', '', '12abc']
function pick(name, other = 'x') {
  if (name === 'production') return table.production
  const own = plain[name]
  return own ?? other
}
const kind = (s) => {
  switch (s) { case 'production': case 'live': return 'live'; case 'test': break; default: return 'dev' }
  return dev ? 1 : 2
}
const again = (f, ...rest) => rest.map(f)
let changed = 1
changed = 2
`

const texts = fc.constantFrom(
  '',
  'production',
  'staging',
  ' a b ',
  '0',
  '12abc',
  '1e3',
  'true',
  'https://a.example/x',
  'ß',
  '[1,"a"]',
  '{"a":1}',
  '$&',
)
const atoms = fc.oneof(
  texts.map((text) => JSON.stringify(text)),
  fc.constantFrom(
    '0',
    '1',
    '(-1)',
    '0.25',
    '1e21',
    '3',
    'NaN',
    'Infinity',
    'undefined',
    'null',
    'true',
    'false',
    '2n',
    '`a${1}b`',
  ),
  fc.constantFrom(
    'process.env.NODE_ENV',
    'process.env.HIVES',
    'process.env.NONE',
    "process.env['EMPTY']",
    'env.RATE',
    'process.env',
  ),
  fc.constantFrom(
    'dev',
    'HIVES',
    'stage',
    'plain[stage]',
    'words[1]',
    'words.length',
    'table.production',
    'table.inner.port',
    'table.list[1]',
    'pick',
    'changed',
  ),
)
const binaries = [
  '===',
  '!==',
  '==',
  '!=',
  '<',
  '>',
  '<=',
  '>=',
  '+',
  '-',
  '*',
  '/',
  '%',
  '**',
  '&',
  '|',
  '^',
  '<<',
  '>>',
  '>>>',
  '&&',
  '||',
  '??',
  'in',
]
const { expression } = fc.letrec<{ expression: string }>((tie) => {
  const one = tie('expression')
  const two = fc.tuple(one, one)
  return {
    expression: fc.oneof(
      { maxDepth: 4, withCrossShrink: true },
      atoms,
      atoms,
      fc.tuple(fc.constantFrom(...binaries), one, one).map(([operator, a, b]) => `(${a} ${operator} ${b})`),
      fc
        .tuple(fc.constantFrom('!', '+', '-', '~', 'typeof ', 'void '), one)
        .map(([operator, a]) => `(${operator}(${a}))`),
      fc.tuple(one, one, one).map(([a, b, c]) => `(${a} ? ${b} : ${c})`),
      two.map(([a, b]) => `\`x\${${a}}-\${${b}}\``),
      two.map(([a, b]) => `[${a}, ${b}]`),
      two.map(([a, b]) => `[...[${a}], ${b}, ...words]`),
      two.map(([a, b]) => `({ a: ${a}, 'b c': ${b}, ...plain, [${a}]: 1 })`),
      fc
        .tuple(
          one,
          fc.constantFrom('a', 'production', 'inner.port', 'length', 'list[1]', 'constructor', '__proto__', 'toString'),
        )
        .map(([a, name]) => `(${a}).${name}`),
      two.map(([a, b]) => `(${a})[${b}]`),
      fc
        .tuple(one, fc.constantFrom('a', 'inner?.port', 'list?.[0].x', 'trim?.()'))
        .map(([a, name]) => `(${a})?.${name}`),
      fc
        .tuple(
          fc.constantFrom(
            'Number',
            'String',
            'Boolean',
            'parseInt',
            'parseFloat',
            'Number.isInteger',
            'Math.max',
            'Math.round',
            'Array.isArray',
            'Object.keys',
            'JSON.parse',
            'isNaN',
            'encodeURIComponent',
            'pick',
            'kind',
            'BigInt',
          ),
          one,
          one,
        )
        .map(([name, a, b]) => `${name}(${a}, ${b})`),
      fc
        .tuple(
          one,
          fc.constantFrom(
            'trim',
            'toUpperCase',
            'toLowerCase',
            'startsWith',
            'endsWith',
            'includes',
            'indexOf',
            'slice',
            'split',
            'replace',
            'replaceAll',
            'padStart',
            'repeat',
            'concat',
            'at',
            'join',
            'toFixed',
            'toString',
            'charAt',
            'substring',
          ),
          one,
          one,
        )
        .map(([a, name, b, c]) => `(${a}).${name}(${b}, ${c})`),
      fc
        .tuple(one, fc.constantFrom('map', 'filter', 'some', 'every', 'find'), one)
        .map(([a, name, b]) => `[${a}, 1, 'b'].${name}((x, i) => (${b}) || x === i)`),
      fc
        .tuple(one, fc.constantFrom('Number', 'Boolean', 'String', 'parseInt'))
        .map(([a, name]) => `[${a}, '12', ''].map(${name})`),
      two.map(
        ([a, b]) => `((x, { y = ${b} } = {}) => { const z = x ?? y; if (z) return [z, y]; return typeof y })(${a})`,
      ),
      two.map(([a, b]) => `again((x) => x === ${b}, ${a}, 1)`),
      two.map(([a, b]) => `(${a}, ${b})`),
    ),
  }
})

const environments = [
  { NODE_ENV: 'production', HIVES: '7', EMPTY: '', RATE: '0.25' },
  { NODE_ENV: 'development', EMPTY: '' },
  { RATE: 'abc' },
] as Readonly<Record<string, string>>[]

function sceneOf(
  environment: Readonly<Record<string, string>>,
  modules: Readonly<Record<string, CodeModule>> = {},
): Scene {
  return {
    environment: (from, name) => (from === 'process.env' ? environment[name] : undefined),
    imported: (_, source) => modules[source],
    mayChange: () => false,
  }
}

/** The functions of a list `[() => …]`, in their order. */
function thunksIn(module: CodeModule): readonly Node[] {
  let found: readonly Node[] = []
  for (const program of module.programs)
    walk(program, (node, parents) => {
      if (node.type === 'ArrayExpression' && parents.at(-2)?.type === 'Program') found = nodesIn(node.elements)
    })
  return found.map(({ body }) => body as Node)
}

/** Files of installed packages, of which some are large. */
function publishedFiles(most: number): readonly string[] {
  const folder = join(top, 'node_modules')
  const all = readdirSync(folder, { recursive: true, encoding: 'utf8' }).filter(
    (path) => /\.(?:[cm]?js|[cm]?ts|tsx)$/.test(path) && !/\.d\.[cm]?ts$/.test(path),
  )
  const step = Math.max(1, Math.floor(all.length / most))
  return all
    .sort()
    .filter((_, at) => at % step === 0)
    .map((path) => join(folder, path))
    .filter((path) => statSync(path).isFile() && statSync(path).size < 300_000)
}

test('names are bound as a well-known package says, in published files', () => {
  let uses = 0
  for (const path of publishedFiles(process.env.MAPPA_FIELD ? 20_000 : 250)) {
    const file = { path, text: readFileSync(path, 'utf8') }
    const parsed = parseFile(file)
    if ('line' in parsed) continue
    const bindings = bindingsOf(parsed)
    if (!bindings) continue
    for (const program of parsed.programs) {
      try {
        traverse.default(program as never, {
          Scope({ scope }) {
            for (const { identifier, constant, constantViolations, kind, referencePaths } of Object.values(
              scope.bindings,
            )) {
              // Types are not values.
              const own = bindings.of(identifier as never)
              for (const { node } of referencePaths) {
                const found = bindings.of(node as never)
                // A parameter that is a field, too, is no use of another name.
                if (node.type !== 'Identifier' || !own || !found || found.identifier.start === node.start) continue
                const about: string = `${path}: ${identifier.name} at ${node.start}`
                assert.equal(found.identifier.start, own.identifier.start, about)
                uses++
              }
              // What is said to be constant must be.
              const isConstant = kind === 'module' ? constantViolations.length === 0 : constant
              if (own?.isConstant && kind !== 'unknown')
                assert.ok(isConstant, `${path}: ${identifier.name} is not constant`)
            }
          },
        })
      } catch (error) {
        if (error instanceof assert.AssertionError) throw error
      }
    }
  }
  assert.ok(uses > 10_000, `Only ${uses} uses.`)
})

const runs = process.env.MAPPA_FIELD ? 100_000 : 6000

test('what expressions are said to come to is what Node makes of them', () => {
  let known = 0
  let thrown = 0
  const seed = Date.now() % 1e9
  for (let batch = 0; batch < runs / 200; batch++) {
    const expressions = fc.sample(expression, { numRuns: 200, seed: seed + batch })
    const text = `${around}return [${expressions.map((each) => `() => (${each})`).join(',\n')}]`
    const module = codeModule({ path: 'a.js', text })
    assert.ok(module, 'It is not parsed.')
    const thunks = thunksIn(module)
    assert.equal(thunks.length, expressions.length)
    for (const environment of environments) {
      const env = Object.assign(Object.create(null), environment)
      const run = new Function('process', text)({ env }) as (() => unknown)[]
      const evaluator = new Evaluator(sceneOf(environment))
      for (const [at, each] of expressions.entries()) {
        const own = evaluator.outcome(thunks[at] as Node, module)
        if (!own.known) continue
        const said = `${each} in ${JSON.stringify(environment)} (seed ${seed + batch})`
        let right: unknown
        try {
          right = run[at]?.()
        } catch (error) {
          thrown++
          assert.fail(`${said} throws ${error}`)
        }
        // Functions are not compared.
        if (!isData(own.value)) continue
        assert.deepEqual(asData(own.value), right, said)
        known++
      }
    }
  }
  assert.equal(thrown, 0)
  // One that never knew anything would be right, too.
  assert.ok(known > runs * environments.length * 0.3, `Only ${known} are known.`)
})

test('what grows, nests or goes round is not known, in a moment', () => {
  const doubled = (first: string, next: (name: string) => string) => ({
    lead: `const a0 = ${first}\n${Array.from({ length: 60 }, (_, at) => `const a${at + 1} = ${next(`a${at}`)}\n`).join('')}`,
    end: 'a60',
  })
  const rows: Readonly<Record<string, { readonly lead: string; readonly end: string }>> = {
    'a list that doubles': doubled("['x']", (name) => `[...${name}, ...${name}]`),
    'a list of lists': { ...doubled("['x']", (name) => `[${name}, ${name}]`), end: 'String(a60)' },
    'objects in objects': { ...doubled("({ b: 'x' })", (name) => `({ b: ${name}, c: ${name} })`), end: '`${a60}`' },
    'a text that doubles': doubled("'x'", (name) => `${name} + ${name}`),
    'a text that is repeated': { lead: '', end: "'x'.repeat(1e9) + 'x'.padEnd(1e9)" },
    'replacements with what is around': {
      lead: '',
      end: `${JSON.stringify('a'.repeat(9000))}.replaceAll('a', '$\`$&')`,
    },
    'a power': { lead: '', end: '2n ** 999999999n' },
    'a shift': { lead: '', end: '1n << 999999999n' },
    'a function that calls itself': { lead: 'const f = (n) => f(n + 1)\n', end: 'f(1)' },
    'functions that call each other': {
      lead: 'const f = (n) => n > 0 ? g(n) + g(n) : 1, g = (n) => f(n - 1) + f(n - 1)\n',
      end: 'f(40)',
    },
    'names in a circle': { lead: 'const a = () => b, b = [a()][0]\n', end: 'b' },
    'brackets in brackets': { lead: '', end: `${'!'.repeat(5000)}1` },
    'a long sum of names': { lead: 'const a = 1\n', end: Array.from({ length: 5000 }, () => 'a').join(' + ') },
    'a long sum': { lead: '', end: Array.from({ length: 30_000 }, () => "'x'").join(' + ') },
  }
  for (const [what, { lead, end }] of Object.entries(rows)) {
    const started = performance.now()
    const module = codeModule({ path: 'a.js', text: `${lead}export default ${end}\n` })
    const found = module?.exported('default')
    const own =
      found && 'node' in found ? new Evaluator(sceneOf({})).outcome(found.node, module as CodeModule) : undefined
    assert.ok(own === undefined || !own.known, what)
    // Ten times what the slowest takes on a busy machine: what grows without an end takes hours.
    assert.ok(performance.now() - started < 60_000, `${what} took ${Math.round(performance.now() - started)} ms`)
  }
})

/** Tells whether a value holds no function. */
function isData(value: Value): boolean {
  if (isPrimitive(value)) return true
  const inner =
    value instanceof ListValue ? value.items : value instanceof RecordValue ? [...value.members.values()] : undefined
  return inner?.every(isData) === true
}

/** A value as Node has it. */
function asData(value: Value): unknown {
  if (isPrimitive(value)) return value
  if (value instanceof ListValue) return value.items.map(asData)
  return value instanceof RecordValue
    ? Object.fromEntries([...value.members].map(([name, item]) => [name, asData(item)]))
    : undefined
}
