// Values that pages take when they are served, put in by the command; and the module for builders without a plugin.
import assert from 'node:assert/strict'
import { createHash } from 'node:crypto'
import { mkdirSync, readFileSync, statSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import test from 'node:test'
import { brotliCompressSync, brotliDecompressSync, gunzipSync, gzipSync } from 'node:zlib'
import { build } from 'esbuild'
import { mappa, node, project } from '../../../test/helpers.js'

const legend = `import { legend } from 'mappa/legend'
export default legend({
  PAGE: { type: 'string', reach: 'browser', description: 'What the page says */ first' },
  SPEED: { type: 'number', reach: 'browser', enum: [1, 2], default: 1 },
  NOTE: { type: 'string', reach: 'browser', fixed: 'start' },
  KEEPERS: { type: 'array', items: { type: 'string' }, reach: 'browser', fixed: 'start', optional: true },
  SINCE: { type: 'string', reach: 'browser', default: '2026', read: (text) => ({ year: Number(text) }) },
  KEY: { type: 'string', secret: true },
})
`
const page = '<html>\n  <head>\n    <script type="module" src="/main.js"></script>\n  </head>\n</html>\n'

function site(): string {
  const root = project({
    'mappa.legend.mjs': legend,
    '.env': 'PAGE=hello\n',
    '.env.staging': 'NOTE=Practice\nKEEPERS=Ada,Grace\n',
    '.env.production': 'NOTE=Live\nPAGE=live\n',
  })
  mkdirSync(join(root, 'dist/deep'), { recursive: true })
  for (const file of ['index.html', 'deep/index.html']) writeFileSync(join(root, 'dist', file), page)
  return root
}

test('stamp prints a page, writes it elsewhere or in its place, and leaves what is wrong alone', async () => {
  const root = site()
  const stamp = (...args: string[]) => mappa(['stamp', ...args], { cwd: root })
  const file = join(root, 'dist/index.html')
  const printed = await stamp('dist/index.html', '--stage', 'staging')
  const block = (stage: string, json: string) =>
    `<script type="application/json" id="mappa-settings" data-stage="${stage}">${json}</script>`
  const staging = page.replace(
    '<script',
    `${block('staging', '{"NOTE":"Practice","KEEPERS":["Ada","Grace"]}')}\n    <script`,
  )
  // The key of the server is nowhere, and need not be.
  assert.deepEqual([printed.code, printed.stdout, printed.stderr], [0, staging, ''])
  assert.equal(readFileSync(file, 'utf8'), page)
  const out = await stamp('dist/index.html', '--stage', 'staging', '--out', 'staging.html')
  assert.deepEqual([out.code, out.stderr], [0, 'staging.html has the values of staging.\n'])
  assert.equal(readFileSync(join(root, 'staging.html'), 'utf8'), staging)
  const both = await stamp('dist/index.html', 'dist/deep/index.html', '--stage', 'production', '--in-place')
  assert.equal(both.code, 0, both.stderr)
  for (const each of ['index.html', 'deep/index.html'])
    assert.match(readFileSync(join(root, 'dist', each), 'utf8'), /data-stage="production">\{"NOTE":"Live"\}</)
  assert.match(
    (await stamp('dist/index.html', '--stage', 'production', '--in-place')).stderr,
    /already has the values of production/,
  )

  writeFileSync(join(root, '.env.staging.local'), 'NOTE=Mine\n')
  writeFileSync(join(root, 'bad.html'), Buffer.from([0x3c, 0xff]))
  for (const [args, exitCode, said] of [
    [['dist/index.html'], 1, /NOTE is required \(text\), but no layer sets it/],
    [['dist/index.html', '--stage', 'staging'], 1, /overrides NOTE from \.env\.staging[\s\S]*Nothing was stamped/],
    [['dist/index.html', '--stage', 'stagin'], 2, /must be one of/],
    [['dist/main.js'], 2, /No file dist\/main\.js\. Name a template or a built page/],
    [['none.html'], 2, /No file none\.html/],
    [['bad.html'], 2, /bad\.html is not UTF-8/],
    [['dist/index.html', 'dist/deep/index.html'], 2, /For several files, pass --in-place or a folder/],
    [['dist/index.html', '--in-place', '--out', 'x.html'], 2, /--in-place and --out cannot be used together/],
  ] as const) {
    const before = readFileSync(file, 'utf8')
    const { code, stdout, stderr } = await stamp(...args)
    assert.deepEqual([code, stdout, readFileSync(file, 'utf8')], [exitCode, '', before], args.join(' '))
    assert.match(stderr, said)
  }
  writeFileSync(join(root, 'mappa.legend.mjs'), legend.replaceAll(", fixed: 'start'", ''))
  assert.match((await stamp('dist/index.html')).stderr, /The legend has no start-fixed browser variable/)
})

const digest = (algorithm: string, form: 'hex' | 'base64', content: Buffer) =>
  createHash(algorithm).update(content).digest(form)

test('what was made of a page is made again when it is stamped, and what does not fit is named', async () => {
  const root = site()
  const at = (name: string) => join(root, 'dist', name)
  const content = Buffer.from(page)
  const worker = (html: Buffer) =>
    `precache([{url:"index.html",revision:"${digest('md5', 'hex', html)}"},{url:"main.js",revision:null}])`
  const lists = (html: Buffer) => ({
    'sw.js': worker(html),
    'files.json': JSON.stringify({ 'index.html': `sha384-${digest('sha384', 'base64', html)}` }),
    'short.json': JSON.stringify({ file: 'index.html', hash: digest('sha256', 'hex', html).slice(0, 12) }),
    'worker-list.json': JSON.stringify({ file: 'sw.js', revision: digest('sha1', 'hex', Buffer.from(worker(html))) }),
    'main.js': `console.log("${digest('md5', 'hex', Buffer.from('other'))}")`,
  })
  for (const [name, text] of Object.entries(lists(content))) writeFileSync(at(name), text)
  writeFileSync(at('index.html.gz'), gzipSync(content))
  writeFileSync(at('index.html.br'), brotliCompressSync(content))
  writeFileSync(at('sw.js.gz'), gzipSync(worker(content)))
  writeFileSync(at('deep/index.html.gz'), gzipSync('something else'))
  writeFileSync(at('odd.json'), '[{"url":"/deep/index.html","revision":"of-the-day"}]')
  const args = ['stamp', 'dist/index.html', 'dist/deep/index.html', '--stage', 'production', '--in-place']
  for (const stage of ['production', 'staging']) {
    args[4] = stage
    const { code, stderr } = await mappa(args, { cwd: root })
    assert.equal(code, 0, stderr)
    const html = readFileSync(at('index.html'))
    for (const [name, text] of Object.entries(lists(html))) assert.equal(readFileSync(at(name), 'utf8'), text, name)
    assert.deepEqual(gunzipSync(readFileSync(at('index.html.gz'))), html)
    assert.deepEqual(brotliDecompressSync(readFileSync(at('index.html.br'))), html)
    assert.equal(gunzipSync(readFileSync(at('sw.js.gz'))).toString(), worker(html))
    assert.match(stderr, /Made again from it: index\.html\.gz, index\.html\.br, /)
    assert.match(stderr, /deep\/index\.html\.gz is not a copy of deep\/index\.html/)
    assert.match(stderr, /odd\.json lists deep\/index\.html with a wrong digest/)
  }
})

test('emit writes the values of pages as a module with their types, which a page runs', async () => {
  const root = site()
  const emit = (...args: string[]) => mappa(['emit', '--as', 'module', ...args], { cwd: root })
  const { code, stderr } = await emit('--stage', 'staging', '--out', 'settings.ts')
  assert.deepEqual([code, stderr], [0, ''])
  const typed = readFileSync(join(root, 'settings.ts'), 'utf8')
  assert.match(typed, /^\/\*\*\n \* What the page says \*\\\/ first\.[\s\S]*^export const PAGE: string = "hello"$/m)
  assert.match(typed, /^export const SPEED: 1 \| 2 = 1$/m)
  assert.match(typed, /^export const SINCE = \{"year":2026\}$/m)
  assert.match(typed, /^export const KEEPERS: readonly \(string\)\[\] \| undefined = /m)
  assert.doesNotMatch(typed, /Practice|KEY\b/)
  writeFileSync(
    join(root, 'main.ts'),
    "import { KEEPERS, NOTE, PAGE, SINCE } from './settings.js'\nconsole.log(PAGE, SINCE.year + 1, NOTE.length, KEEPERS)\n",
  )
  const banner = `globalThis.document = { querySelector: () => ({ textContent: '{"NOTE":"Live"}' }) };`
  await build({
    entryPoints: ['main.ts'],
    absWorkingDir: root,
    bundle: true,
    outfile: 'main.mjs',
    banner: { js: banner },
  })
  assert.equal((await node(['main.mjs'], { cwd: root })).stdout, 'hello 2027 4 undefined\n')

  assert.equal(
    (await emit('--stage', 'production', '--out', 'settings.ts')).stdout,
    'settings.ts has the values of pages in stage production.\n',
  )
  assert.match((await emit('--stage', 'production')).stdout, /@type \{1 \| 2\}\n \*\/\nexport const SPEED = 1\n/)
  writeFileSync(join(root, 'own.ts'), 'export const mine = 1\n')
  const refused = await emit('--stage', 'staging', '--out', 'own.ts')
  assert.deepEqual([refused.code, statSync(join(root, 'own.ts')).size], [1, 22])
  assert.match(refused.stderr, /mappa emit did not write own\.ts, so it was not changed/)
  assert.equal((await emit('--out', 'settings.css')).code, 2)
})
