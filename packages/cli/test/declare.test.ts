// What `mappa types` writes, as the compiler takes it, and what a bundle then really holds.
import assert from 'node:assert/strict'
import { spawn } from 'node:child_process'
import { readdirSync, readFileSync, rmSync, symlinkSync, writeFileSync } from 'node:fs'
import { join, relative } from 'node:path'
import { createInterface } from 'node:readline'
import test from 'node:test'
import { createServer } from 'vite'
import { environment, mappa, node, project, top, until } from '../../../test/helpers.js'

const entries = `
  PORT: { type: 'port', as: 'collector.port', description: 'Where it listens */' },
  LOG_LEVEL: { type: 'string', enum: ['debug', "don't"], default: 'debug', as: 'logLevel' },
  YARDS: { type: 'array', items: { type: 'integer', enum: [1, 2] }, optional: true, as: 'collector.yards' },
  PAUSE: { type: 'duration', stages: { production: { optional: true } } },
  TOKEN: { type: 'string', secret: true, obtain: 'https://wiki.fennelhill.example/alerts' },
  TILE_KEY: { type: 'string', reach: 'browser', deprecated: true },
  PLAN: { type: 'string', read: (text) => text.length },
  TZ: { type: 'string', default: 'UTC' },`
const config = { strict: true, noPropertyAccessFromIndexSignature: true, types: ['node'], noEmit: true }
const right = `import settings, { PLAN, TILE_KEY, YARDS } from 'virtual:mappa/settings'
type Same<A, B> = (<T>() => T extends A ? 1 : 2) extends <T>() => T extends B ? 1 : 2 ? true : false
const same = <A, B>(_: Same<A, B>) => undefined
same<typeof settings.collector.port, number>(true)
same<typeof settings.logLevel, 'debug' | "don't">(true)
same<typeof settings.PAUSE, number | undefined>(true)
same<typeof YARDS, readonly (1 | 2)[] | undefined>(true)
same<typeof TILE_KEY, string>(true)
same<MappaSettings, typeof settings>(true)
same<typeof PLAN, PLAN>(true)
same<typeof process.env.PORT, string>(true)
same<typeof process.env.YARDS, string | undefined>(true)
same<typeof process.env.LOG_LEVEL, 'debug' | "don't">(true)
const key = import.meta.env.TILE_KEY
same<typeof key, string>(true)
`
const wrong = `import { TILE_KEYS } from 'virtual:mappa/settings'
import settings from 'virtual:mappa/settings'
export const a = process.env.PROT
export const b = import.meta.env.TOKEN
export const c = settings.collector.prot
export const d: number = process.env.PORT
export const e = settings.token
`

test('types of a legend in TypeScript, JavaScript and JSON compile to what code sees, and a mistyped name is an error', async () => {
  const ts = `import { legend } from 'mappa/legend'\nexport default legend({${entries}\n})\n`
  const made = project({ 'mappa.legend.ts': ts })
  const json = (await mappa(['emit', '--as', 'legend'], { cwd: made })).stdout
  const legends: readonly (readonly [file: string, text: string, plan: string])[] = [
    ['mappa.legend.ts', ts, 'number'],
    ['mappa.legend.mjs', ts, 'unknown'],
    ['mappa.legend.json', json, 'string'],
  ]
  for (const [file, text, plan] of legends) {
    const root = project({
      [file]: text,
      'tsconfig.json': JSON.stringify({
        compilerOptions: { ...config, module: 'esnext', moduleResolution: 'bundler', skipLibCheck: false },
        include: ['*.ts'],
      }),
      'right.ts': right.replace(', PLAN>', `, ${plan}>`),
      'wrong.ts': wrong,
    })
    // A start may lack what the layers have, unless every start is said to load them; the file remembers that.
    await mappa(['types'], { cwd: root })
    const maybe = readFileSync(join(root, 'mappa.types.d.ts'), 'utf8')
    await mappa(['types', '--loaded'], { cwd: root })
    const sure = readFileSync(join(root, 'mappa.types.d.ts'), 'utf8')
    assert.notEqual(maybe, sure)
    assert.equal(
      maybe.replace(/^( {4}(?!MAPPA_STAGE)[A-Z]\w*)\?:/gm, '$1:'),
      sure.replace(' --loaded', '').replace(/^( {4}(?!MAPPA_STAGE)[A-Z]\w*)\?:/gm, '$1:'),
    )
    rmSync(join(root, 'mappa.types.d.ts'))
    const { code, stdout, stderr } = await mappa(['types', '--loaded'], { cwd: root })
    assert.equal(code, 0, stdout + stderr)
    assert.match(stdout, /^Wrote mappa\.types\.d\.ts: 8 variables\.\n$/)
    assert.equal(stderr.includes('A function returns PLAN'), file.endsWith('.mjs'), stderr)
    assert.match(stderr, /"include"|says which files count/)
    const typeRoots = join(top, 'node_modules/@types')
    const tsc = [join(top, 'node_modules/typescript/bin/tsc'), '-p', '.', '--typeRoots', typeRoots, '--pretty', 'false']
    const compiled = await node(tsc, { cwd: root })
    const lines = [...compiled.stdout.matchAll(/^(\S+)\((\d+),/gm)].map(([, name, line]) => `${name}:${line}`)
    assert.deepEqual(
      [...new Set(lines)],
      [1, 3, 4, 5, 6, 7].map((line) => `wrong.ts:${line}`),
      `${file}\n${compiled.stdout}`,
    )

    const verify = () => mappa(['types', '--verify'], { cwd: root })
    assert.deepEqual(await verify(), { code: 0, signal: null, stdout: 'mappa.types.d.ts is up to date.\n', stderr: '' })
    const declarations = join(root, 'mappa.types.d.ts')
    writeFileSync(declarations, readFileSync(declarations, 'utf8').replaceAll('\n', '\r\n'))
    assert.equal((await verify()).code, 0)
    writeFileSync(join(root, file), text.replaceAll('TILE_KEY', 'MAP_KEY'))
    const stale = await verify()
    assert.equal(stale.code, 1)
    assert.match(stale.stdout, /^- {4}readonly TILE_KEY: string|^- {2}readonly TILE_KEY: string/m)
    assert.match(stale.stdout, /\nmappa\.types\.d\.ts is stale\.\n {2}→ Run: mappa types\n$/)
    writeFileSync(join(root, 'mappa.types.d.ts'), 'declare const mine: 1\n')
    assert.equal((await mappa(['types'], { cwd: root })).code, 1)
    assert.equal(readFileSync(join(root, 'mappa.types.d.ts'), 'utf8'), 'declare const mine: 1\n')
  }
})

test('settings in an editor: the comment of the entry, and its definition in the legend, also under as', async () => {
  const legend = `import { legend } from 'mappa/legend'
export default legend({
  /** Where it listens */
  PORT: { type: 'port', as: 'collector.port' },
  'NOTE': { type: 'string', optional: true },
})
`
  const module = `/// <reference path="./mappa.types.d.ts" />
import { settle } from 'mappa/node'
import definition from './mappa.legend.js'
export const settings: MappaSettings = settle(definition, { from: import.meta.url })
settings.collector.port
settings.NOTE
process.env.PORT
`
  const root = project({
    'mappa.legend.ts': legend,
    'settings.ts': module,
    'package.json': '{ "type": "module" }',
    'tsconfig.json': '{ "compilerOptions": { "strict": true, "module": "nodenext", "types": ["node"] } }',
  })
  symlinkSync(join(top, 'node_modules/@types'), join(root, 'node_modules/@types'))
  assert.equal((await mappa(['types'], { cwd: root })).code, 0)
  const file = join(root, 'settings.ts')
  const place = (text: string) => {
    const before = module.slice(0, module.indexOf(text) + text.length - 1).split('\n')
    return { file, line: before.length, offset: (before.at(-1) as string).length + 1 }
  }
  const [errors, hover, ...leads] = await askEditor(root, file, [
    ['semanticDiagnosticsSync', { file }],
    ['quickinfo', place('collector.port')],
    ...['collector.port', 'settings.NOTE', 'process.env.PORT'].map((text) => ['definition', place(text)] as const),
  ])
  assert.deepEqual(errors, [])
  assert.equal(hover.displayString, '(property) port: number')
  assert.match(hover.documentation, /^Where it listens\.\nPort, /)
  const lines = legend.split('\n')
  const named = leads.map(([{ file: to, start, end }]: [Span]) => [
    relative(root, to),
    lines[start.line - 1]?.slice(start.offset - 1, end.offset - 1),
  ])
  assert.deepEqual(named, [
    ['mappa.legend.ts', 'PORT'],
    ['mappa.legend.ts', 'NOTE'],
    ['mappa.legend.ts', 'PORT'],
  ])
})

interface Span {
  readonly file: string
  readonly start: { readonly line: number; readonly offset: number }
  readonly end: { readonly line: number; readonly offset: number }
}

/** What an editor is told that asks the server of TypeScript, which goes where a declaration's map leads. */
async function askEditor(root: string, file: string, asked: readonly (readonly [command: string, args: object])[]) {
  const server = spawn(process.execPath, [join(top, 'node_modules/typescript-6/lib/tsserver.js')], {
    cwd: root,
    env: environment(),
    stdio: ['pipe', 'pipe', 'inherit'],
  })
  const say = (seq: number, command: string, args: object) =>
    server.stdin.write(`${JSON.stringify({ seq, type: 'request', command, arguments: args })}\n`)
  say(0, 'open', { file })
  for (const [at, [command, args]] of asked.entries()) say(at + 1, command, args)
  const answers = new Map<number, unknown>()
  await new Promise<void>((resolve) => {
    createInterface({ input: server.stdout }).on('line', (line) => {
      const { type, request_seq, body } = line.startsWith('{') ? JSON.parse(line) : {}
      if (type === 'response' && request_seq > 0) answers.set(request_seq, body)
      if (answers.size === asked.length) resolve()
    })
  })
  server.kill()
  // biome-ignore lint/suspicious/noExplicitAny: each command has an answer of its own.
  return asked.map((_, at) => answers.get(at + 1) as any)
}

test('import.meta.env holds what may reach the browser, built and served; anything else of the legend is refused', async () => {
  const layer = 'PORT=4100\nPAUSE=1s\nTOKEN=sms_clover_heather\nTILE_KEY=tile_test_meadow\nPLAN=x\n'
  const page = (code: string) =>
    project({
      'mappa.legend.mjs': `import { legend } from 'mappa/legend'\nexport default legend({${entries}\n})\n`,
      '.env': layer,
      'index.html': '<script type="module" src="./main.js"></script>\n',
      'main.js': code,
      'vite.config.mjs':
        "import { mappa } from '@mappa/build/vite'\nexport default { plugins: [mappa()], logLevel: 'error' }\n",
    })
  const root = page('console.log(import.meta.env.TILE_KEY, import.meta.env.MODE, import.meta.env?.["OTHER"])\n')
  const vite = join(top, 'node_modules/vite/bin/vite.js')
  const built = await node([vite, 'build', '--mode', 'staging'], { cwd: root })
  assert.equal(built.code, 0, built.stderr)
  const [bundle = ''] = readdirSync(join(root, 'dist/assets'))
  assert.match(readFileSync(join(root, 'dist/assets', bundle), 'utf8'), /tile_test_meadow.*staging/)
  const rendered = await node([vite, 'build', '--mode', 'staging', '--ssr', 'main.js', '--outDir', 'ssr'], {
    cwd: root,
  })
  assert.equal(rendered.code, 0, rendered.stderr)
  assert.match(readFileSync(join(root, 'ssr/main.mjs'), 'utf8'), /tile_test_meadow.*staging/)
  const server = await createServer({ root, server: { middlewareMode: true, ws: false } })
  try {
    assert.match(
      (await server.transformRequest('/main.js'))?.code ?? '',
      /Object\.assign\(import\.meta\.env, \{ "TILE_KEY": "tile_test_meadow" \}\);console\.log/,
    )
    const { code: own = '' } = (await server.transformRequest('/main.js', { ssr: true })) ?? {}
    assert.match(own, /Object\.assign\(__vite_ssr_import_meta__\.env, \{ "TILE_KEY": "tile_test_meadow" \}\)/)
    // An edited layer reaches what was filled before.
    writeFileSync(join(root, '.env'), layer.replace('meadow', 'orchard'))
    const now = async () => (await server.transformRequest('/main.js'))?.code ?? ''
    await until(async () => (await now()).includes('tile_test_orchard'), 'the edited value is served')
  } finally {
    await server.close()
  }
  const refused = await node([vite, 'build', '--mode', 'staging'], {
    cwd: page('\nexport const a = import.meta.env.TOKEN\n'),
  })
  assert.equal(refused.code, 1)
  assert.match(
    refused.stderr + refused.stdout,
    /TOKEN is secret and must stay on the server, but main\.js takes it into browser code\.\n {4}main\.js:2:34\n/,
  )
})
