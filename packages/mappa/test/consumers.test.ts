// The library as it is packed, in projects of others: under each TypeScript, each kind of module and each way to find
// packages that this one knows; and started, from ES modules and from CommonJS.
import assert from 'node:assert/strict'
import { spawnSync } from 'node:child_process'
import { mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { createRequire } from 'node:module'
import { join } from 'node:path'
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
const versions: Readonly<Record<string, readonly Combination[]>> = {
  'typescript-5.4': older,
  // Of those between, what they have anew, and one of each way.
  'typescript-5.9': [
    ['node18', 'node16'],
    ['esnext', 'bundler'],
  ],
  'typescript-6': [
    ['node20', 'node16'],
    ['commonjs', 'bundler'],
  ],
  typescript: [
    ...['commonjs', 'esnext', 'preserve'].map((each): Combination => [each, 'bundler']),
    ['node16', 'node16'],
    ['node18', 'node16'],
    ['node20', 'node16'],
    ['nodenext', 'nodenext'],
  ],
}

const configOf = ([module, moduleResolution]: Combination, more: object = {}) => ({
  ...{ module, moduleResolution, strict: true, noEmit: true, esModuleInterop: true, skipDefaultLibCheck: true },
  ...{ target: 'es2022', lib: ['es2022'], types: [], ...more },
})

test('legends and settings in .ts, .mts and .cts compile under every TypeScript from 5.4 on, however packages are found', async () => {
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
  }
})

test('what is packed is whole: every entry point, the command, licence and readme, and nothing that is only for working on it', () => {
  for (const folder of ['packages/mappa', 'packages/cli']) {
    const cwd = join(top, folder)
    const description = JSON.parse(readFileSync(join(cwd, 'package.json'), 'utf8'))
    const { stdout, stderr } = spawnSync('npm', ['pack', '--dry-run', '--json', '--loglevel=error'], {
      ...{ cwd, env: environment(), encoding: 'utf8' },
    })
    const [{ files }] = JSON.parse(stdout) as [{ files: { path: string }[] }]
    const packed = new Set(files.map(({ path }) => path))
    const targets = (value: unknown): string[] =>
      typeof value === 'string' ? [value] : Object.values(value ?? {}).flatMap(targets)
    for (const target of [...targets(description.exports), ...targets(description.bin), 'LICENSE', 'README.md'])
      assert.ok(packed.has(target.replace('./', '')), `${folder} lacks ${target} ${stderr}`)
    for (const path of packed) assert.match(path, /^(?:dist|bin)\/|^(?:LICENSE|README\.md|package\.json)$/)
    // Every start reads it, in twice the bytes if one sign is not ASCII.
    if (folder === 'packages/mappa')
      assert.doesNotMatch(readFileSync(join(cwd, 'dist/preload.mjs'), 'utf8'), /[^ -~\t\n]/)
    // From a clone without a build, packing builds first.
    assert.equal(description.scripts.prepack, 'node ../../scripts/prepare.mjs')
    assert.equal(description.publishConfig.provenance, true)
  }
})
