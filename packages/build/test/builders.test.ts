// The same module, refusals and search from every builder, with pages that a browser loads.
import assert from 'node:assert/strict'
import { existsSync, mkdirSync, readdirSync, readFileSync, symlinkSync, writeFileSync } from 'node:fs'
import { createServer } from 'node:http'
import { dirname, join } from 'node:path'
import test, { after } from 'node:test'
import { mappa as mappaEsbuild } from '@mappa/build/esbuild'
import { mappa as mappaRollup } from '@mappa/build/rollup'
import { mappa as mappaVite } from '@mappa/build/vite'
import { mappa as mappaWebpack } from '@mappa/build/webpack'
import { rspack } from '@rspack/core'
import { context, build as esbuild, type Plugin, type PluginBuild } from 'esbuild'
import { settle } from 'mappa/node'
import { pageBlock, stampPage } from 'mappa/page'
import type { Browser } from 'playwright-core'
import { rolldown, watch as watchRolldown } from 'rolldown'
import { rollup, watch as watchRollup } from 'rollup'
import { build as vite } from 'vite'
import webpack from 'webpack'
import { inBrowser, launch, newPage } from '../../../test/browser.js'
import { mappa, node, project, top, until } from '../../../test/helpers.js'
import type { BuilderName, builders as plugins } from '../src/builders.js'

const secret = 'heather-lime-bramble'
const legend = `import { legend } from 'mappa/legend'
const hidden: boolean = true
export default legend({
  PAGE: { type: 'string', reach: 'browser' },
  HIVES: { type: 'integer', reach: 'browser', default: 5 },
  NOTE: { type: 'string', reach: 'browser', fixed: 'start' },
  KEY: { type: 'string', secret: hidden as true, optional: true },
  PLACE: { type: 'string', default: 'meadow-hill' },
})
`
const layer = `PAGE=hello\nNOTE='practice </script>'\nKEY=${secret}\n`

function pageProject(part: string, more: Readonly<Record<string, string>> = {}): string {
  return project({
    'package.json': '{ "type": "module" }',
    'mappa.legend.ts': legend,
    '.env': layer,
    'main.js': "import './part.js'\n",
    'part.js': part,
    ...more,
  })
}

interface Told {
  readonly reach?: 'server'
  /** Called by another plugin once everything is written. */
  readonly late?: () => void
  readonly root: string
  readonly input: string
}
const quiet = { onLog() {} }

/** Rollup takes no types away by itself. */
const plainTypes = {
  name: 'types',
  transform: (code: string, id: string) =>
    id.endsWith('.ts') ? { code: code.replace(/: boolean| as true/g, ''), map: null } : null,
}

/** What reads the imports of styles by itself prints what it does not understand. */
function styleText(code: string, folder: string): string {
  for (const [, file = ''] of code.matchAll(/@import '(.*?)'/g))
    throw new Error(`not a style: ${readFileSync(join(folder, file), 'utf8')}`)
  return code
}
const styles = {
  name: 'styles',
  transform: (code: string, id: string) =>
    id.endsWith('.css') ? { code: `export default ${JSON.stringify(styleText(code, dirname(id)))}`, map: null } : null,
}
const esbuildStyles: Plugin = {
  name: 'styles',
  setup: ({ onLoad }) =>
    onLoad({ filter: /\.css$/ }, ({ path }) => ({
      contents: styleText(readFileSync(path, 'utf8'), dirname(path)),
      loader: 'css',
    })),
}
const styleLoader = `const { readFileSync } = require('node:fs')\nconst { join } = require('node:path')\n${styleText.toString()}\nmodule.exports = function (code) { return styleText(code, this.context) }\n`

/** The builders that take the plugins; Vite has tests of its own. */
type Packages = Exclude<(typeof plugins)[BuilderName]['peers'][number], 'vite'>

/** Each builder, writing `main.js` into `dist`. */
const builders: Readonly<Record<Packages, (told: Told) => Promise<unknown>>> = {
  async rollup({ input, root, late = () => {}, ...told }) {
    const plugins = [mappaRollup({ root, ...told }), plainTypes, styles, { name: 'late', closeBundle: late }]
    const made = await rollup({ input, plugins, external: /^mappa/, ...quiet })
    await made.write({ dir: join(root, 'dist'), format: 'es', sourcemap: true })
    return made.close()
  },
  async rolldown({ input, root, late = () => {}, ...told }) {
    const plugins = [mappaRollup({ root, ...told }), styles, { name: 'late', closeBundle: late }]
    const made = await rolldown({ input, plugins, external: /^mappa/, ...quiet })
    await made.write({ dir: join(root, 'dist'), format: 'es', sourcemap: true })
    return made.close()
  },
  async esbuild({ input, root, reach, late = () => {} }) {
    const { warnings } = await esbuild({
      entryPoints: [input],
      absWorkingDir: root,
      outdir: 'dist',
      bundle: true,
      format: 'esm',
      sourcemap: true,
      logLevel: 'silent',
      packages: 'external',
      platform: reach ? 'node' : 'browser',
      loader: { '.env': 'text' },
      // Its plugins come to an end in their order.
      plugins: [
        { name: 'late', setup: ({ onEnd }: PluginBuild) => onEnd(() => void late()) },
        mappaEsbuild(),
        esbuildStyles,
      ],
    })
    assert.deepEqual(warnings, [])
  },
  webpack: (told) => packed(webpack as unknown as Packer, told),
  '@rspack/core': (told) => packed(rspack as unknown as Packer, told),
}

interface Stats {
  hasErrors(): boolean
  toJson(): { errors: { message: string }[] }
}
type Packer = (
  options: object,
  done?: (error: Error | null, stats: Stats) => void,
) => {
  watch(options: object, done: (error: Error | null, stats: Stats) => void): { close(done: () => void): void }
}
const packing = ({ input, root, reach, late = () => {} }: Told) => ({
  mode: 'production',
  context: root,
  entry: input,
  devtool: 'source-map',
  target: reach ? 'node' : 'web',
  output: { path: join(root, 'dist'), filename: reach ? 'main.cjs' : 'main.js' },
  optimization: { minimize: false },
  experiments: { css: true },
  externals: [/^mappa/],
  externalsType: reach ? 'commonjs' : 'var',
  plugins: [
    mappaWebpack(),
    { apply: (compiler: { hooks: typeof webpack.Compiler.prototype.hooks }) => compiler.hooks.done.tap('late', late) },
  ],
  module: {
    rules: [
      { resourceQuery: /raw/, type: 'asset/source' },
      { test: /\.ts$/, loader: join(root, 'types.cjs') },
      { test: /\.css$/, type: 'css/auto', loader: join(root, 'styles.cjs') },
    ],
  },
})
const typesLoader = "module.exports = (code) => code.replace(/: boolean| as true/g, '')\n"

function packed(make: Packer, told: Told): Promise<void> {
  writeFileSync(join(told.root, 'types.cjs'), typesLoader)
  writeFileSync(join(told.root, 'styles.cjs'), styleLoader)
  return new Promise((resolve, reject) => {
    make(packing(told), (error, stats) => {
      const failed = error ?? (stats.hasErrors() ? new Error(messagesOf(stats)) : undefined)
      if (failed) reject(failed)
      else resolve()
    })
  })
}
const messagesOf = (stats: Stats) =>
  stats
    .toJson()
    .errors.map(({ message }) => message.replaceAll('│', ''))
    .join('\n')

function outputOf(root: string): string {
  const folder = join(root, 'dist')
  const names = existsSync(folder) ? readdirSync(folder) : []
  return names.map((name) => readFileSync(join(folder, name), 'utf8')).join('\n')
}

/** Ways in which something of the server might get into a page: each is refused, or found before it is served. */
const slips: readonly (readonly [code: string, why: RegExp])[] = [
  ["import { KEY } from 'virtual:mappa/settings'\nread(KEY)", /KEY is secret and must stay on the server/],
  ["import * as all from 'virtual:mappa/settings'\nread(all.PLACE)", /PLACE stays on the server/],
  ["import * as all from 'virtual:mappa/settings'\nread(JSON.stringify(all))", /imports all settings/],
  ["import { PAGEE } from 'virtual:mappa/settings'\nread(PAGEE)", /takes PAGEE, but it is not in the legend/],
  ["read((await import('virtual:mappa/settings')).KEY)", /KEY is secret and must stay on the server/],
  ["export * from 'virtual:mappa/settings'", /imports all settings/],
  ['read(import.meta.env.KEY)', /KEY is secret and must stay on the server/],
  ['const { KEY } = import.meta.env\nread(KEY)', /KEY is secret and must stay on the server/],
  ['read(process.env.KEY)', /KEY is secret and must stay on the server/],
  ['read(import.meta.env.NOTE)', /NOTE is fixed at start, but \S*part\.js reads it as a build-time value/],
  ["import text from './.env?raw'\nread(text)", /\.env contains server settings|Could not resolve/],
  ["import definition from './mappa.legend.ts'\nread(definition)", /is the legend, with server defaults/],
  ["import { PAGE } from 'virtual:mappa/settings'\nlet let = import.meta.env", /let|Parse|arse/],
  [`read('${secret}')`, /contains the value of KEY, at byte \d/],
  [`read('${Buffer.from(`xx${secret}`).toString('base64')}')`, /contains the value of KEY/],
  [`read(1) // ${Buffer.from(secret).toString('hex')}`, /contains the value of KEY/],
]

for (const [builder, build] of Object.entries(builders))
  test(`${builder}: nothing of the server gets into a page`, async () => {
    const wrong: unknown[] = []
    for (const [code, why] of slips) {
      const root = pageProject(code)
      const said = await build({ root, input: join(root, 'main.js') }).then(
        () => 'built',
        (error: Error) => error.message.replace(/\s+/g, ' '),
      )
      if (!why.test(said) || said.includes(secret) || outputOf(root).includes(secret)) wrong.push({ code, said })
    }
    assert.deepEqual(wrong, [])
  })

/** Ways to ask for a file that no page may have, and that no parser understands. */
const asked: Readonly<Record<string, Readonly<Record<string, string>>>> = {
  'an import': { 'part.js': "import './.env.development.local'\n" },
  'an import when it runs': { 'part.js': "import('./.env.development.local').then(console.log)\n" },
  'an import as JSON': {
    'part.js': "import text from './.env.development.local' with { type: 'json' }\nconsole.log(text)\n",
  },
  'an import of a style': { 'part.js': "import './a.css'\n", 'a.css': "@import './.env.development.local';\n" },
  'a style': { 'part.js': "import './a.css'\n", 'a.css': 'a { background: url(./.env.development.local) }\n' },
  'an address': { 'part.js': "console.log(new URL('./.env.development.local', import.meta.url).href)\n" },
  'a worker': { 'part.js': "new Worker(new URL('./.env.development.local', import.meta.url))\n" },
}

for (const [builder, build] of Object.entries({ ...builders, vite: viteQuietly }))
  test(`${builder}: a file that no page may have is printed by nothing that reads it`, async () => {
    for (const [what, files] of Object.entries(asked)) {
      const root = pageProject('', { '.env.development.local': `SIGN=@{ ${secret}\n`, ...files })
      const said = await build({ root, input: join(root, 'main.js') }).then(
        () => 'built',
        (error: Error) => [error.message, error.stack, JSON.stringify(error)].join('\n'),
      )
      assert.ok(!said.includes(secret) && !outputOf(root).includes(secret), `${what}: ${said}`)
    }
  })

async function viteQuietly({ root, input }: Told): Promise<unknown> {
  const build = { rolldownOptions: { input } }
  return vite({ root, logLevel: 'silent', build, plugins: [mappaVite()] })
}

for (const [builder, build] of Object.entries(builders))
  test(`${builder}: what another plugin writes late is searched on the disk and removed, and what is plain stays`, async () => {
    const root = pageProject('export {}\n')
    const write = (text: string) => () => writeFileSync(join(root, 'dist/late.txt'), text)
    await build({ root, input: join(root, 'main.js'), late: write('fine') })
    assert.ok(existsSync(join(root, 'dist/late.txt')))
    await assert.rejects(
      build({ root, input: join(root, 'main.js'), late: write(`x ${secret}`) }),
      /late\.txt\s+contains\s+the\s+value\s+of\s+KEY/,
    )
    assert.deepEqual([existsSync(join(root, 'dist/late.txt')), existsSync(join(root, 'dist/main.js'))], [false, true])
  })

let browser: Browser | undefined
after(() => browser?.close())

/** What a page with a script says of itself, or its first error. */
async function loaded(root: string, html: string): Promise<string> {
  browser ??= await launch()
  const server = createServer(({ url }, response) => {
    const isPage = url === '/'
    response.writeHead(200, {
      'content-type': isPage ? 'text/html' : 'text/javascript',
      'content-security-policy': "default-src 'none'; script-src 'self'",
    })
    response.end(isPage ? html : readFileSync(join(root, 'dist/main.js')))
  }).listen(0)
  const page = await newPage(browser)
  const errors: string[] = []
  page.on('pageerror', (error) => errors.push(error.message))
  try {
    await page.goto(`http://localhost:${(server.address() as { port: number }).port}/`)
    await page.waitForFunction('document.title !== ""', undefined, { timeout: 5000 }).catch(() => undefined)
    return errors[0] ?? (await page.title())
  } finally {
    await page.close()
    server.close()
  }
}

const reads =
  "import { HIVES, NOTE, PAGE } from 'virtual:mappa/settings'\nconst { PAGE: own } = import.meta.env\ndocument.title = [PAGE, HIVES + 1, NOTE, import.meta.env.PAGE, own, process.env.PAGE].join()\n"

for (const [builder, build] of Object.entries(builders))
  test(`${builder}: a page has what it may have, and takes at the start what is fixed then`, inBrowser, async () => {
    const root = pageProject(reads)
    await build({ root, input: join(root, 'main.js') })
    assert.doesNotMatch(outputOf(root), /practice|meadow-hill/)
    const html = '<!doctype html><meta charset="utf-8"><script type="module" src="/main.js"></script>'
    writeFileSync(join(root, 'page.html'), html)
    const args = ['stamp', 'page.html', '--stage', 'staging', '--set', "NOTE=<!--<script>'\u2028é"]
    const { code, stdout, stderr } = await mappa(args, { cwd: root })
    assert.deepEqual([code, stderr], [0, ''])
    assert.equal(await loaded(root, stdout), "hello,6,<!--<script>'\u2028é,hello,hello,hello")
    if (builder === 'esbuild')
      assert.match(await loaded(root, html), /NOTE is fixed at start, but this page has no value for it/)
  })

for (const [builder, build] of Object.entries(builders))
  test(`${builder}: what stays on a server has everything, settled where it starts, and holds no value`, async () => {
    const root = pageProject('', {
      'main.js': "import settings, { KEY } from 'virtual:mappa/settings'\nconsole.log(KEY.length, settings)\n",
    })
    mkdirSync(join(root, 'node_modules'), { recursive: true })
    if (!existsSync(join(root, 'node_modules/mappa')))
      symlinkSync(join(top, 'packages/mappa'), join(root, 'node_modules/mappa'))
    await build({ root, input: join(root, 'main.js'), reach: 'server' })
    assert.doesNotMatch(outputOf(root), new RegExp(`${secret}|practice`))
    const [file = ''] = readdirSync(join(root, 'dist')).filter((name) => /\.c?js$/.test(name))
    const { stdout, stderr } = await node([join(root, 'dist', file)], { cwd: top, env: { PAGE: 'from the host' } })
    assert.match(stdout, /^20 \{\n {2}PAGE: 'from the host',[\s\S]*KEY: '\(secret\)'/, stderr)
  })

const withVite: typeof builders & { readonly vite: (told: Told) => Promise<unknown> } = {
  ...builders,
  vite: ({ root, input }) =>
    vite({
      root,
      configFile: false,
      logLevel: 'silent',
      plugins: [mappaVite()],
      build: { ssr: input, outDir: 'dist' },
    }),
}
for (const [builder, build] of Object.entries(withVite))
  test(`${builder}: a bundle finds its layers where it is deployed without a legend, beside a package.json of its own`, async () => {
    const root = pageProject('', {
      'main.js': "import { KEY } from 'virtual:mappa/settings'\nconsole.log(KEY.length)\n",
    })
    await build({ root, input: join(root, 'main.js'), reach: 'server' })
    const written = Object.fromEntries(
      readdirSync(join(root, 'dist')).map((name) => [`dist/${name}`, readFileSync(join(root, 'dist', name), 'utf8')]),
    )
    const file = Object.keys(written).find((name) => /\.[cm]?js$/.test(name)) ?? ''
    const own = '{ "name": "server", "type": "module", "dependencies": {} }'
    const deployed = { ...written, '.env': layer, 'dist/package.json': own }
    const there = project(deployed)
    assert.equal((await node([join(there, file)], { cwd: top })).stdout, '20\n')
    // The output by itself is a project of its own, with layers there.
    const moved = project({ ...written, 'dist/.env': layer, 'dist/package.json': own, '.env': 'KEY=another\n' })
    assert.equal((await node([join(moved, file)], { cwd: top })).stdout, '20\n')
  })

type Done = (said: string) => void
const rollupWatch =
  (watch: typeof watchRollup | typeof watchRolldown) =>
  async ({ input, root }: Told, done: Done) => {
    const plugins = [mappaRollup({ root, stage: 'staging' })]
    const watcher = (watch as typeof watchRollup)({ input, plugins, output: { dir: join(root, 'dist') }, ...quiet })
    watcher.on('event', (event) => {
      if (event.code === 'ERROR') done(event.error.message)
    })
    return () => watcher.close()
  }
const packerWatch = (make: unknown) => async (told: Told, done: Done) => {
  writeFileSync(join(told.root, 'types.cjs'), typesLoader)
  writeFileSync(join(told.root, 'styles.cjs'), styleLoader)
  const options = { ...packing(told), plugins: [mappaWebpack({ stage: 'staging' })] }
  const watcher = (make as Packer)(options).watch({}, (_, stats) => {
    if (stats.hasErrors()) done(messagesOf(stats))
  })
  return () => new Promise<void>((resolve) => watcher.close(resolve))
}

/** Builds that go on when a file changes: they tell what is wrong, and are ended. */
const watching: Readonly<Record<string, (told: Told, done: Done) => Promise<() => unknown>>> = {
  Rollup: rollupWatch(watchRollup),
  Rolldown: rollupWatch(watchRolldown),
  async esbuild({ input, root }, done) {
    const told = {
      name: 'told',
      setup: ({ onEnd }: { onEnd(call: (result: { errors: { text: string }[] }) => void): void }) =>
        onEnd(({ errors }) => done(errors.map(({ text }) => text).join())),
    }
    const plugins = [mappaEsbuild({ stage: 'staging' }), told]
    const common = { bundle: true, format: 'esm', outdir: 'dist', logLevel: 'silent' } as const
    const watcher = await context({ entryPoints: [input], absWorkingDir: root, ...common, plugins })
    await watcher.watch()
    return () => watcher.dispose()
  },
  webpack: packerWatch(webpack),
  Rspack: packerWatch(rspack),
}

for (const [builder, start] of Object.entries(watching))
  test(`${builder}: while it watches, values, faults and the legend are followed`, async () => {
    const reading = "import { PAGE } from 'virtual:mappa/settings'\ndocument.title = PAGE + import.meta.env.PAGE\n"
    const root = pageProject(reading)
    let said = ''
    const end = await start({ root, input: join(root, 'main.js') }, (text) => {
      said += text
    })
    const change = (file: string, text: string) => {
      said = ''
      writeFileSync(join(root, file), text)
    }
    const says = (what: RegExp) => until(() => what.test(said), `it says ${what}, and was: ${said}`)
    const holds = (value: string) =>
      until(() => {
        const found = outputOf(root).match(/hello\d?/g) ?? []
        return found.length > 0 && found.every((each) => each === value)
      }, `the page has ${value}, and it said ${said}`)
    try {
      await holds('hello')
      change('.env', layer.replace('hello', 'hello2'))
      await holds('hello2')
      change('.env', layer.replace('PAGE', 'PAG'))
      await says(/PAGE is required \(text\), but no layer sets it/)
      change('.env', layer.replace('hello', 'hello3'))
      await holds('hello3')
      change('part.js', reading.replace('{ PAGE }', '{ PLACE }'))
      await says(/PLACE stays on the server/)
      change('mappa.legend.ts', legend.replace("'meadow-hill'", "'hello3', reach: 'browser'"))
      await holds('hello3')
    } finally {
      await end()
    }
  })

test(
  'a page that a server renders goes on with the values of that server, or it says that it cannot',
  inBrowser,
  async () => {
    const root = pageProject('', {
      'shared.js': "import { NOTE, PAGE } from 'virtual:mappa/settings'\nexport const text = () => PAGE + ' ' + NOTE\n",
      'main.js':
        "import { text } from './shared.js'\nconst before = document.querySelector('h1').textContent\ndocument.title = before === text() ? 'same: ' + before : before + ' is not ' + text()\n",
      'server.js':
        "import settings from 'virtual:mappa/settings'\nimport { pageBlock } from 'mappa/page'\nimport { text } from './shared.js'\nconsole.log('<!doctype html>' + pageBlock(settings) + '<h1>' + text() + '</h1><script type=\"module\" src=\"/main.js\"></script>')\n",
    })
    const common = { root, logLevel: 'silent' as const, plugins: [mappaVite({ stage: 'staging' })] }
    const output = { entryFileNames: 'main.js' }
    await vite({ ...common, build: { rolldownOptions: { input: join(root, 'main.js'), output } } })
    await vite({ ...common, build: { ssr: join(root, 'server.js'), outDir: 'server' } })
    const rendered = (env: Record<string, string>) => node([join(root, 'server/server.js')], { cwd: top, env })
    const host = await rendered({ NOTE: 'from the host' })
    assert.equal(host.stderr, '')
    assert.equal(await loaded(root, host.stdout), 'same: hello from the host')
    const { stderr } = await rendered({ PAGE: 'bye' })
    assert.match(stderr, /^PAGE is "bye" here, but "hello" in the pages, which were built for staging\./)
  },
)

test('a page gets its block where it can be read, whatever the page looks like', () => {
  const settings = settle(
    { entries: { NOTE: { type: 'string', reach: 'browser', fixed: 'start' } }, stages: [] },
    { root: project({ '.env': "NOTE='</script> $& \"'\n" }), stage: 'staging' },
  )
  const block = pageBlock(settings)
  assert.equal(
    block,
    '<script type="application/json" id="mappa-settings" data-stage="staging">{"NOTE":"\\u003c/script> $& \\""}</script>',
  )
  const old = '<script id=mappa-settings type=application/json data-built="production">{}</script>'
  for (const [before, after] of [
    ['<html><head><title>a<script></title></head>', `<html><head><title>a<script></title>${block}</head>`],
    ['<!-- <script> --><script src=a></script>', `<!-- <script> -->${block}<script src=a></script>`],
    ['<!doctype html>\n<p>', `<!doctype html>${block}\n<p>`],
    ['<body><p>', `${block}<body><p>`],
    [`<head>${old}</head>`, `<head>${block.replace('>', ' data-built="production">')}</head>`],
    ['<p>\n  <SCRIPT>', `<p>\n  ${block}\n  <SCRIPT>`],
  ] as const) {
    const stamped = stampPage(before, settings)
    assert.equal(stamped, after)
    assert.equal(stampPage(stamped, settings), stamped)
  }
  assert.throws(() => pageBlock({ ...settings }), /takes settings from settle/)
  const entries = {
    NOTE: { type: 'string', reach: 'browser', fixed: 'start' },
    KEY: { type: 'string', secret: true },
  } as const
  const leaking = settle(
    { entries, stages: [] },
    { environment: { NOTE: `is ${btoa(secret)}`, KEY: secret }, stage: 'test' },
  )
  assert.throws(() => pageBlock(leaking), /^TypeError: NOTE reaches the browser, but contains the value of a secret/)
})
