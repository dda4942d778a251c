// What a page may import, through Vite itself.
import assert from 'node:assert/strict'
import { cpSync, existsSync, mkdirSync, readdirSync, readFileSync, rmSync, symlinkSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import test from 'node:test'
import { mappa } from '@mappa/build/vite'
import { build, createBuilder, createLogger, createServer, type InlineConfig } from 'vite'
import { node, project, top, until } from '../../../test/helpers.js'

const secret = 'heather-lime-bramble'

function pageProject(main: string, head = ''): string {
  return project({
    'mappa.legend.mjs': `import { legend } from 'mappa/legend'
export default legend({ PAGE: { type: 'string', reach: 'browser' }, KEY: { type: 'string', secret: true, optional: true }, PLACE: { type: 'string', default: '${secret}' } }, { directories: ['run'] })`,
    '.env': `PAGE=hello\nKEY=${secret}\n`,
    'run/KEY': secret,
    'index.html': `${head}<script type="module" src="./main.js"></script>`,
    'main.js': "import './part.js'\n",
    'a.css': 'body { background: url(./.env) }',
    'part.js': main,
  })
}

const refused: Readonly<Record<string, readonly [main: string, why?: RegExp | undefined, head?: string]>> = {
  'a layer': [
    "import text from './.env?raw'\nconsole.log(text)",
    /\.env contains server settings[\s\S]*part\.js:1 imports it, main\.js:1 imports that, index\.html loads that/,
  ],
  'the address of a layer': ["import text from './.env?url'\nconsole.log(text)", /\.env contains server settings/],
  'layers by a pattern': ["console.log(import.meta.glob('./.env', { query: '?raw', eager: true }))", undefined],
  'a new URL': ["console.log(new URL('./.env', import.meta.url).href)", /\.env contains server settings/],
  'a one-value file': ["import text from './run/KEY?raw'\nconsole.log(text)", /run\/KEY contains server settings/],
  'the legend': ["import legend from './mappa.legend.mjs'\nconsole.log(legend)", /is the legend, with server defaults/],
  'a stylesheet': ["import './a.css'", /contains \.env/],
  'a link of the page': ['', /contains \.env/, '<link rel="icon" href=".env">'],
  'a picture of the page': ['', /contains (?:\.env|the value of KEY)/, '<img src="./run/KEY">'],
  'a secret in code': [`console.log('${secret}')`, /contains the value of KEY/],
  'a secret in a comment': [`console.log(1) // ${secret}`, /contains the value of KEY/],
  'what settles': ["import { settle } from 'mappa/node'\nconsole.log(settle)", /reads server settings/],
}

test('a page that imports what is the server’s is refused with the way it took', async () => {
  for (const [what, [main, why, head]] of Object.entries(refused)) {
    const root = pageProject(main, head)
    const built = build({ root, logLevel: 'silent', plugins: [mappa()], build: { sourcemap: true } })
    if (why) await assert.rejects(built, (error: Error) => why.test(error.message.replace(/\s+/g, ' ')), what)
    else await built
    const folder = join(root, 'dist/assets')
    const out = existsSync(folder) ? readdirSync(folder).map((name) => readFileSync(join(folder, name), 'utf8')) : []
    assert.ok(
      !out.join('').includes(secret) &&
        !out.join('').includes(Buffer.from(`KEY=${secret}`).toString('base64').slice(4, 20)),
      what,
    )
  }
})

test('what is copied beside a page, and what another plugin writes late, is searched on the disk and removed', async () => {
  const late = (file: string, text: string) => ({
    name: 'late',
    closeBundle: { order: 'post' as const, handler: () => writeFileSync(file, text) },
  })
  const plain = "import { PAGE } from 'virtual:mappa/settings'\ndocument.title = PAGE\n"
  const copies: Readonly<Record<string, (root: string) => void>> = {
    'notes.txt': (root) => writeFileSync(join(root, 'public/notes.txt'), `x ${secret}`),
    'link.txt': (root) => symlinkSync('../run/KEY', join(root, 'public/link.txt')),
    '.well-known/notes': (root) => {
      mkdirSync(join(root, 'public/.well-known'))
      writeFileSync(join(root, 'public/.well-known/notes'), Buffer.from(`a ${secret}`).toString('base64'))
    },
    'linked/KEY': (root) => symlinkSync('../run', join(root, 'public/linked')),
    'late.txt': () => {},
  }
  for (const [file, copy] of Object.entries(copies)) {
    const root = pageProject(plain)
    mkdirSync(join(root, 'public'))
    writeFileSync(join(root, 'public/fine.txt'), 'fine')
    copy(root)
    const plugins = [...(file === 'late.txt' ? [late(join(root, 'dist/late.txt'), secret)] : []), mappa()]
    await assert.rejects(
      build({ root, logLevel: 'silent', plugins }),
      new RegExp(`${file.replaceAll('.', '\\.')} contains the value of KEY`),
    )
    assert.deepEqual(
      [existsSync(join(root, 'dist', file)), existsSync(join(root, 'dist/fine.txt'))],
      [false, true],
      file,
    )
  }
  const root = pageProject(plain)
  mkdirSync(join(root, 'public'))
  writeFileSync(join(root, 'public/fine.txt'), 'fine')
  await build({ root, logLevel: 'silent', plugins: [mappa()] })
  assert.ok(existsSync(join(root, 'dist/index.html')))
})

test('a build into the project itself, or beside files of others, removes nothing that it has not written', async () => {
  for (const outDir of ['.', 'dist']) {
    const root = pageProject("import { PAGE } from 'virtual:mappa/settings'\ndocument.title = PAGE\n")
    mkdirSync(join(root, 'dist'))
    writeFileSync(join(root, 'dist/old.txt'), secret)
    // Older than any build of now, by the time at which it was changed.
    await new Promise((resolve) => setTimeout(resolve, outDir === 'dist' ? 2500 : 0))
    const built = build({
      root,
      logLevel: 'silent',
      plugins: [mappa()],
      build: { outDir, emptyOutDir: false },
    })
    if (outDir === 'dist') await assert.rejects(built, /old\.txt contains the value of KEY/)
    else await built
    for (const file of ['.env', 'run/KEY', 'mappa.legend.mjs', 'main.js', 'dist/old.txt'])
      assert.ok(existsSync(join(root, file)), `${outDir} ${file}`)
  }
})

test('a style that imports a layer, itself or through others, is refused before any reader has it', async () => {
  const styles: Readonly<Record<string, Readonly<Record<string, string>>>> = {
    itself: { 'part.css': '@import "./.env";\n' },
    'with url()': { 'part.css': '@import url(.env) screen;\n' },
    'through another': { 'part.css': "@import 'other.css';\n", 'other.css': '@import "./.env.local";\n' },
    'a one-value file': { 'part.css': '@import "./run/KEY";\n' },
  }
  for (const [what, files] of Object.entries(styles)) {
    const root = pageProject("import './part.css'\n")
    for (const [name, text] of Object.entries({ '.env.local': `KEY=${secret}\n`, ...files }))
      writeFileSync(join(root, name), text)
    const said: string[] = []
    const customLogger = createLogger('info')
    for (const level of ['info', 'warn', 'error'] as const) customLogger[level] = (text: string) => said.push(text)
    const failed = await build({ root, customLogger, plugins: [mappa()] }).then(
      () => '',
      (error: Error) => `${error.message} ${error.stack}`,
    )
    assert.match(failed.replace(/\s+/g, ' '), /contains server settings, but a style imports it/, what)
    const server = await createServer({ root, customLogger, plugins: [mappa()], server: { port: 0, watch: null } })
    await server.listen()
    const [address = ''] = server.resolvedUrls?.local ?? []
    const answer = await fetch(`${address}part.css`, { headers: { accept: 'text/css' } })
    said.push(await answer.text())
    await server.close()
    assert.ok(!`${failed}${said.join('')}`.includes(secret), `${what}: ${said.join('')}`)
  }
})

/** What a page may read of its settings and its environment, and what comes of it; or why the build is refused. */
const readings: readonly [code: string, expected: string | RegExp, head?: string][] = [
  ['import.meta.env.PAGE', 'hello'],
  ['import.meta.env?.PAGE + import.meta.env["PAGE"]', 'hellohello'],
  ['(() => { const { PAGE: own, KEY: other = "no" } = { ...import.meta.env }; return own + other })()', 'hellono'],
  ['(() => { const env = import.meta.env; return env.PAGE + Object.keys(env).includes("KEY") })()', 'hellofalse'],
  ['import.meta.env.VITE_OTHER + String(import.meta.env.PROD)', 'undefinedtrue'],
  ['process.env.PAGE + process.env["PAGE"]', 'hellohello'],
  ['document.title', 'hello', '<title>%PAGE%</title>'],
  ['own', 'hello', '<script>var own = "%PAGE%"</script>'],
  ['(await import("virtual:mappa/settings")).PAGE', 'hello'],
  ['await import("virtual:mappa/settings").then(({ PAGE }) => PAGE)', 'hello'],
  ['import.meta.env.KEY', /KEY is secret and must stay on the server.*part\.js:1:\d+.*index\.html loads that/],
  ['import.meta.env["PLACE"]', /PLACE stays on the server/],
  ['(({ KEY }) => KEY)(import.meta.env) ?? "none"', 'none'],
  ['(() => { const { PAGE, KEY } = import.meta.env; return PAGE + KEY })()', /KEY is secret/],
  ['(() => { const env = import.meta.env; return env.KEY })()', /KEY is secret/],
  ['import.meta.env.PAEG', /takes PAEG, but it is not in the legend.*Write: PAGE/],
  [
    '(() => { const all = () => own.KEY; const own = env; return all })(); const env = import.meta.env',
    /KEY is secret/,
  ],
  ['process.env.KEY', /KEY is secret/],
  ['globalThis.process?.env?.PLACE', /PLACE stays on the server/],
  ['1', /KEY is secret.*index\.html:1:\d+/, '<title>%KEY%</title>'],
  ['(await import("virtual:mappa/settings")).KEY', /KEY is secret/],
  ['await import("virtual:mappa/settings").then(({ KEY }) => KEY)', /KEY is secret/],
  ['await import("virtual:mappa/settings").then((all) => JSON.stringify(all))', /imports all settings/],
  ['JSON.stringify(await import("virtual:mappa/settings"))', /imports all settings/],
  ['1\nexport * from "virtual:mappa/settings"', /imports all settings/],
  ['1\nimport * as all from "virtual:mappa/settings"\nconsole.log(all.KEY)', /KEY is secret/],
  ['1\nimport * as all from "virtual:mappa/settings"\nconsole.log(all)', /imports all settings/],
  ['1\nimport all from "virtual:mappa/settings"\nconsole.log(all)', /imports all settings/],
  ['1\nimport { PAGE, /* and */ KEY } from "virtual:mappa/settings"\nconsole.log(PAGE, KEY)', /KEY is secret/],
  [
    '1\nimport { PAGEE } from "virtual:mappa/settings"\nconsole.log(PAGEE)',
    /takes PAGEE, but it is not in the legend.*Write: PAGE/,
  ],
]

/** What an older Vite, which this project has beside its own, says of pages: by a process, whose packages it is among. */
async function byVite7(roots: readonly string[], target: string): Promise<string[]> {
  const folder = project({
    'package.json': '{ "type": "module" }',
    'run.mjs': `import { build, version } from 'vite'
import { mappa } from '@mappa/build/vite'
const said = []
for (const root of ${JSON.stringify(roots)})
  said.push(await build({ root, logLevel: 'silent', plugins: [mappa()], build: { minify: false, target: '${target}' } }).then(() => 'built', (error) => error.message))
console.log(JSON.stringify([version, ...said]))
`,
  })
  rmSync(join(folder, 'node_modules'), { recursive: true, force: true })
  mkdirSync(join(folder, 'node_modules'))
  symlinkSync(join(top, 'node_modules/vite-7'), join(folder, 'node_modules/vite'))
  for (const [name, source] of [
    ['mappa', 'mappa'],
    ['@mappa/build', 'build'],
  ]) {
    cpSync(join(top, `packages/${source}/dist`), join(folder, `node_modules/${name}/dist`), { recursive: true })
    cpSync(join(top, `packages/${source}/package.json`), join(folder, `node_modules/${name}/package.json`))
  }
  symlinkSync(join(top, 'node_modules/acorn'), join(folder, 'node_modules/acorn'))
  const { stdout, stderr } = await node(['run.mjs'], { cwd: folder })
  const [version, ...said] = JSON.parse(stdout || '[]') as string[]
  assert.match(version ?? stderr, /^7\./)
  return said
}

async function byVite8(roots: readonly string[], target: string): Promise<string[]> {
  const said: string[] = []
  for (const root of roots)
    said.push(
      await build({ root, logLevel: 'silent', plugins: [mappa()], build: { minify: false, target } }).then(
        () => 'built',
        (error: Error) => error.message,
      ),
    )
  return said
}

for (const [version, buildAll] of [
  ['8', byVite8],
  ['7', byVite7],
] as const)
  test(`Vite ${version}: a page has what may reach it however it is read, and whatever else it reads is refused`, async () => {
    const wrong: unknown[] = []
    const roots = readings.map(([code, , head]) => pageProject(`globalThis.read = ${code}`, head))
    const said = (await buildAll(roots, 'esnext')).map((text) => text.replace(/\s+/g, ' '))
    for (const [at, [code, expected]] of readings.entries()) {
      const [root = '', built = ''] = [roots[at], said[at]]
      if (typeof expected !== 'string' || built !== 'built') {
        if (typeof expected === 'string' || !expected.test(built)) wrong.push({ code, built })
        continue
      }
      const page = readFileSync(join(root, 'dist/index.html'), 'utf8')
      const folder = join(root, 'dist/assets')
      const [script = ''] = readdirSync(folder).filter((name) => name.startsWith('index'))
      const run = `const document = { title: ${JSON.stringify(/<title>(.*)<\/title>/.exec(page)?.[1] ?? '')}, createElement: () => ({ relList: { supports: () => true } }), querySelectorAll: () => [], getElementsByTagName: () => [] }; globalThis.window = globalThis; ${/<script>(.*)<\/script>/.exec(page)?.[1] ?? ''};`
      const file = join(root, 'run.mjs')
      writeFileSync(
        file,
        `${run}\nglobalThis.document = document; globalThis.own = typeof own === 'undefined' ? '' : own; await import('./dist/assets/${script}'); console.log(globalThis.read)`,
      )
      const { stdout, stderr } = await node([file], { cwd: root })
      if (!stdout.includes(expected)) wrong.push({ code, stdout, stderr: stderr.slice(0, 300) })
      if (stdout.includes(secret)) wrong.push({ code, leaked: true })
    }
    assert.deepEqual(wrong, [])
  })

/** Values that a page takes when it is served: what comes of ways to take them. */
test('what is fixed at start is in no bundle, and refused where no page has it', async () => {
  const legend = (root: string) => {
    const file = join(root, 'mappa.legend.mjs')
    writeFileSync(file, readFileSync(file, 'utf8').replace("reach: 'browser'", "reach: 'browser', fixed: 'start'"))
  }
  const taking = "import { PAGE } from 'virtual:mappa/settings'\n"
  for (const [main, worker, why, head] of [
    [`${taking}console.log(PAGE)`, '', undefined, ''],
    [
      `new Worker(new URL('./worker.js', import.meta.url))`,
      `${taking}postMessage(PAGE)`,
      /takes it in a worker, which has no page/,
    ],
    ['console.log(import.meta.env.PAGE)', '', /PAGE is fixed at start, but part\.js reads it as a build-time value/],
    ['console.log(process.env.PAGE)', '', /PAGE is fixed at start, but part\.js reads it as/],
    ['', '', /PAGE is fixed at start, but index\.html reads it as/, '<title>%PAGE%</title>'],
  ] as const) {
    const root = pageProject(main, head)
    legend(root)
    writeFileSync(join(root, 'worker.js'), worker)
    writeFileSync(join(root, 'plain.html'), '<script type="module" src="./a.js"></script>')
    writeFileSync(join(root, 'a.js'), 'console.log(1)')
    const said: string[] = []
    const customLogger = { ...createLogger('silent'), info: (text: string) => void said.push(text) }
    const input = { page: join(root, 'index.html'), plain: join(root, 'plain.html') }
    const built = build({ root, customLogger, plugins: [mappa()], build: { rolldownOptions: { input } } })
    if (why) {
      await assert.rejects(built, (error: Error) => why.test(error.message.replace(/\s+/g, ' ')), `${why}`)
      continue
    }
    await built
    const all = readdirSync(join(root, 'dist'), { recursive: true, encoding: 'utf8' }).filter((each) =>
      /[.]/.test(each),
    )
    const texts = all.map((file) => readFileSync(join(root, 'dist', file), 'utf8'))
    assert.doesNotMatch(texts.join('\n'), /hello/)
    const blocks = all.filter((_, at) => texts[at]?.includes('id="mappa-settings" data-built="production"></script>'))
    assert.deepEqual(blocks, ['index.html'])
    assert.match(
      said.join('\n'),
      /dist\/index\.html waits for PAGE\.\n {4}Run: mappa stamp \S*dist\/index\.html --stage production --in-place/,
    )
    // While it is served, nothing must be stamped.
    const server = await createServer({
      root,
      logLevel: 'silent',
      plugins: [mappa()],
      server: { middlewareMode: true, ws: false },
    })
    assert.match((await server.transformRequest('virtual:mappa/settings'))?.code ?? '', /PAGE = "hello"/)
    await server.close()
  }
})

const workers: Readonly<Record<string, string>> = {
  'by its address': "new Worker(new URL('./worker.js', import.meta.url), { type: 'module' })",
  'by an import': "import Own from './worker.js?worker'\nnew Own()",
  'within the page': "import Own from './worker.js?worker&inline'\nnew Own()",
  'of its own kind': "import Own from './worker.js?sharedworker'\nnew Own()",
}

test('workers have what pages have, and no plugin must be named twice', async () => {
  for (const [how, main] of Object.entries(workers)) {
    for (const [taken, refusedWhy] of [['PAGE'], ['KEY', /KEY is secret and must stay on the server/]] as const) {
      const root = pageProject(main)
      writeFileSync(
        join(root, 'worker.js'),
        `import { ${taken} as own } from 'virtual:mappa/settings'\npostMessage([own, import.meta.env.${taken}, 'at work'])`,
      )
      const named = taken === 'PAGE' ? { worker: { plugins: () => [mappa()] } } : {}
      const built = build({ root, logLevel: 'silent', plugins: [mappa()], ...named })
      if (refusedWhy) {
        await assert.rejects(built, refusedWhy, how)
        continue
      }
      await built
      const out = readdirSync(join(root, 'dist/assets')).map((name) =>
        readFileSync(join(root, 'dist/assets', name), 'utf8'),
      )
      const code = out.join('').replace(/atob\(|[A-Za-z0-9+/=]{80,}/g, (text) => Buffer.from(text, 'base64').toString())
      assert.match(code, /hello.{0,20}hello.{0,20}at work|\bat work/, how)
      assert.equal(code.match(/hello/g)?.length, 2, how)
    }
  }
})

/** Forms of a build: what Vite is told besides the plugin, by the root of the page. */
const forms: Readonly<Record<string, (root: string) => InlineConfig>> = {
  'several pages': (root) => ({
    build: { rolldownOptions: { input: { one: join(root, 'index.html'), two: join(root, 'deep/other.html') } } },
  }),
  'a base': () => ({ base: '/hives/' }),
  'a library': (root) => ({
    build: { lib: { entry: join(root, 'part.js'), formats: ['es', 'cjs'], fileName: 'hives' } },
  }),
  'names that are kept whole': () => ({ build: { cssCodeSplit: false, modulePreload: false, target: 'es2022' } }),
  'a service worker': (root) => ({
    build: { rolldownOptions: { input: { page: join(root, 'index.html'), service: join(root, 'part.js') } } },
  }),
  'an environment of its own': (root) => ({
    builder: {},
    environments: {
      kiosk: {
        consumer: 'client',
        build: {
          outDir: 'dist',
          rolldownOptions: { input: join(root, 'part.js'), output: { entryFileNames: 'kiosk.js' } },
        },
      },
    },
  }),
}

test('every form of a build gives what a page may have, and refuses the rest', async () => {
  for (const [form, config] of Object.entries(forms)) {
    for (const name of ['PAGE', 'KEY']) {
      const root = pageProject(
        `import { ${name} as own } from 'virtual:mappa/settings'\nexport const taken = [own, import.meta.env.PAGE, 'at the end']\nconsole.log(taken)`,
      )
      mkdirSync(join(root, 'deep'))
      writeFileSync(join(root, 'deep/other.html'), '%PAGE% <script type="module" src="../main.js"></script>')
      const builder = await createBuilder(
        { root, logLevel: 'silent', plugins: [mappa()], ...config(root) },
        null,
      ).catch((error: Error) => error)
      assert.ok(!(builder instanceof Error), form)
      const built = Object.values(builder.environments)
        .filter(({ name }) => form !== 'an environment of its own' || name === 'kiosk')
        .filter(({ config }) => config.consumer === 'client')
        .map((environment) => builder.build(environment))
      if (name === 'KEY') {
        await assert.rejects(Promise.all(built), /KEY is secret and must stay on the server/, form)
        continue
      }
      await Promise.all(built)
      const files = readdirSync(join(root, 'dist'), { recursive: true, encoding: 'utf8' }).filter((each) =>
        /\.[cm]?js$|html$/.test(each),
      )
      const all = files.map((file) => readFileSync(join(root, 'dist', file), 'utf8')).join('\n')
      assert.match(all, /hello[\s\S]*hello[\s\S]*at the end/, form)
      assert.doesNotMatch(all, new RegExp(`${secret}|%PAGE%`), form)
    }
  }
})

test('in the middle of another server, pages and what that server renders have what they may have', async () => {
  const root = pageProject("import { PAGE } from 'virtual:mappa/settings'\nconsole.log(PAGE)")
  writeFileSync(
    join(root, 'server.js'),
    "export { KEY, PAGE } from 'virtual:mappa/settings'\nexport const read = import.meta.env.PAGE\n",
  )
  writeFileSync(join(root, 'refused.js'), "import { KEY } from 'virtual:mappa/settings'\nconsole.log(KEY)\n")
  const server = await createServer({
    root,
    logLevel: 'silent',
    plugins: [mappa()],
    appType: 'custom',
    server: { middlewareMode: true, ws: false },
  })
  try {
    const { KEY, PAGE, read } = await server.ssrLoadModule('/server.js')
    assert.deepEqual([KEY, PAGE, read], [secret, 'hello', 'hello'])
    assert.match((await server.transformRequest('virtual:mappa/settings'))?.code ?? '', /PAGE = "hello"/)
    await assert.rejects(server.transformRequest('/refused.js'), (error: Error) =>
      /KEY is secret[\s\S]*The module was not served/.test(error.message),
    )
    assert.equal(await server.transformIndexHtml('/', '<p title="%PAGE%">').then((html) => /hello/.test(html)), true)
  } finally {
    await server.close()
  }
})

test('while it serves, what changes what a page may have is noticed at once', async () => {
  const root = pageProject("import { PLACE } from 'virtual:mappa/settings'\nconsole.log(PLACE, import.meta.env.PAGE)")
  const legendFile = join(root, 'mappa.legend.mjs')
  const text = readFileSync(legendFile, 'utf8').replace(secret, 'meadow')
  writeFileSync(legendFile, text)
  const customLogger = createLogger('silent')
  let said = ''
  customLogger.error = (text) => {
    said = text.replace(/\s+/g, ' ')
  }
  const server = await createServer({ root, customLogger, plugins: [mappa()], server: { port: 0 } })
  const sent: string[] = []
  const { hot } = server.environments.client
  hot.send = (payload: { readonly type?: string }) => void sent.push(String(payload.type))
  const taken = () =>
    server.transformRequest('/part.js').then(
      (result) => result?.code ?? '',
      (error: Error) => error.message.replace(/\s+/g, ' '),
    )
  /** Writes a file, and waits for what the page is told. */
  const change = async (file: string, text: string | undefined, told: string) => {
    sent.length = 0
    let [next, tries] = [0, 0]
    const isTold = () => {
      // A watcher may miss a file that comes back as soon as it is gone, or goes. If it takes it for one that it watches, saving
      // it again is missed, too, so it goes once more in between.
      if (sent.includes(told) || Date.now() < next) return sent.includes(told)
      const isThere = existsSync(join(root, file))
      const goes = isThere && (text === undefined || tries % 2 === 1)
      tries++
      next = Date.now() + (goes && text !== undefined ? 500 : 5000)
      if (goes) rmSync(join(root, file))
      else writeFileSync(join(root, file), text ?? '')
      return false
    }
    await until(isTold, `${file}: ${told}, and was ${sent.join()}`)
  }
  try {
    await server.listen()
    assert.match(await taken(), /PLACE stays on the server/)
    // The refusal's own remedy.
    const open = text.replace("default: 'meadow'", "default: 'meadow', reach: 'browser'")
    await change('mappa.legend.mjs', open, 'full-reload')
    assert.match(await taken(), /"PAGE": "hello"/)
    await change('mappa.legend.mjs', 'export default legend({', 'error')
    assert.match(said, /does not compile: .*mappa\.legend\.mjs:1:2\d/)
    await change('mappa.legend.mjs', open, 'full-reload')
    await change('mappa.legend.mjs', undefined, 'error')
    await change('mappa.legend.mjs', open, 'full-reload')
    await change('.env', `PAGE=bye\nKEY=${secret}\n`, 'full-reload')
    assert.match(await taken(), /"PAGE": "bye"/)
    await change('mappa.legend.mjs', text, 'full-reload')
    assert.match(await taken(), /PLACE stays on the server/)
  } finally {
    await server.close()
  }
})

test('a rule that reads what only the server is given waits for its start', async () => {
  const root = pageProject("import { PAGE } from 'virtual:mappa/settings'\nconsole.log(PAGE)")
  const rules =
    "{ rules: { 'A page needs a key.': ({ KEY }) => KEY !== undefined, 'It greets.': ({ PAGE }) => PAGE === 'hello' } }"
  const entries =
    "{ PAGE: { type: 'string', reach: 'browser' }, KEY: { type: 'string', secret: true, optional: true } }"
  writeFileSync(
    join(root, 'mappa.legend.mjs'),
    `import { legend } from 'mappa/legend'\nexport default legend(${entries}, ${rules})`,
  )
  const buildPage = () => build({ root, logLevel: 'silent', plugins: [mappa()] })
  writeFileSync(join(root, '.env'), 'PAGE=hello\n')
  await buildPage()
  writeFileSync(join(root, '.env'), 'PAGE=bye\n')
  await assert.rejects(buildPage(), /It greets\./)
})

test('a Vite that is too old is named', async () => {
  const { config } = mappa() as { config: (this: unknown, config: object, env: object) => Promise<void> }
  for (const [meta, found] of [
    [{ viteVersion: '6.4.1' }, /needs Vite 7 or later, but this is Vite 6\.4\.1/],
    [{}, /but this is an older version/],
  ] as const)
    await assert.rejects(config.call({ meta }, {}, { command: 'build' }), found)
})

test('a bundle of the server and its map hold no value of a secret', async () => {
  const root = pageProject('')
  writeFileSync(join(root, 'server.js'), "import { KEY, PAGE } from 'virtual:mappa/settings'\nconsole.log(KEY, PAGE)")
  // Another text than that of the legend's default, which belongs there.
  const own = 'buckwheat-clover-thyme'
  writeFileSync(join(root, '.env'), `PAGE=hello\nKEY=${own}\n`)
  await build({ root, logLevel: 'silent', plugins: [mappa()], build: { ssr: 'server.js', sourcemap: true } })
  const names = readdirSync(join(root, 'dist'), { recursive: true, encoding: 'utf8' })
  assert.ok(names.includes('server.mjs.map'), names.join())
  for (const name of names) assert.ok(!readFileSync(join(root, 'dist', name), 'utf8').includes(own), name)
})

test('what is served on the server side has the stage of the page, and another start has its own', async () => {
  const root = pageProject('')
  for (const stage of ['staging', 'development']) writeFileSync(join(root, `.env.${stage}`), `PAGE=${stage}\n`)
  writeFileSync(
    join(root, 'server.js'),
    "import { settle } from 'mappa/node'\nimport definition from './mappa.legend.mjs'\nexport { PAGE } from 'virtual:mappa/settings'\nexport const own = settle(definition, { from: import.meta.url }).PAGE",
  )
  for (const mode of ['staging', undefined]) {
    const server = await createServer({
      root,
      logLevel: 'silent',
      plugins: [mappa()],
      server: { middlewareMode: true },
      ...(mode && { mode }),
    })
    try {
      for (const again of [false, true]) {
        if (again && mode === undefined) await server.restart()
        const { PAGE, own } = await server.ssrLoadModule('/server.js')
        assert.deepEqual([PAGE, own], [mode ?? 'development', mode ?? 'development'])
      }
    } finally {
      await server.close()
    }
    if (mode) assert.equal(process.env.MAPPA_STAGE, undefined)
    else delete process.env.MAPPA_STAGE
  }
})

test('while it serves, Vite gives no file of the server, and a page keeps the values of the last sound survey', async () => {
  const root = pageProject("import { PAGE } from 'virtual:mappa/settings'\nconsole.log(PAGE)")
  // Whatever the server is told to allow.
  let said = ''
  const customLogger = createLogger('silent')
  customLogger.error = (text) => {
    said += text.replace(/\s+/g, ' ')
  }
  const server = await createServer({
    customLogger,
    root,
    logLevel: 'silent',
    plugins: [mappa()],
    server: { port: 0, fs: { strict: false, deny: [] } },
  })
  const overlays: unknown[] = []
  const { hot } = server.environments.client
  const send = hot.send.bind(hot)
  hot.send = (...payload: [never]) => {
    overlays.push(payload)
    send(...payload)
  }
  try {
    await server.listen()
    const [origin = ''] = server.resolvedUrls?.local ?? []
    const get = async (path: string) => (await fetch(new URL(path, origin))).text()
    const files = '.env .env?raw .env?import&raw .env?url %2eenv run/KEY run/KEY?raw mappa.legend.mjs'.split(' ')
    for (const path of [...files, ...['.env', '.env?raw', 'run/KEY?import&raw'].map((each) => `@fs${root}/${each}`)])
      assert.doesNotMatch(await get(path), new RegExp(secret), path)
    const module = '@id/__x00__virtual:mappa/settings'
    assert.match(await get(module), /hello/)
    writeFileSync(join(root, '.env'), `KEY=${secret}\nPAGE=\${KEY}\n`)
    await until(() => said.includes('uses the secret KEY'), 'the fault is told')
    assert.match(await get(module), /hello/)
    assert.doesNotMatch(await get(module), new RegExp(secret))
    assert.match(JSON.stringify(overlays), /uses the secret KEY/)
    assert.doesNotMatch(JSON.stringify(overlays), new RegExp(secret))
  } finally {
    await server.close()
  }
})
