// Builds both packages: JavaScript with esbuild, so that the entry points share one core, and declarations with tsc.
import { execFileSync } from 'node:child_process'
import { readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { createRequire } from 'node:module'
import { join, resolve } from 'node:path'
import { pathToFileURL } from 'node:url'
import { build, transformSync } from 'esbuild'
import { compileAtOnce } from './at-once.mjs'

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
    command: 'packages/mappa/src/command/index.ts',
    node: 'packages/mappa/src/node/index.ts',
    testing: 'packages/mappa/src/testing/index.ts',
    register: 'packages/mappa/src/testing/register.ts',
  },
  chunkNames: 'shared-[hash]',
})
// What builders load hands nothing to the others, and would have them split into more files.
await build({
  ...library,
  splitting: true,
  entryPoints: {
    vite: 'packages/mappa/src/vite/index.ts',
    rollup: 'packages/mappa/src/builders/rollup.ts',
    esbuild: 'packages/mappa/src/builders/esbuild.ts',
    webpack: 'packages/mappa/src/builders/webpack.ts',
    'webpack-loader': 'packages/mappa/src/builders/webpack-loader.ts',
  },
  external: ['vite'],
  chunkNames: 'building-[hash]',
})
// Files by themselves: they share no object with the others, and each further file to load would cost a start 1 to 2 %.
await build({
  ...library,
  minify: true,
  entryPoints: { preload: 'packages/mappa/src/node/preload.ts', legend: 'packages/mappa/src/legend/index.ts' },
  plugins: [askedFor('unreadable', 'legend-faults', 'start-faults', 'other-reader')],
})
compileAtOnce(resolve('packages/mappa/dist/preload.mjs'))
await build({
  ...common,
  splitting: true,
  entryPoints: { program: 'packages/cli/src/program.ts', thread: 'packages/cli/src/run/thread.ts' },
  outdir: 'packages/cli/dist',
  packages: 'external',
})
// A file by itself, with what it needs of the library in it: it stands in front of other programs all day.
await build({
  ...common,
  minify: true,
  entryPoints: { with: 'packages/cli/src/quick/quick-with.ts' },
  outdir: 'packages/cli/dist',
  alias: { 'mappa/command': './packages/mappa/src/command/index.ts' },
})
execFileSync(process.execPath, [tsc, '-p', 'packages/mappa/tsconfig.json'], { stdio: 'inherit' })
serveCommonJs('packages/mappa/dist')
execFileSync(process.execPath, [vite, 'build', '--logLevel', 'warn'], {
  cwd: 'examples/apiary/collector',
  stdio: 'inherit',
})

/**
 * Modules of the room of files and starts that only a start that fails calls: in their place stand functions that load them with
 * all else that the command has, once one is called. A start that goes well would read them for nothing.
 */
function askedFor(...names) {
  const filter = new RegExp(`/(?:${names.join('|')})\\.js$`)
  return {
    name: 'asked-for',
    setup({ onResolve, onLoad }) {
      onResolve({ filter }, ({ path, resolveDir }) => ({
        path: resolve(resolveDir, path.replace(/\.js$/, '.ts')),
        namespace: 'asked-for',
      }))
      onLoad({ filter: /.*/, namespace: 'asked-for' }, async ({ path }) => {
        // Built already.
        const command = await import(pathToFileURL(resolve('packages/mappa/dist/command.mjs')).href)
        const exported = [...readFileSync(path, 'utf8').matchAll(/^export (?!interface|type)(\w+) (\w+)/gm)]
        const functions = exported.map(([, kind, name]) => {
          if (kind !== 'function' || typeof command[name] !== 'function')
            throw new Error(`${name} of ${path} must be a function that mappa/command exports, to be asked for.`)
          return `export const ${name} = (...given) => createRequire(import.meta.url)('./command.cjs').${name}(...given)`
        })
        return {
          contents: ["import { createRequire } from './builtins.js'", ...functions].join('\n'),
          resolveDir: resolve('packages/mappa/src/node/files'),
        }
      })
    },
  }
}

/**
 * What `require` finds. Node takes the one module there is, under its condition `module-sync`; what runs tests or bundles
 * with a `require` of its own takes the same code as CommonJS. What only Node loads is handed on. Declarations come once
 * more, since TypeScript takes a file for what its ending says.
 */
function serveCommonJs(dist) {
  const onlyNode = /^(?:vite|rollup|esbuild|webpack|webpack-loader|preload|register|building-.*)\.mjs$/
  // What webpack finds the settings module in the place of.
  writeFileSync(join(dist, 'webpack-module.mjs'), '')
  for (const name of readdirSync(dist).filter((each) => each.endsWith('.mjs'))) {
    const text = onlyNode.test(name)
      ? `module.exports = require('./${name}')\n`
      : commonJs(readFileSync(join(dist, name), 'utf8'))
    writeFileSync(join(dist, name.replace('.mjs', '.cjs')), text)
  }
  for (const name of readdirSync(join(dist, 'types'), { recursive: true, encoding: 'utf8' })) {
    if (!name.endsWith('.d.ts')) continue
    const text = readFileSync(join(dist, 'types', name), 'utf8')
    const other = text
      .replace(/(['"])(\.\.?\/[^'"]+)\.js\1/g, '$1$2.cjs$1')
      // Vite is for ECMAScript modules alone.
      .replace(/from 'vite';/g, "from 'vite' with { 'resolution-mode': 'import' };")
    writeFileSync(join(dist, 'types', name.replace(/\.ts$/, '.cts')), other)
  }
}

/** The code of a module as CommonJS; its own chunks are loaded as such, too. */
function commonJs(text) {
  const { code } = transformSync(text, { format: 'cjs', platform: 'node', target: 'node20.19' })
  return code
    .replace(/\bimport\("(\.\/[\w-]+)\.mjs"\)/g, 'Promise.resolve().then(() => require("$1.cjs"))')
    .replace(/\brequire\("(\.\/[\w-]+)\.mjs"\)/g, 'require("$1.cjs")')
}
