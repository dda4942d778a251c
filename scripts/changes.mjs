// Tries the first table of docs/architecture.md: npm run changes. Each change is made by half in a copy, in the first file of its row; which
// other files the compiler and the tests of records then name is written to docs/changes-tried.json, and a test compares the table with it.
import { spawnSync } from 'node:child_process'
import { cpSync, mkdtempSync, readFileSync, rmSync, symlinkSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { top } from './prepare.mjs'

/** For each row, the file in which it begins, and the half of the change: a text, and what stands there instead. */
const changes = {
  'a type of value': [
    'packages/mappa/src/legend/value-types.ts',
    '  pem: {\n',
    "  hive: {\n    words: [],\n    code: 'number',\n    schema: { type: 'integer' },\n    said: 'a hive',\n    read: wholeNumber,\n    holds: Number.isSafeInteger,\n  },\n  pem: {\n",
  ],
  'a word of an entry': [
    'packages/mappa/src/legend/words.ts',
    "  optional: 'all switch',\n",
    "  optional: 'all switch',\n  swarming: 'all switch',\n",
  ],
  'a form in which values are passed on': [
    'packages/cli/src/commands/emit/forms.ts',
    "  cluster: { remark: '#'",
    "  hive: { write: () => '' },\n  cluster: { remark: '#'",
  ],
  'a form of templates': [
    'packages/cli/src/commands/stamp/stamped.ts',
    '  text: { stamp: stampText },\n',
    '  hive: { names: /\\.hive$/, stamp: stampText },\n  text: { stamp: stampText },\n',
  ],
  'a kind of remote source': [
    'packages/mappa/src/legend/legend.ts',
    '  readonly etcd?: string\n',
    '  readonly etcd?: string\n  readonly hive?: string\n',
  ],
  'a builder': [
    'packages/build/src/builders.ts',
    "  esbuild: { peers: ['esbuild'] },\n",
    "  esbuild: { peers: ['esbuild'] },\n  hive: { peers: ['hive-builder'] },\n",
  ],
  'a kind of layer': [
    'packages/mappa/src/settle/stack/layer.ts',
    "  given: { ownMachine: true, remedy: 'Set' },\n",
    "  given: { ownMachine: true, remedy: 'Set' },\n  hive: { remedy: 'Set' },\n",
  ],
  'a command': [
    'packages/cli/src/program.ts',
    '  withCommand,\n]',
    "  withCommand,\n  { name: 'swarm', define: (command) => void command },\n]",
  ],
  'an option': [
    'packages/cli/src/commands/list/definition.ts',
    "      .option('--secrets', ",
    "      .option('--hives', 'only hives')\n      .option('--secrets', ",
  ],
  'a kind of fault or notice': [
    'packages/mappa/src/settle/faults/kinds.ts',
    'export const faultKinds = {\n',
    'export const faultKinds = {\n  swarming: {},\n',
  ],
  'a kind of setting that lift finds': [
    'packages/cli/src/guess/finding.ts',
    "  | 'switch'",
    "  | 'hive'\n  | 'switch'",
  ],
}

const work = mkdtempSync(join(tmpdir(), 'mappa-changes-'))
const tried = {}
try {
  for (const each of [
    'packages',
    'examples',
    'scripts',
    'docs',
    'test',
    'tsconfig.json',
    'tsconfig.base.json',
    'package.json',
  ])
    cpSync(join(top, each), join(work, each), { recursive: true, verbatimSymlinks: true })
  symlinkSync(join(top, 'node_modules'), join(work, 'node_modules'))
  // The command is compiled against the library's sources as they are in the copy, not as they were built.
  const config = JSON.parse(readFileSync(join(work, 'tsconfig.json'), 'utf8'))
  const doors = {
    '': 'index',
    '/node': 'node/index',
    '/legend': 'legend/index',
    '/testing': 'testing/index',
    '/etcd': 'node/remotes/etcd',
  }
  for (const name of ['command', 'plugin', 'page']) doors[`/${name}`] = name
  config.compilerOptions.paths = Object.fromEntries(
    Object.entries(doors).map(([door, file]) => [`mappa${door}`, [`./packages/mappa/src/${file}.ts`]]),
  )
  writeFileSync(join(work, 'tsconfig.json'), JSON.stringify(config))
  for (const [row, [file, from, to]] of Object.entries(changes)) {
    const path = join(work, file)
    const before = readFileSync(path, 'utf8')
    if (!before.includes(from)) throw new Error(`${file} has no place any more for: ${row}`)
    writeFileSync(
      path,
      before.replace(from, () => to),
    )
    tried[row] = [file, ...namedBy(file)]
    writeFileSync(path, before)
    console.log(`${row}: ${tried[row].join(', ')}`)
  }
  writeFileSync(join(top, 'docs/changes-tried.json'), `${JSON.stringify(tried, null, 2)}\n`)
} finally {
  rmSync(work, { recursive: true, force: true })
}

/** The files that the compiler and the tests name, beside the one that was changed. */
function namedBy(changed) {
  const compilers = [
    ['-p', 'packages/mappa', '--noEmit'],
    ['-p', '.'],
  ].map((args) => run(['node_modules/typescript/bin/tsc', ...args]))
  const compiled = compilers.join('').matchAll(/^(\S+)\(\d+,\d+\): error/gm)
  const tests = run(['--import', 'tsx', '--test', '--test-reporter', 'tap', 'packages/cli/test/records.test.ts'])
  // A sentence of a test begins with the file that lacks something.
  const said = tests.matchAll(
    /'?((?:docs|packages|scripts)\/[\w./-]+\.(?:md|json|mjs|ts))(?: says nothing| has no case)/g,
  )
  const all = [...compiled, ...said].map(([, file]) => file.replace(/^\.\//, ''))
  return [...new Set(all)].filter((file) => file !== changed).sort()
}

function run(args) {
  const { stdout, stderr } = spawnSync(process.execPath, args, {
    cwd: work,
    encoding: 'utf8',
    env: { ...process.env, NO_COLOR: '1' },
  })
  return stdout + stderr
}
