// What a page may import, through Vite itself.
import assert from 'node:assert/strict'
import { existsSync, readdirSync, readFileSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import test from 'node:test'
import { mappa } from 'mappa/vite'
import { build, createLogger, createServer } from 'vite'
import { project, until } from '../../../test/helpers.js'

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
    /\.env holds settings of the server[\s\S]*part\.js:1 imports it, main\.js:1 imports that, index\.html loads that/,
  ],
  'the address of a layer': ["import text from './.env?url'\nconsole.log(text)", /\.env holds settings/],
  'layers by a pattern': ["console.log(import.meta.glob('./.env', { query: '?raw', eager: true }))", undefined],
  'a new URL': ["console.log(new URL('./.env', import.meta.url).href)", /\.env holds settings/],
  'a one-value file': ["import text from './run/KEY?raw'\nconsole.log(text)", /run\/KEY holds settings/],
  'the legend': ["import legend from './mappa.legend.mjs'\nconsole.log(legend)", /is the legend, with the defaults/],
  'a stylesheet': ["import './a.css'", /would carry \.env to browsers/],
  'a link of the page': ['', /would carry \.env to browsers/, '<link rel="icon" href=".env">'],
  'a picture of the page': ['', /would carry (?:\.env|the text of KEY) to browsers/, '<img src="./run/KEY">'],
  'a secret in code': [`console.log('${secret}')`, /would carry the text of KEY to browsers/],
  'a secret in a comment': [`console.log(1) // ${secret}`, /would carry the text of KEY to browsers/],
  'what settles': ["import { settle } from 'mappa/node'\nconsole.log(settle)", /reads the settings of the server/],
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
      ...{ root, logLevel: 'silent', plugins: [mappa()], server: { middlewareMode: true } },
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
    for (const path of [
      '.env',
      '.env?raw',
      '.env?import&raw',
      '.env?url',
      '%2eenv',
      `@fs${root}/.env`,
      `@fs${root}/.env?raw`,
      'run/KEY',
      'run/KEY?raw',
      `@fs${root}/run/KEY?import&raw`,
      'mappa.legend.mjs',
    ])
      assert.doesNotMatch(await get(path), new RegExp(secret), path)
    const module = '@id/__x00__virtual:mappa/settings'
    assert.match(await get(module), /hello/)
    writeFileSync(join(root, '.env'), `KEY=${secret}\nPAGE=\${KEY}\n`)
    await until(() => said.includes('is built on the secret KEY'), 'the fault is told')
    assert.match(await get(module), /hello/)
    assert.doesNotMatch(await get(module), new RegExp(secret))
    assert.match(JSON.stringify(overlays), /is built on the secret KEY/)
    assert.doesNotMatch(JSON.stringify(overlays), new RegExp(secret))
  } finally {
    await server.close()
  }
})
