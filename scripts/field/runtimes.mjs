// Where the settings run, tried: a part of npm run field. The runtimes come from the npm registry, into .scratch.
import { execFileSync, spawnSync } from 'node:child_process'
import { cpSync, existsSync, mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { createServer } from 'node:http'
import { createRequire } from 'node:module'
import { join } from 'node:path'
import { build } from 'esbuild'
import { chromium } from 'playwright-core'
import { top } from '../prepare.mjs'
import { environment, scratch } from '../stage.mjs'

const folder = join(scratch, 'runtimes')
const app = join(folder, 'app')
const platform = `linux-${process.arch === 'arm64' ? 'aarch64' : 'x64'}`
const installed = {
  node22: 'node@22',
  node24: 'node@24',
  bun: `@oven/bun-${platform}`,
  deno: `@deno/linux-${process.arch === 'arm64' ? 'arm64' : 'x64'}-glibc`,
  edge: 'edge-runtime',
}

const files = {
  'package.json': '{ "type": "module" }\n',
  '.env': 'HOST=all.example\nLEVEL=info\nTOKEN=heather-lime-bramble\n',
  '.env.staging': 'HOST=staging.example\n',
  'mappa.legend.mjs': legendText(''),
  'typed/package.json': '{ "type": "module" }\n',
  'typed/.env': 'HOST=typed.example\nTOKEN=heather-lime-bramble\n',
  'typed/mappa.legend.ts': legendText(': string'),
  'core.mjs': `import { layerFromText, settleLayers } from 'mappa'
import definition from './mappa.legend.mjs'
const settings = settleLayers(definition, { stage: 'staging', layers: [layerFromText('given', 'HOST=staging.example\\nTOKEN=heather-lime-bramble')] })
globalThis.said = JSON.stringify(settings) + settings.TOKEN.length
if (typeof process === 'object' && process.stdout) console.log(globalThis.said)
`,
  'node.mjs': settleText('mappa.legend.mjs'),
  'typed/node.mjs': settleText('mappa.legend.ts'),
  'required.cjs': `const { settle } = require('mappa/node')
const { legend } = require('mappa/legend')
const settings = settle(legend({ HOST: { type: 'string' }, TOKEN: { type: 'string', secret: true } }), { from: __dirname })
console.log(JSON.stringify(settings) + settings.TOKEN.length)
`,
  'plain.mjs': 'console.log(JSON.stringify({ HOST: process.env.HOST }) + process.env.TOKEN?.length)\n',
}
const preload = ['--import', 'mappa/preload']
const binary = (name, path) => join(folder, name, 'node_modules', path)
/** Runtimes that run programs: how, and what they need so that nothing else reads the layer files. */
const programs = [
  { name: `Node ${process.versions.node.split('.')[0]}`, run: [process.execPath], preload },
  { name: 'Node 22', run: [binary('node22', 'node/bin/node')], preload },
  { name: 'Node 24', run: [binary('node24', 'node/bin/node')], preload },
  {
    name: 'Bun',
    run: [binary('bun', `@oven/bun-${platform}/bin/bun`), '--no-env-file'],
    preload: ['--preload', 'mappa/preload'],
    how: 'with `--no-env-file`, since it reads `.env` files itself: without, that is a fault. `bun --no-env-file --preload mappa/preload app.js`',
  },
  {
    name: 'Deno',
    run: [binary('deno', `${installed.deno}/deno`), 'run', '--allow-read', '--allow-env', '--allow-sys'],
    preload: ['--preload', './node_modules/mappa/dist/preload.mjs'],
    how: '`deno run --allow-read --allow-env --allow-sys --preload ./node_modules/mappa/dist/preload.mjs app.js`',
  },
]
const right = /"HOST":"staging\.example".*20\s*$/
const works = { core: right, node: right, required: right, typed: /"HOST":"typed\.example".*20\s*$/, preload: right }

/** Each runtime, with what each entry point came to in it. */
export async function tryRuntimes() {
  for (const [name, wanted] of Object.entries(installed)) install(name, wanted)
  rmSync(app, { recursive: true, force: true })
  for (const [file, text] of Object.entries(files)) {
    mkdirSync(join(app, file, '..'), { recursive: true })
    writeFileSync(join(app, file), text)
  }
  cpSync(join(top, 'packages/mappa/dist'), join(app, 'node_modules/mappa/dist'), { recursive: true })
  cpSync(join(top, 'packages/mappa/package.json'), join(app, 'node_modules/mappa/package.json'))
  const rows = programs.map(({ name, run, preload: ahead, how }) => {
    const [command, ...args] = run
    const said = (file, more = []) => {
      const { stdout, stderr } = spawnSync(command, [...args, ...more, join(app, file)], {
        cwd: file.startsWith('typed') ? join(app, 'typed') : app,
        env: environment({ MAPPA_STAGE: file.startsWith('typed') ? 'development' : 'staging', NO_COLOR: '1' }),
        encoding: 'utf8',
        timeout: 60_000,
      })
      return { stdout, stderr }
    }
    const version = spawnSync(command, ['--version'], { encoding: 'utf8' }).stdout.match(/\d+\.\d+\.\d+/)?.[0]
    const tried = {
      core: said('core.mjs'),
      node: said('node.mjs'),
      required: said('required.cjs'),
      typed: said('typed/node.mjs'),
      preload: said('plain.mjs', ahead),
    }
    return { name: `${name.split(' ')[0]} ${version}`, how, cells: cellsOf(tried) }
  })

  const page = await inChromium()
  rows.push({ name: `Chromium ${page.version}, a page`, cells: cellsOf({ core: page.page }) })
  rows.push({ name: `Chromium ${page.version}, a worker`, cells: cellsOf({ core: page.worker }) })
  rows.push({
    name: `an edge runtime (edge-runtime ${versionOf('edge')})`,
    cells: cellsOf({ core: await atTheEdge() }),
  })
  return rows
}

function cellsOf(tried) {
  return Object.fromEntries(
    Object.entries(tried).map(([column, { stdout, stderr = '' }]) => {
      if (works[column].test(stdout)) return [column, 'works']
      console.error(`${column}: ${stdout}${stderr}`.slice(0, 400))
      return [column, 'no']
    }),
  )
}

function legendText(type) {
  return `import { legend } from 'mappa/legend'
const fallback${type} = 'info'
export default legend({
  PORT: { type: 'port', default: 4100 },
  HOST: { type: 'string' },
  LEVEL: { type: 'string', default: fallback },
  TOKEN: { type: 'string', secret: true },
})
`
}

function settleText(legendFile) {
  return `import { settle } from 'mappa/node'
import definition from './${legendFile}'
const settings = settle(definition, { from: import.meta.url })
console.log(JSON.stringify(settings) + settings.TOKEN.length)
`
}

function install(name, wanted) {
  const to = join(folder, name)
  if (existsSync(join(to, 'node_modules'))) return
  mkdirSync(to, { recursive: true })
  writeFileSync(join(to, 'package.json'), '{}\n')
  execFileSync('npm', ['install', '--silent', '--no-audit', '--no-fund', wanted], { cwd: to, stdio: 'inherit' })
}

function versionOf(name) {
  const { version } = JSON.parse(
    readFileSync(join(folder, name, 'node_modules', installed[name].replace(/@\d+$/, ''), 'package.json'), 'utf8'),
  )
  return version
}

/** The core as a page and a worker load it, without a bundler. */
async function inChromium() {
  const loaded = {
    '/': '<!doctype html><script type="importmap">{"imports":{"mappa":"/node_modules/mappa/dist/index.mjs","mappa/legend":"/node_modules/mappa/dist/legend.mjs"}}</script>',
  }
  await build({
    entryPoints: [join(app, 'core.mjs')],
    bundle: true,
    format: 'esm',
    outfile: join(app, 'worker.js'),
    footer: { js: 'postMessage(globalThis.said)' },
    logLevel: 'error',
  })
  const server = createServer(({ url }, response) => {
    response.setHeader('content-type', url === '/' ? 'text/html' : 'text/javascript')
    const file = join(app, url)
    response.end(loaded[url] ?? (existsSync(file) ? readFileSync(file) : ''))
  }).listen(0)
  const browser = await chromium.launch({ executablePath: '/usr/bin/chromium', args: ['--no-sandbox'] })
  try {
    const tab = await browser.newPage()
    await tab.goto(`http://localhost:${server.address().port}/`)
    const onPage = await tab.evaluate("import('/core.mjs').then(() => globalThis.said)")
    const inWorker = await tab.evaluate(
      "new Promise((resolve) => { new Worker('/worker.js', { type: 'module' }).onmessage = ({ data }) => resolve(data) })",
    )
    return { version: browser.version(), page: { stdout: onPage }, worker: { stdout: inWorker } }
  } finally {
    await browser.close()
    server.close()
  }
}

/** The core where there is neither Node nor a page. */
async function atTheEdge() {
  const { EdgeRuntime } = createRequire(join(folder, 'edge/_'))('edge-runtime')
  const { outputFiles } = await build({
    entryPoints: [join(app, 'core.mjs')],
    bundle: true,
    format: 'iife',
    write: false,
    logLevel: 'error',
  })
  const runtime = new EdgeRuntime()
  runtime.evaluate(outputFiles[0].text)
  return { stdout: runtime.evaluate('globalThis.said') }
}
