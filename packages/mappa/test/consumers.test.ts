// The library as it is packed, in projects of others: under each TypeScript, each kind of module and each way to find
// packages that this one knows; and started, from ES modules and from CommonJS.
import assert from 'node:assert/strict'
import { spawnSync } from 'node:child_process'
import {
  existsSync,
  mkdirSync,
  readdirSync,
  readFileSync,
  realpathSync,
  rmSync,
  statSync,
  writeFileSync,
} from 'node:fs'
import { createRequire } from 'node:module'
import { dirname, join } from 'node:path'
import test from 'node:test'
import type ts6 from 'typescript-6'
import { environment, node, project, top } from '../../../test/helpers.js'

const require = createRequire(import.meta.url)

const folder = project({})
const made = spawnSync('npm', ['pack', '--silent', '--pack-destination', folder], {
  cwd: join(top, 'packages/mappa'),
  env: environment(),
  encoding: 'utf8',
})
const packed = join(folder, made.stdout.trim())

/** A project with the library as users get it. */
function consumer(files: Readonly<Record<string, string>>): string {
  const root = project(files)
  const library = join(root, 'node_modules/mappa')
  rmSync(join(root, 'node_modules'), { recursive: true })
  mkdirSync(library, { recursive: true })
  assert.equal(spawnSync('tar', ['xzf', packed, '--strip-components=1', '-C', library]).status, 0, made.stderr)
  return root
}

const legend = `import { legend } from 'mappa/legend'
export default legend({
  COLLECTOR_PORT: { type: 'port', default: 4100, as: 'collector.port' },
  LOG_LEVEL: { type: 'string', enum: ['debug', 'info'], stages: { production: { enum: ['warn'] } }, default: 'info' },
  TOKEN: { type: 'string', secret: true, optional: true },
})
`
const settings = (legendFile: string) => `import { layerFromValues, reportText, surveyLayers, type Fault } from 'mappa'
import { settle, SettleError } from 'mappa/node'
import { settingsFor } from 'mappa/testing'
import definition from './${legendFile}'
export const settings = settle(definition, { environment: { MAPPA_STAGE: 'test' } })
const port: number = settings.collector.port
const level: 'debug' | 'info' | 'warn' = settings.LOG_LEVEL
const token: string | undefined = settingsFor(definition).TOKEN
// @ts-expect-error: no such setting
settings.collector.prot
const found = surveyLayers(definition, { stage: 'test', layers: [layerFromValues('given', { LOG_LEVEL: 'debug' })] })
const faults: readonly Fault[] = found.faults
console.log(port, level, token, faults.length, reportText(found).length > 0, new Error() instanceof SettleError)
`
const sources = {
  'mappa.legend.ts': legend,
  'mappa.legend.mts': legend,
  'mappa.legend.cts': legend,
  'settings.ts': settings('mappa.legend.js'),
  'settings.mts': settings('mappa.legend.mjs'),
  'settings.cts': settings('mappa.legend.cjs'),
  'globals.d.ts': '',
}

/** Of the types of Node or a browser so much as is needed here: those of the library ask for no more. */
const globals = 'declare const console: { log(...what: unknown[]): void }\ninterface AbortSignal {}\n'

type Combination = readonly [module: string, moduleResolution: string]
/**
 * The kinds of modules and the ways to find packages of each TypeScript: `es2015` to `es2022` differ in syntax alone from
 * `esnext`, `amd`, `umd` and `system` in what is written alone from `commonjs`, and `classic` finds no packages at all.
 */
const older: readonly Combination[] = [
  ...['commonjs', 'esnext'].map((each): Combination => [each, 'node10']),
  ...['esnext', 'preserve'].map((each): Combination => [each, 'bundler']),
  ['node16', 'node16'],
  ['nodenext', 'nodenext'],
]
const every: Readonly<Record<string, readonly Combination[]>> = {
  'typescript-5.4': older,
  'typescript-5.9': [...older, ['node18', 'node16']],
  'typescript-6': [
    ['node20', 'node16'],
    ['commonjs', 'bundler'],
    ['nodenext', 'nodenext'],
  ],
  typescript: [
    ...['commonjs', 'esnext', 'preserve'].map((each): Combination => [each, 'bundler']),
    ['node16', 'node16'],
    ['node18', 'node16'],
    ['node20', 'node16'],
    ['nodenext', 'nodenext'],
  ],
}
/** Of these, what a run tries by itself: the oldest in each way, and the newest in both of its own. `npm run field` tries all. */
const few: Readonly<Record<string, readonly Combination[]>> = {
  'typescript-5.4': [
    ['commonjs', 'node10'],
    ['preserve', 'bundler'],
    ['nodenext', 'nodenext'],
  ],
  typescript: [
    ['esnext', 'bundler'],
    ['nodenext', 'nodenext'],
  ],
}
const versions = process.env.MAPPA_FIELD ? every : few

const configOf = ([module, moduleResolution]: Combination, more: object = {}) => ({
  module,
  moduleResolution,
  strict: true,
  noEmit: true,
  esModuleInterop: true,
  skipDefaultLibCheck: true,
  target: 'es2022',
  lib: ['es2022'],
  types: [],
  ...more,
})

test('legends and settings in .ts, .mts and .cts compile under TypeScript from 5.4 on, however packages are found', async () => {
  const roots = ['module', 'commonjs'].map((type) => ({
    type,
    root: consumer({ ...sources, 'globals.d.ts': globals, 'package.json': JSON.stringify({ type }) }),
  }))
  const wrong: string[] = []
  for (const [version, combinations] of Object.entries(versions))
    for (const { type, root } of roots) {
      const compile = version === 'typescript' ? compileByCommand : compilerIn(version)
      for (const combination of combinations) {
        // Only these ask what kind a package is.
        if (type === 'commonjs' && !/^node(?:16|next)$/.test(combination[1])) continue
        const said = compile(root, combination)
        if (said !== '') wrong.push(`${version}, ${combination.join(' and ')}, ${type}:\n${said}`)
      }
    }
  assert.equal(wrong.length, 0, `${wrong.length} fail\n${wrong.join('\n')}`)
})

/** What an older TypeScript says of the sources. Files are read and parsed once for all combinations. */
function compilerIn(version: string): (root: string, combination: Combination) => string {
  const ts = require(version) as typeof ts6
  const parsed = new Map<string, ReturnType<typeof ts.createSourceFile> | undefined>()
  return (root, combination) => {
    const deprecated = ts.versionMajorMinor === '6.0' ? { ignoreDeprecations: '6.0' } : {}
    const { options, errors } = ts.convertCompilerOptionsFromJson(configOf(combination, deprecated), root)
    if (errors.length > 0) return errors.map(({ messageText }) => String(messageText)).join('\n')
    const host = ts.createCompilerHost(options)
    const read = host.getSourceFile.bind(host)
    host.getSourceFile = (file, languageVersion, ...rest) => {
      const format = typeof languageVersion === 'object' ? languageVersion.impliedNodeFormat : undefined
      const key = `${file} ${format}`
      if (!parsed.has(key)) parsed.set(key, read(file, languageVersion, ...rest))
      return parsed.get(key)
    }
    host.getCurrentDirectory = () => root
    const names = Object.keys(sources).map((name) => join(root, name))
    const program = ts.createProgram(names, options, host)
    return ts.formatDiagnostics(ts.getPreEmitDiagnostics(program), host)
  }
}

function compileByCommand(root: string, combination: Combination): string {
  const file = join(root, 'tsconfig.json')
  writeFileSync(file, JSON.stringify({ compilerOptions: configOf(combination), files: Object.keys(sources) }))
  const compiler = join(top, 'node_modules/typescript/bin/tsc')
  return spawnSync(process.execPath, [compiler, '-p', root, '--pretty', 'false'], { cwd: root, encoding: 'utf8' })
    .stdout
}

/** The same program in each language and kind of module, as a person writes it who has nothing else. */
test('packed and installed, it starts from ES modules and CommonJS, in JavaScript and in TypeScript', async () => {
  const entries = "{ COLLECTOR_PORT: { type: 'port', as: 'collector.port' } }"
  const typed = (ending: string) => ({
    [`mappa.legend.${ending.replace('j', 't')}`]: `import { legend } from 'mappa/legend'\nexport default legend(${entries})\n`,
    [`app.${ending.replace('j', 't')}`]: `import { settle } from 'mappa/node'\nimport definition from './mappa.legend.${ending}'\nconsole.log(settle(definition).collector.port)\n`,
  })
  const rows: readonly (readonly [files: Readonly<Record<string, string>>, app: string])[] = [
    [
      {
        'mappa.legend.mjs': `import { legend } from 'mappa/legend'\nexport default legend(${entries})\n`,
        'app.mjs':
          "import { settle } from 'mappa/node'\nimport definition from './mappa.legend.mjs'\nconsole.log(settle(definition).collector.port)\n",
      },
      'app.mjs',
    ],
    [
      {
        'mappa.legend.cjs': `const { legend } = require('mappa/legend')\nmodule.exports = legend(${entries})\n`,
        'app.cjs':
          "const { settle } = require('mappa/node')\nconst { SettleError } = require('mappa')\nconst { settings = settle(require('./mappa.legend.cjs')) } = {}\nconsole.log(settings.collector.port, typeof SettleError === 'function')\n",
      },
      'app.cjs',
    ],
    [typed('mjs'), 'app.mjs'],
    [typed('cjs'), 'app.cjs'],
  ]
  for (const [files, app] of rows) {
    const root = consumer({ ...files, '.env': 'COLLECTOR_PORT=4107\n', 'globals.d.ts': globals })
    const sources = Object.keys(files).filter((name) => /\.[cm]ts$/.test(name))
    if (sources.length > 0) {
      const compilerOptions = { ...configOf(['nodenext', 'nodenext']), noEmit: false }
      writeFileSync(
        join(root, 'tsconfig.json'),
        JSON.stringify({ compilerOptions, files: [...sources, 'globals.d.ts'] }),
      )
      const compiler = join(top, 'node_modules/typescript/bin/tsc')
      const compiled = await node([compiler, '-p', '.'], { cwd: root })
      assert.equal(compiled.code, 0, compiled.stdout)
    }
    const plain = await node([app], { cwd: root })
    assert.match(plain.stdout, /^4107\b/, `${app} ${plain.stderr}`)
    const preloaded = await node(['--require', 'mappa/preload', '-p', 'process.env.COLLECTOR_PORT'], { cwd: root })
    // Node takes types away where it knows them, and makes no CommonJS of a module.
    const strips = Boolean((process.features as { typescript?: unknown }).typescript)
    const reads = sources.length === 0 || (strips && app === 'app.mjs')
    assert.equal(preloaded.stdout, reads ? '4107\n' : '', preloaded.stderr)
    // What only a start that fails loads is packed, too.
    writeFileSync(join(root, '.env'), 'COLLECTOR_PORT=41oo\n')
    const failed = await node(['--require', 'mappa/preload', '-p', '1'], { cwd: root })
    assert.deepEqual([failed.code, failed.stdout], [1, ''], failed.stderr)
    assert.match(failed.stderr, reads ? /COLLECTOR_PORT must be a port[\s\S]*Nothing was started/ : /is TypeScript/)
  }
})

/** A package as it is packed. */
interface Packed {
  readonly files: readonly { readonly path: string }[]
  readonly unpackedSize: number
}
const packages = ['mappa', 'build', 'cli'].map((folder) => {
  const cwd = join(top, 'packages', folder)
  const { stdout } = spawnSync('npm', ['pack', '--dry-run', '--json', '--loglevel=error'], {
    cwd,
    env: environment(),
    encoding: 'utf8',
  })
  const [packed] = JSON.parse(stdout) as [Packed]
  const paths = new Set(packed.files.map(({ path }) => path))
  return { folder, cwd, packed, paths, manifest: JSON.parse(readFileSync(join(cwd, 'package.json'), 'utf8')) }
})

test('what is packed is whole: every entry point, the command, licence and readme, and nothing that is only for working on it', () => {
  for (const { folder, cwd, paths, manifest } of packages) {
    const targets = (value: unknown): string[] =>
      typeof value === 'string' ? [value] : Object.values(value ?? {}).flatMap(targets)
    for (const target of [...targets(manifest.exports), ...targets(manifest.bin), 'LICENSE', 'README.md'])
      assert.ok(paths.has(target.replace('./', '')), `${folder} lacks ${target}`)
    for (const path of paths) assert.match(path, /^(?:dist|bin)\/|^(?:LICENSE|README\.md|package\.json)$/)
    // Every start reads it, in twice the bytes if one sign is not ASCII.
    if (folder === 'mappa') assert.doesNotMatch(readFileSync(join(cwd, 'dist/preload.mjs'), 'utf8'), /[^ -~\t\n]/)
    // From a clone without a build, packing builds first.
    assert.equal(manifest.scripts.prepack, 'node ../../scripts/prepare.mjs')
    assert.equal(manifest.publishConfig.provenance, true)
  }
})

test('the library is small, and each package declares whatever its packed code imports, so that nothing is bundled in', () => {
  const [library] = packages
  assert.ok(library && library.packed.unpackedSize < 800_000, `${library?.packed.unpackedSize} bytes`)
  assert.ok(library && library.paths.size <= 80, `${library?.paths.size} files`)
  const version = library?.manifest.version
  for (const { folder, cwd, paths, manifest } of packages) {
    const { name, dependencies = {}, peerDependencies = {} } = manifest
    const allowed = new Set([name, ...Object.keys({ ...dependencies, ...peerDependencies })])
    for (const path of [...paths].filter((each) => /\.[cm]?js$/.test(each))) {
      const text = readFileSync(join(cwd, path), 'utf8')
      for (const [, from = ''] of text.matchAll(/(?:\bfrom|\bimport|\brequire\()\s*\(?["']([^"'\s]+)["']/g)) {
        if (/^(?:\.|node:|virtual:|data:)|[^\w@/.-]/.test(from)) continue
        const [scope = '', rest = ''] = from.split('/')
        const own = scope.startsWith('@') ? `${scope}/${rest}` : scope
        assert.ok(allowed.has(own) || codeWritten.has(own), `${folder}/${path} imports ${from}`)
      }
      // What comes from elsewhere would have to bring its notice.
      assert.doesNotMatch(text, /@licen[cs]e|@preserve|Copyright \(c\)|^\/\*!/im, path)
    }
    assert.equal(
      folder === 'mappa' ? undefined : (dependencies.mappa ?? peerDependencies.mappa),
      folder === 'mappa' ? undefined : version,
    )
  }
})

/** What code that is written into other files imports. */
const codeWritten = new Set(['mappa', '@mappa/build', 'vite'])

test('the command brings at most 50 packages and 16 MB beside the compiler, and none that must run a script', () => {
  const root = join(top, 'packages/cli')
  const found = new Map<string, number>()
  const open = [root]
  for (let folder = open.pop(); folder !== undefined; folder = open.pop()) {
    const { dependencies = {}, optionalDependencies = {} } = JSON.parse(
      readFileSync(join(folder, 'package.json'), 'utf8'),
    )
    for (const name of Object.keys({ ...dependencies, ...optionalDependencies })) {
      const at = lookedUp(name, folder)
      // Of what is optional, only what fits this system is there.
      if (at === undefined || found.has(at) || /[\\/]@?esbuild(?:[\\/]|$)/.test(at)) continue
      found.set(at, at.includes('packages') ? 0 : sizeOf(at))
      open.push(at)
      const { scripts = {} } = JSON.parse(readFileSync(join(at, 'package.json'), 'utf8'))
      assert.deepEqual(
        ['preinstall', 'install', 'postinstall'].filter((each) => each in scripts),
        [],
        at,
      )
    }
  }
  const bytes = [...found.values()].reduce((sum, each) => sum + each, 0)
  const own = packages.reduce((sum, { packed }) => sum + packed.unpackedSize, 0)
  assert.ok(found.size > 20 && found.size <= 50, `${found.size} packages`)
  assert.ok(bytes + own <= 16_000_000, `${bytes + own} bytes`)
})

/** Where a package finds another, as Node looks for it. */
function lookedUp(name: string, from: string): string | undefined {
  for (let folder = from; ; folder = dirname(folder)) {
    const at = join(folder, 'node_modules', name)
    if (existsSync(join(at, 'package.json'))) return realpathSync(at)
    if (folder === dirname(folder)) return undefined
  }
}

function sizeOf(folder: string): number {
  return readdirSync(folder, { recursive: true, withFileTypes: true })
    .filter((each) => each.isFile())
    .reduce((sum, { parentPath, name }) => sum + statSync(join(parentPath, name)).size, 0)
}
