import assert from 'node:assert/strict'
import { readFileSync } from 'node:fs'
import { join } from 'node:path'
import test from 'node:test'
import fc from 'fast-check'
import { mappa, project, storedIn, top } from '../../../test/helpers.js'
import { overParsed, type SourceFile } from '../src/code/parse.js'
import { readsIn } from '../src/code/reads.js'
import { findIn } from '../src/lift/lift.js'

const { answered } = storedIn('packages/cli/test/stored')

/** What a file takes, as `NAME line:column`, names that are only known at run time as `?`, or where it cannot be parsed. */
function takenBy({ path, text }: SourceFile): string {
  const found = overParsed({ path, text }, readsIn)
  if ('line' in found) return `unparsed ${found.line}:${found.column}`
  const { reads, computed } = found
  const all = [...reads, ...computed.map((each) => ({ ...each, name: '?' }))].sort((a, b) => a.start - b.start)
  return all.map(({ name, start }) => `${name} ${start}`).join(', ')
}

test('what code takes from its environment, wherever it is in the file', async () => {
  await answered('reads', (given) => {
    const [, path = '', text = ''] = /^(\S+) (.*)$/.exec(given) ?? []
    return [`    ${takenBy({ path, text: text.replaceAll('\\n', '\n') })}`]
  })
})

test('no text makes the finder throw, and neither does what is installed', () => {
  const words = "process.env .A [ ] { } ( ) ` ${ <script> </script> import.meta.env ' => /".split(' ')
  const parts = fc.constantFrom(...words, ' = ', 'const ', '\n')
  const text = fc.array(fc.oneof(parts, fc.string({ maxLength: 3 })), { maxLength: 12 }).map((each) => each.join(''))
  fc.assert(
    fc.property(text, fc.constantFrom('a.js', 'a.tsx', 'a.vue', 'a.html'), (text, path) => {
      takenBy({ path, text })
    }),
    { numRuns: 1000 },
  )
  // As deep as no person writes, and still not so deep that the parser gives up.
  for (const [open, close] of [
    ...['( )', '[ ]', '{ }', 'a( )', '`${ }`', 'if(a){ }', '<a> </a>', '! ', "'a'+ ", 'a. ', 'a?b: ', '()=> '].map(
      (each) => each.split(' '),
    ),
  ])
    for (const times of [500, 2000, 50_000])
      for (const path of ['a.js', 'a.tsx', 'a.vue']) {
        const file = { path, text: `process.env.A;${open?.repeat(times)}'b'${close?.repeat(times)}` }
        const { files, unparsed, made } = findIn([file], [])
        assert.equal(files + unparsed.length + made.length, 1)
        takenBy(file)
      }
  const installed = [
    'commander/lib/command.js',
    'esbuild/lib/main.js',
    'playwright-core/index.js',
    'cross-spawn/index.js',
  ]
  const taken = installed.map((path) => takenBy({ path, text: readFileSync(join(top, 'node_modules', path), 'utf8') }))
  assert.match(taken[1] ?? '', /ESBUILD_BINARY_PATH \d+/)
})

test('check --code names what is read without an entry, and entries that nobody reads', async () => {
  const root = project({
    'mappa.legend.mjs': `import { legend } from 'mappa/legend'
      export default legend({
        HIVES: { type: 'string', as: 'apiary.hives' }, DOMAIN: { type: 'string' }, FEED: { type: 'string' },
        LEVEL: { type: 'string' }, TOKEN: { type: 'string', secret: true }, SERVICE: { type: 'string', optional: true },
        UNUSED: { type: 'string', as: 'apiary.unused' },
      }, { remotes: [{ name: 'the host', url: 'SERVICE' }] })`,
    '.env': 'HIVES=a\nDOMAIN=b\nFEED=${DOMAIN}\nLEVEL=c\nSERVICE=\nUNUSED=f\n',
    'app.mjs': 'const { apiary } = settings; use(apiary.hives, process.env.FEED, process.env.FEDE, process.env.HOME)',
    'kept.mjs': 'process.env.OTHER // mappa keep: of another program\nprocess.env.NODE_ENV',
    'start.sh': 'run --level "$LEVEL"',
    'README.md': 'UNUSED',
    'node_modules/x/index.js': 'process.env.NOBODYS',
    '.env.local': 'TOKEN=d\n',
    'tool.py': 'os.environ["TOKEN"]',
    'data.js': '\0',
  })
  const { code, stdout } = await mappa(['check', '--code'], { cwd: root })
  assert.equal(code, 1)
  const [, first, second] = stdout.split(/\n\n(?=Fault: Code|Notice: UNUSED|\d)/)
  assert.match(
    first ?? '',
    /^Fault: Code reads FEDE from process\.env, but it is not in the legend\.\n {4}app\.mjs:1:78\n {4}FEDE\n {4}\^{4}\n {2}→ Write: FEED$/,
  )
  assert.match(second ?? '', /^Notice: UNUSED is unused: no code reads settings\.apiary\.unused, and no other file/)
  assert.doesNotMatch(stdout, /OTHER|NOBODYS|LEVEL|TOKEN|DOMAIN is read/)
})
