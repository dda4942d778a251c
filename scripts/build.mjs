// Builds the packages: JavaScript with esbuild, so that the entry points share one core, and declarations with tsc, put together.
import { execFileSync } from 'node:child_process'
import { readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { createRequire } from 'node:module'
import { join, resolve } from 'node:path'
import { pathToFileURL } from 'node:url'
import { build, transformSync } from 'esbuild'
import { rolldown } from 'rolldown'
import { dts } from 'rolldown-plugin-dts'
import { compileAtOnce } from './at-once.mjs'

const tsc = createRequire(import.meta.url)
  .resolve('typescript/package.json')
  .replace('package.json', 'bin/tsc')
const vite = createRequire(import.meta.url)
  .resolve('vite/package.json')
  .replace('package.json', 'bin/vite.js')
const common = {
  bundle: true,
  format: 'esm',
  platform: 'node',
  target: 'node20.19',
  logLevel: 'warning',
  // Names are kept: they are in stacks.
  minifyWhitespace: true,
}
// Node knows .mjs without looking for a package.json, and start-up is a hot path.
const library = { ...common, outdir: 'packages/mappa/dist', outExtension: { '.js': '.mjs' } }
const plugins = { ...common, outdir: 'packages/build/dist', outExtension: { '.js': '.mjs' } }

/** Rooms of the library whose modules are in one file where several entry points take them. */
const sharedRooms = {
  core: /(?:src|mappa).(?:format|leak|legend|report|settle)./,
  machine: /(?:src|mappa).node.(?!remotes)/,
  remotes: /(?:src|mappa).node.remotes./,
}

for (const name of ['mappa', 'build', 'cli']) rmSync(`packages/${name}/dist`, { recursive: true, force: true })
const libraryEntries = {
  index: 'index.ts',
  command: 'command.ts',
  etcd: 'node/remotes/etcd.ts',
  node: 'node/index.ts',
  page: 'page.ts',
  plugin: 'plugin.ts',
  register: 'testing/register.ts',
  testing: 'testing/index.ts',
}
const pluginEntries = { esbuild: 'esbuild.ts', rollup: 'rollup.ts', vite: 'vite/index.ts', webpack: 'webpack.ts' }
await bundleLibrary({ ...entriesOf('mappa', libraryEntries), 'preload-more': 'packages/mappa/src/preload-more.ts' })
// Files by themselves: they share no object with the others, and each further file to load would cost a start 1 to 2 %.
await build({
  ...library,
  minify: true,
  entryPoints: { preload: 'packages/mappa/src/node/preload.ts', legend: 'packages/mappa/src/legend/index.ts' },
  plugins: [askedFor('unreadable', 'legend-faults', 'start-faults', 'other-reader')],
})
compileAtOnce(resolve('packages/mappa/dist/preload.mjs'))
serveCommonJs('packages/mappa/dist', /^(?:preload|register)\.mjs$/)
await declare('mappa', { ...libraryEntries, legend: 'legend/index.ts', preload: 'node/preload.ts' })

await build({
  ...plugins,
  splitting: true,
  packages: 'external',
  entryPoints: { ...entriesOf('build', pluginEntries), 'webpack-loader': 'packages/build/src/webpack-loader.ts' },
  chunkNames: 'shared-[hash]',
})
// What webpack finds the settings module in the place of.
writeFileSync('packages/build/dist/webpack-module.mjs', '')
serveCommonJs('packages/build/dist', /^(?!shared-)/)
await declare('build', pluginEntries)

await build({
  ...common,
  splitting: true,
  entryPoints: { program: 'packages/cli/src/program.ts', thread: 'packages/cli/src/run/thread.ts' },
  outdir: 'packages/cli/dist',
  packages: 'external',
})
// A file by itself, with what it needs of the library in it: it is in front of other programs all day.
await build({
  ...common,
  minify: true,
  entryPoints: { with: 'packages/cli/src/commands/with/quick-with.ts' },
  outdir: 'packages/cli/dist',
  alias: { 'mappa/command': './packages/mappa/src/command.ts', 'mappa/node': './packages/mappa/src/node/index.ts' },
})
// A file by itself, in the form that `--require` takes: it is in front of each process that is watched.
await build({
  ...common,
  format: 'cjs',
  // A program may see the names of what it stands in for.
  minifySyntax: true,
  entryPoints: { observer: 'packages/cli/src/commands/witness/inside/observer.ts' },
  outdir: 'packages/cli/dist',
  outExtension: { '.js': '.cjs' },
})
execFileSync(process.execPath, [vite, 'build', '--logLevel', 'warn'], {
  cwd: 'examples/apiary/collector',
  stdio: 'inherit',
})

/**
 * The library, in as few files as its entry points can share: each further one costs every start that loads it. What several of
 * them take of the core is one file, what they take of this machine another.
 */
async function bundleLibrary(input) {
  const bundle = await rolldown({ input, platform: 'node', logLevel: 'warn' })
  const groups = Object.entries(sharedRooms).map(([name, test]) => ({ name, test, minShareCount: 2 }))
  const { output } = await bundle.write({
    dir: library.outdir,
    entryFileNames: '[name].mjs',
    chunkFileNames: 'shared-[name].mjs',
    codeSplitting: { groups },
  })
  for (const { fileName, code } of output) {
    const { target, minifyWhitespace } = common
    const options = { target, minifyWhitespace, minifySyntax: true, format: 'esm' }
    writeFileSync(join(library.outdir, fileName), transformSync(code, options).code)
  }
}

function entriesOf(name, entries) {
  return Object.fromEntries(Object.entries(entries).map(([to, from]) => [to, `packages/${name}/src/${from}`]))
}

/**
 * Declarations of a package's entry points: what the compiler writes for each module is put together, so that what several share
 * is in one file, and nothing is published that none of them shows.
 */
async function declare(name, entries) {
  const folder = `.scratch/types/${name}`
  rmSync(folder, { recursive: true, force: true })
  execFileSync(process.execPath, [tsc, '-p', `packages/${name}/tsconfig.json`], { stdio: 'inherit' })
  const input = Object.entries(entries).map(([to, from]) => [to, `./${folder}/${from.replace('.ts', '.d.ts')}`])
  const bundle = await rolldown({
    input: Object.fromEntries(input),
    plugins: [dts({ dtsInput: true, tsconfig: false })],
    external: [/^[^./]/],
    logLevel: 'warn',
  })
  const dist = `packages/${name}/dist`
  const groups = Object.entries(sharedRooms).map(([name, test]) => ({ name, test, minShareCount: 2 }))
  const names = { entryFileNames: '[name].ts', chunkFileNames: 'types-[name].d.ts' }
  await bundle.write({ dir: dist, ...names, codeSplitting: { groups } })
  // TypeScript takes a file for what its ending says.
  for (const file of readdirSync(dist).filter((each) => each.endsWith('.d.ts'))) {
    const text = readFileSync(join(dist, file), 'utf8')
    const other = text
      .replace(/(['"])(\.\/[^'"]+)\.(?:m?js|ts)\1/g, '$1$2.cjs$1')
      // Vite is for ECMAScript modules alone.
      .replace(/from (['"])vite\1;/g, "from 'vite' with { 'resolution-mode': 'import' };")
    writeFileSync(join(dist, file.replace(/\.ts$/, '.cts')), other)
  }
}

/**
 * Modules of the room of files and starts that only a start that fails calls: in their place stand functions that load them with
 * all else that is loaded later, once one is called. A start that goes well would read them for nothing.
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
        const more = await import(pathToFileURL(resolve('packages/mappa/dist/preload-more.mjs')).href)
        const exported = [...readFileSync(path, 'utf8').matchAll(/^export (?!interface|type)(\w+) (\w+)/gm)]
        const functions = exported.map(([, kind, name]) => {
          if (kind !== 'function' || typeof more[name] !== 'function')
            throw new Error(`${name} of ${path} must be a function that preload-more.ts exports, to be asked for.`)
          return `export const ${name} = (...given) => createRequire(import.meta.url)('./preload-more.cjs').${name}(...given)`
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
 * with a `require` of its own takes the same code as CommonJS. What only Node loads is passed on.
 */
function serveCommonJs(dist, onlyNode) {
  for (const name of readdirSync(dist).filter((each) => each.endsWith('.mjs') && each !== 'webpack-module.mjs')) {
    const isChunkOfNode = name.startsWith('shared-') && onlyNode.test('all')
    if (isChunkOfNode) continue
    const text = onlyNode.test(name)
      ? `module.exports=require('./${name}')\n`
      : commonJs(readFileSync(join(dist, name), 'utf8'))
    writeFileSync(join(dist, name.replace('.mjs', '.cjs')), text)
  }
}

/** The code of a module as CommonJS; its own chunks are loaded as such, too. */
function commonJs(text) {
  const { code } = transformSync(text, { format: 'cjs', platform: 'node', target: 'node20.19', minifyWhitespace: true })
  return code
    .replace(/\bimport\("(\.\/[\w-]+)\.mjs"\)/g, 'Promise.resolve().then(() => require("$1.cjs"))')
    .replace(/\brequire\("(\.\/[\w-]+)\.mjs"\)/g, 'require("$1.cjs")')
}
