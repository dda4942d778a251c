// Builds both packages: JavaScript with esbuild, so that the entry points share one core, and declarations with tsc.
import { execFileSync } from 'node:child_process'
import { rmSync } from 'node:fs'
import { createRequire } from 'node:module'
import { build } from 'esbuild'

const tsc = createRequire(import.meta.url)
  .resolve('typescript/package.json')
  .replace('package.json', 'bin/tsc')
const vite = createRequire(import.meta.url)
  .resolve('vite/package.json')
  .replace('package.json', 'bin/vite.js')
const common = { bundle: true, format: 'esm', platform: 'node', target: 'node20.19', logLevel: 'warning' }
// Node knows .mjs without looking for a package.json, and start-up is a hot path.
const library = { ...common, outdir: 'packages/mappa/dist', outExtension: { '.js': '.mjs' } }

for (const folder of ['packages/mappa/dist', 'packages/cli/dist']) rmSync(folder, { recursive: true, force: true })
await build({
  ...library,
  splitting: true,
  entryPoints: {
    index: 'packages/mappa/src/index.ts',
    node: 'packages/mappa/src/node/index.ts',
    vite: 'packages/mappa/src/vite/index.ts',
    testing: 'packages/mappa/src/testing/index.ts',
    register: 'packages/mappa/src/testing/register.ts',
  },
  external: ['vite'],
  chunkNames: 'shared-[hash]',
})
// One file by itself: it shares no object with the others, and each further file to load would cost a start 1 to 2 %.
await build({ ...library, minify: true, entryPoints: { preload: 'packages/mappa/src/node/preload.ts' } })
await build({
  ...common,
  splitting: true,
  entryPoints: { program: 'packages/cli/src/program.ts' },
  outdir: 'packages/cli/dist',
  packages: 'external',
})
execFileSync(process.execPath, [tsc, '-p', 'packages/mappa/tsconfig.json'], { stdio: 'inherit' })
execFileSync(process.execPath, [vite, 'build', '--logLevel', 'warn'], {
  cwd: 'examples/apiary/collector',
  stdio: 'inherit',
})
