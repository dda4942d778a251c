// Servers in the shapes that people have them, compiled by their own compiler and started from wherever.
import assert from 'node:assert/strict'
import { cpSync, rmSync } from 'node:fs'
import { join } from 'node:path'
import test from 'node:test'
import { build } from 'esbuild'
import { node, project, top } from '../../../test/helpers.js'

const legend = `import { legend } from 'mappa/legend'
export default legend({ HIVES: { type: 'integer' }, PLACE: { type: 'string', default: 'meadow' } })
`
const server = `import { settle } from 'mappa/node'
import definition from './mappa.legend.js'
const { HIVES, PLACE } = settle(definition, { from: import.meta.url })
console.log(HIVES + 1, PLACE)
`
const commonServer = server.replace('import.meta.url', '__dirname')
const options = (more: object) =>
  JSON.stringify({
    compilerOptions: {
      target: 'es2023',
      module: 'nodenext',
      outDir: 'dist',
      strict: true,
      skipLibCheck: true,
      types: ['node'],
      typeRoots: [join(top, 'node_modules/@types')],
      esModuleInterop: true,
      ...more,
    },
    exclude: ['dist', 'node_modules'],
  })
const modules = '{ "name": "apiary-collector", "type": "module" }'
const common = '{ "name": "apiary-collector" }'

/** What is in each project, and its server once it is compiled. */
const shapes: Readonly<Record<string, readonly [files: Record<string, string>, server: string]>> = {
  'ES modules from src': [
    {
      'package.json': modules,
      'src/mappa.legend.ts': legend,
      'src/server.ts': server,
      'tsconfig.json': options({ rootDir: 'src' }),
    },
    'dist/server.js',
  ],
  'ES modules, the legend beside src': [
    {
      'package.json': modules,
      'mappa.legend.ts': legend,
      'tsconfig.json': options({ rootDir: '.' }),
      'src/server.ts': server.replace('./mappa', '../mappa'),
    },
    'dist/src/server.js',
  ],
  'CommonJS from src': [
    {
      'package.json': common,
      'src/mappa.legend.ts': legend,
      'src/server.ts': commonServer,
      'tsconfig.json': options({ rootDir: 'src' }),
    },
    'dist/server.js',
  ],
  'an output folder that says its type': [
    {
      'package.json': common,
      'src/package.json': '{"type":"module"}',
      'dist/package.json': '{"type":"module"}',
      'src/mappa.legend.ts': legend,
      'src/server.ts': server,
      'tsconfig.json': options({ rootDir: 'src' }),
    },
    'dist/server.js',
  ],
}

test('a server in any shape finds its layers, wherever it is started, also without its sources', async () => {
  for (const [what, [files, server]] of Object.entries(shapes)) {
    const root = project({ ...files, '.env': 'HIVES=11\n', '.env.production': 'HIVES=12\n' })
    const compiled = await node([join(top, 'node_modules/typescript/bin/tsc'), '-p', '.'], { cwd: root })
    assert.equal(compiled.code, 0, `${what}: ${compiled.stdout}`)
    const run = async (script: string, cwd: string, env: Record<string, string> = {}) => {
      const { stdout, stderr } = await node([script], { cwd, env })
      return stdout || stderr
    }
    for (const cwd of [root, join(root, 'dist'), '/'])
      assert.equal(await run(join(root, server), cwd), '12 meadow\n', `${what} from ${cwd}`)
    assert.equal(await run(join(root, server), root, { NODE_ENV: 'production' }), '13 meadow\n', what)
    // The preload takes the legend that the compiler put beside the program.
    const preload = ['--import', 'mappa/preload', '--input-type=module', '-e', 'process.exit(3)']
    assert.equal(
      (await node(preload, { cwd: root })).code === 3,
      !files['src/mappa.legend.ts'] && !files['mappa.legend.ts'],
    )
    const loaded = await node(['--import', 'mappa/preload', server], { cwd: root, env: { HIVES: '20', PLACE: '' } })
    assert.equal(loaded.stdout, '21 meadow\n', `${what}: ${loaded.stderr}`)
    // As a container has it.
    const bare = project({})
    cpSync(join(root, 'dist'), join(bare, 'dist'), { recursive: true })
    for (const cwd of [bare, '/'])
      assert.equal(await run(join(bare, server), cwd, { NODE_ENV: 'production', HIVES: '30' }), '31 meadow\n', what)
    const unnamed = await run(join(bare, server), bare, { HIVES: '30' })
    assert.match(unnamed.replace(/\s+/g, ' '), /No stage is named, and \S+ has no layer file/, what)
  }
})

test('one bundled file; a member of a workspace; layer files above that are not read are named', async () => {
  const root = project({
    'package.json': modules,
    'src/mappa.legend.ts': legend,
    'src/server.ts': server,
    '.env': 'HIVES=11\n',
    'member/package.json': modules,
    'member/app.mjs': server.replace('./mappa.legend.js', './hives.mjs'),
    'member/hives.mjs': legend,
  })
  for (const format of ['esm', 'cjs'] as const) {
    await build({
      entryPoints: [join(root, 'src/server.ts')],
      bundle: true,
      platform: 'node',
      format,
      logLevel: 'error',
      outfile: join(root, `dist/${format}/server.${format === 'esm' ? 'mjs' : 'cjs'}`),
      ...(format === 'cjs' && { define: { 'import.meta.url': '__filename' } }),
    })
    const { stdout, stderr } = await node([join(root, `dist/${format}/server.${format === 'esm' ? 'mjs' : 'cjs'}`)], {
      cwd: '/',
    })
    assert.equal(stdout, '12 meadow\n', format + stderr)
  }
  // The legend above is the member's, too; without it the member stands for itself.
  assert.equal((await node(['app.mjs'], { cwd: join(root, 'member') })).stdout, '12 meadow\n')
  rmSync(join(root, 'src/mappa.legend.ts'))
  const { stderr } = await node(['app.mjs'], { cwd: join(root, 'member'), env: { NODE_ENV: 'test' } })
  assert.match(
    stderr.replace(/\s+/g, ' '),
    /HIVES is required \(a whole number\), but no layer sets it\. \S+\/\.env is above the root, so Mappa does not read it\./,
  )
  rmSync(join(root, 'member/package.json'))
  assert.equal((await node(['app.mjs'], { cwd: join(root, 'member') })).stdout, '12 meadow\n')
})

test('where a runtime has read a layer file before, a higher one would not count: told with the switch of the runtime', async () => {
  const root = project({
    'package.json': modules,
    'mappa.legend.js': legend,
    'server.js': server,
    '.env': 'HIVES=11\nPLACE=meadow\nNOTE="${HIVES} hives"\n',
    '.env.production': 'HIVES=12\n',
  })
  const run = (args: readonly string[], env: Record<string, string>) => node(args, { cwd: root, env })
  for (const args of [
    ['--env-file=.env', 'server.js'],
    ['--env-file=.env', '--import', 'mappa/preload', 'server.js'],
  ]) {
    const { stderr, code } = await run(args, { MAPPA_STAGE: 'production' })
    assert.equal(code, 1)
    const said = stderr.replace(/\s+/g, ' ')
    assert.match(
      said,
      /has already loaded \.env: .* all of its 3 values, so they override HIVES from \.env\.production\./,
    )
    assert.match(said, /Node loads it: remove --env-file\./)
    // Nothing higher sets one of it otherwise.
    assert.equal((await run(args, { MAPPA_STAGE: 'staging' })).code, 0)
  }
  const shell = { MAPPA_STAGE: 'production', HIVES: '11', PLACE: 'meadow', NOTE: '11 hives' }
  assert.match((await run(['server.js'], shell)).stderr, /remove it from the runtime, the container/)
  // One that the host sets is the host's own.
  assert.equal((await run(['server.js'], { ...shell, PLACE: 'orchard' })).stdout, '12 orchard\n')
  const inside = [
    '--import',
    'mappa/preload',
    '-e',
    "require('child_process').execFileSync('node', ['server.js'], { stdio: 'inherit' })",
  ]
  assert.equal((await run(inside, { MAPPA_STAGE: 'production' })).stdout, '13 meadow\n')
})

test("another stage's file in the environment: a fault where it cannot be chance, and never for one or two names of a host", async () => {
  const files = {
    'package.json': modules,
    'mappa.legend.js': `import { legend } from 'mappa/legend'
export default legend({ FEED: { type: 'string' }, PLACE: { type: 'string', default: 'none' }, NOTE: { type: 'string', optional: true }, HIVES: { type: 'integer', default: 4 } })\n`,
    'server.js': `import { settle } from 'mappa/node'
import definition from './mappa.legend.js'
const { FEED, PLACE, NOTE, HIVES } = settle(definition, { from: import.meta.url })
console.log(FEED, PLACE, NOTE, HIVES)\n`,
    '.env': 'FEED=shared-feed\nHIVES=4\n',
    '.env.staging': 'FEED=staging-feed\n',
    '.env.production': 'FEED=live-feed\nPLACE=orchard\nNOTE="${FEED} of all"\nHIVES=4\n',
    '.env.harvest': '',
    '.env.example': 'FEED=sample-feed\nPLACE=somewhere\nNOTE=nothing\n',
  }
  const root = project(files)
  const live = { FEED: 'live-feed', PLACE: 'orchard', NOTE: 'live-feed of all' }
  const rows: readonly [what: string, env: Record<string, string>, told: RegExp | undefined, flags?: string][] = [
    ['another reader has read it', live, /already loaded \.env\.production, a file of another stage/],
    ['as it is written', { ...live, NOTE: '${FEED} of all' }, /already loaded \.env\.production/],
    ['one of its names is another', { ...live, NOTE: 'mine' }, undefined],
    ['two names at night', { FEED: 'live-feed', PLACE: 'orchard' }, undefined],
    ['one name at night', { FEED: 'live-feed' }, undefined],
    ['the sample is not a layer', { FEED: 'sample-feed', PLACE: 'somewhere', NOTE: 'nothing' }, undefined],
    ['the stage itself', { ...live, MAPPA_STAGE: 'production' }, undefined],
    ['a runtime reads it', {}, /Node loads it: remove --env-file\./, '--env-file=.env.production'],
  ]
  for (const [what, env, told, flag] of rows)
    for (const way of [[], ['--import', 'mappa/preload']]) {
      const args = [...(flag === undefined ? [] : [flag]), ...way, 'server.js']
      const { stderr, code } = await node(args, { cwd: root, env: { MAPPA_STAGE: 'staging', ...env } })
      assert.equal(code, told ? 1 : 0, `${what}: ${stderr}`)
      if (told) assert.match(stderr.replace(/\s+/g, ' '), told, what)
    }
  // Words that anybody chooses are chance.
  const common = project({ ...files, '.env.production': 'FEED=info\nPLACE=true\nNOTE=8080\n' })
  const host = { MAPPA_STAGE: 'staging', FEED: 'info', PLACE: 'true', NOTE: '8080' }
  assert.equal((await node(['server.js'], { cwd: common, env: host })).code, 0)
  // Two are enough where a runtime is known to read, and one is not.
  const two = project({ ...files, '.env.production': 'FEED=live-feed\nPLACE=orchard\n' })
  const read = (cwd: string) =>
    node(['--env-file=.env.production', 'server.js'], { cwd, env: { MAPPA_STAGE: 'staging' } })
  assert.equal((await read(two)).code, 1)
  const one = project({ ...files, '.env.production': 'FEED=live-feed\n' })
  assert.equal((await read(one)).code, 0)
})
