// How many small faults the tests find that are put into a room on purpose: npm run mutants -- ROOM [--count N] [--seed N] [--workers N] [--quick] [--anew | --list]
// The mutation tester works in a clone of its own, made from the last commit, so that nothing here is touched. The seed takes a
// sample of lines; they are tried in batches, and what died is kept in .scratch, so that a run that was broken off goes on where
// it ended, and a later one tries again only what lived and is not equal in effect, and once more what only took too long,
// which it does on a busy machine whatever the mutant. --quick tries with the first test file alone: most die of that in a
// tenth of the time, and a run without it takes on what lived. --anew forgets that; --list
// tries nothing, and tells what is kept.
import { execFileSync, spawnSync } from 'node:child_process'
import { createHash } from 'node:crypto'
import { existsSync, mkdirSync, mkdtempSync, readdirSync, readFileSync, rmSync, statSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { parseArgs } from 'node:util'
import { top } from '../built.mjs'

/** Where a room is, which tests are about it, the quickest first, and how many of its mutants have to die, in percent. */
const rooms = {
  format: ['packages/mappa/src/format', ['stored', 'format', 'settle', 'promises', 'expand', 'words'], 88],
  legend: [
    'packages/mappa/src/legend',
    ['stored', 'words', 'settle', 'origins', 'promises', 'oracle', 'expand', 'faults'],
    88,
  ],
  settle: ['packages/mappa/src/settle', ['stored', 'settle', 'words', 'expand', 'promises', 'faults'], 88],
  report: ['packages/mappa/src/report', ['stored', 'promises', 'settle', 'words', 'expand', 'faults', 'outputs'], 78],
  node: [
    'packages/mappa/src/node',
    ['machine', 'stored', 'promises', 'node', 'origins', 'sources', 'watching', 'legends', 'layer-order'],
    78,
  ],
  build: ['packages/build/src', ['bundle', 'pages', 'builders'], 78],
  guess: ['packages/cli/src/guess', ['stored', 'code', 'credentials', 'lift'], 78],
  code: ['packages/cli/src/code', ['code', 'stored', 'lift', 'declare'], 85],
  stamp: ['packages/cli/src/commands/stamp', ['delivery', 'stamp', 'outputs'], 85],
  emit: ['packages/cli/src/commands/emit', ['delivery', 'emit', 'outputs', 'hosts'], 85],
  guard: ['packages/cli/src/commands/guard', ['guard', 'credentials', 'history'], 85],
  project: ['packages/cli/src/project', ['command', 'guard', 'history', 'init', 'hosts'], 85],
  quick: ['packages/cli/src/commands/with', ['with', 'command', 'outputs', 'watch'], 85],
  edits: ['packages/cli/src/edits', ['change', 'fill'], 85],
  writing: ['packages/cli/src/writing', ['write', 'whole'], 85],
}
/** What takes long and is about other things than the rooms: races, terminals, compilers, whole applications. */
const slow = [
  'several processes write',
  'killed at any moment',
  'killed at any call',
  'a signal at any call',
  'an editor saves',
  'of eight that write',
  'terminals of',
  'dash ',
  'in an editor',
  'cycles are named',
  'answers the same when',
  'compiled from src',
  'by several threads',
  'asks about each',
  'answers --help',
  'trace says',
  'MAPPA_TELL',
  'add asks',
  'anyone who reads a fault',
  'no text and no legend',
  'asked twice at most',
  'written all the time',
  'Vite 7',
  'webpack',
  '@rspack/core',
  'program that parses',
  'how to undo',
  'cannot write',
  'rollup',
  'rolldown',
  'in any shape',
].join('|')
const testerVersion = '9.6.1'
/** A line of code makes so many mutants, on average. */
const mutantsPerLine = 1.6
/** Lines tried at once: what a run loses that is broken off. Each batch costs a build. */
const batchSize = 100

const { values, positionals } = parseArgs({
  allowPositionals: true,
  options: {
    count: { type: 'string', default: '300' },
    seed: { type: 'string', default: '1' },
    workers: { type: 'string', default: '2' },
    quick: { type: 'boolean', default: false },
    anew: { type: 'boolean', default: false },
    list: { type: 'boolean', default: false },
  },
})
const [name = ''] = positionals
const room = rooms[name]
if (!room) {
  console.log(`Name a room: ${Object.keys(rooms).join(', ')}`)
  process.exit(2)
}
const [folder, tests, least] = room
const fileName = name.replace('/', '-')
const work = join(top, '.scratch/mutants')
const keptFile = join(top, `.scratch/mutants-${fileName}.json`)
const equal = JSON.parse(readFileSync(join(top, 'scripts/mutants/equal.json'), 'utf8'))
/** What became of each mutant; of one and the same line in one file, also when the file has changed elsewhere. */
const kept = !values.anew && existsSync(keptFile) ? JSON.parse(readFileSync(keptFile, 'utf8')) : {}

if (!values.list) prepareClone()
const lines = sample()
const open = values.list ? [] : lines.filter(isOpen)
for (let at = 0; at < open.length; at += batchSize) {
  const batch = open.slice(at, at + batchSize)
  console.log(`Lines ${at + 1} to ${at + batch.length} of ${open.length}`)
  tryBatch(batch)
  writeFileSync(keptFile, JSON.stringify(kept))
}
tell()

/** Whether a line is still to be tried: for the first time, or since one lives there that nobody has found equal in effect. */
function isOpen({ key, place, line }) {
  const isOpenYet = (each) => (each.died ? each.timeouts === 1 : !becauseOf({ ...each, place, line }))
  return !kept[key] || kept[key].some(isOpenYet)
}

function tell() {
  const tried = lines.flatMap(({ key, place, line }) => (kept[key] ?? []).map((each) => ({ ...each, place, line })))
  const alive = tried.filter(({ died }) => !died).sort((a, b) => (a.place < b.place ? -1 : 1))
  const open = alive.filter((each) => !becauseOf(each))
  for (const each of alive) {
    const because = becauseOf(each)
    const { place, column, mutator, text } = each
    console.log(`${place}:${column}  ${mutator}: ${text}${because ? `\n    equal in effect: ${because}` : ''}`)
  }
  const share = (living) => `${((100 * (tried.length - living)) / Math.max(1, tried.length)).toFixed(1)} %`
  const score = (100 * (tried.length - alive.length)) / Math.max(1, tried.length)
  console.log(
    `\n${name}: ${tried.length - alive.length} of ${tried.length} died, ${share(alive.length)} (at least ${least} %)`,
  )
  if (open.length < alive.length)
    console.log(`Without the ${alive.length - open.length} that are equal in effect, ${share(open.length)} would have.`)
  if (score < least) process.exitCode = 1
}

/** Why a mutant that lives does what the code does, if somebody has read it and said so in equal.json. */
function becauseOf({ place, line, text }) {
  const found = equal.find(
    (each) => place.includes(each.file) && line.includes(each.line) && text.includes(each.to ?? ''),
  )
  return found?.because
}

/** A clone of the last commit with what it needs; kept as long as that is the same. */
function prepareClone() {
  const git = (args, cwd) => execFileSync('git', args, { cwd, encoding: 'utf8' })
  const commit = git(['rev-parse', 'HEAD'], top)
  const mark = join(work, '.commit')
  if (!existsSync(mark)) {
    mkdirSync(join(top, '.scratch'), { recursive: true })
    rmSync(work, { recursive: true, force: true })
    git(['clone', '-q', top, work])
    // Its build comes first: it would install anew, and take the tester away.
    execFileSync(process.execPath, ['scripts/prepare.mjs'], { cwd: work, stdio: ['ignore', 2, 2] })
    // Nothing else needs it, and it brings 180 packages.
    const tester = ['core', 'tap-runner'].map((each) => `@stryker-mutator/${each}@${testerVersion}`)
    const quiet = ['--no-save', '--no-audit', '--no-fund', '--loglevel=error']
    execFileSync('npm', ['install', ...quiet, ...tester], { cwd: work, stdio: ['ignore', 2, 2] })
  }
  // Also what a run left that was ended.
  git(['checkout', '-q', '-f', '--', '.'], work)
  git(['fetch', '-q', 'origin'], work)
  git(['checkout', '-q', '-f', commit.trim()], work)
  writeFileSync(mark, commit)
}

/** Tries the mutants of some lines, and keeps what became of them. */
function tryBatch(batch) {
  const json = join(work, `mutants-${fileName}.json`)
  // Tests that are broken off leave their folders behind.
  const temporary = mkdtempSync(join(tmpdir(), 'mappa-mutants-'))
  const config = {
    packageManager: 'npm',
    inPlace: true,
    testRunner: 'whole',
    coverageAnalysis: 'off',
    concurrency: Number(values.workers),
    plugins: [join(work, 'scripts/mutants/runner.mjs'), '@stryker-mutator/tap-runner'],
    tap: { testFiles: [oneTestFile()], forceBail: true, nodeArgs: nodeArguments() },
    // What the tests load is built, with all mutants in it, each asleep until it is called.
    buildCommand: 'node scripts/prepare.mjs',
    timeoutMS: 15_000,
    timeoutFactor: 1.3,
    dryRunTimeoutMinutes: 10,
    mutate: batch.map(({ place }) => place.replace(/:(\d+)$/, ':$1-$1')),
    // What is built is not a source: it would be put back as it was, behind the build.
    disableTypeChecks: '{packages,test}/**/{src,test}/**/*.ts',
    ignorePatterns: ['**/dist/**'],
    reporters: ['progress-append-only', 'json'],
    jsonReporter: { fileName: json },
    allowConsoleColors: false,
  }
  rmSync(join(work, 'node_modules/.mappa-built'), { force: true })
  const file = join(work, 'mutants.conf.json')
  writeFileSync(file, JSON.stringify(config))
  const tester = join(work, 'node_modules/@stryker-mutator/core/bin/stryker.js')
  // Certificates that an environment names cost each start of Node as much as the rest of it.
  const env = { ...process.env, TMPDIR: temporary, NODE_EXTRA_CA_CERTS: undefined }
  const { status } = spawnSync(process.execPath, [tester, 'run', file], { cwd: work, env, stdio: ['ignore', 2, 2] })
  rmSync(temporary, { recursive: true, force: true })
  if (status !== 0) throw new Error('The mutation tester has failed; what it said stands above.')
  const { files } = JSON.parse(readFileSync(json, 'utf8'))
  for (const { key, place } of batch) {
    const [path, line] = place.split(':')
    const found = (files[path]?.mutants ?? []).filter(({ location }) => location.start.line === Number(line))
    const before = kept[key] ?? []
    kept[key] = found.flatMap(({ status, location, mutatorName: mutator, replacement }) => {
      const died = status === 'Killed' || status === 'Timeout'
      if (!died && status !== 'Survived' && status !== 'NoCoverage') return []
      const own = { column: location.start.column, mutator, text: oneLine(replacement) }
      const isSame = (each) => each.column === own.column && each.mutator === mutator && each.text === own.text
      const timeouts = status === 'Timeout' ? (before.find(isSame)?.timeouts ?? 0) + 1 : 0
      return [{ died, ...own, ...(timeouts > 0 && { timeouts }) }]
    })
  }
}

/** All tests in one process: starting one for each would take longer than what most mutants live. */
function oneTestFile() {
  const own = folder.split('/')[1]
  const paths = tests.slice(0, values.quick ? 1 : tests.length).flatMap((test) => {
    const found = [own, 'mappa', 'cli'].map((each) => `packages/${each}/test/${test}.test.ts`)
    return found.find((path) => existsSync(join(work, path))) ?? []
  })
  const file = join(work, `packages/mutants-${fileName}.test.ts`)
  writeFileSync(file, paths.map((path) => `import '../${path}'\n`).join(''))
  return file
}

function nodeArguments() {
  const limits = join(work, 'mutants-limits.mjs')
  // A property that holds for so many samples will hold for the rest: what breaks breaks early. In milliseconds.
  writeFileSync(
    limits,
    "import fc from 'fast-check'\nfc.configureGlobal({ interruptAfterTimeLimit: 400, markInterruptAsFailure: false })\n",
  )
  // The outermost test has a name as well, and whatever is in one that is wanted is run.
  const wanted = `--test-name-pattern=/^(?!<root>|.*(?:${slow}))/`
  return ['--import', 'tsx', '--import', limits, wanted, '-r', '{{hookFile}}', '{{testFile}}']
}

/** Lines of code, as many as make so many mutants, taken by the seed: by what they hold, so that an edit moves no others. */
function sample() {
  // A run that goes on has changed the files in its clone.
  const from = values.list ? top : work
  const lines = filesIn(join(from, folder)).flatMap((path) => {
    const seen = new Map()
    return readFileSync(path, 'utf8')
      .split('\n')
      .flatMap((line, at) => {
        if (!isCode(line)) return []
        const file = path.slice(join(from, 'x').length - 1)
        const nth = (seen.get(line) ?? 0) + 1
        seen.set(line, nth)
        const key = createHash('sha256').update(`${file}\0${line}\0${nth}`).digest('hex').slice(0, 16)
        return [
          {
            key,
            line,
            place: `${file}:${at + 1}`,
            rank: createHash('sha256')
              .update(values.seed + key)
              .digest('hex'),
          },
        ]
      })
  })
  return lines.sort((a, b) => (a.rank < b.rank ? -1 : 1)).slice(0, Math.ceil(Number(values.count) / mutantsPerLine))
}

function filesIn(path) {
  return readdirSync(path)
    .sort()
    .flatMap((each) => {
      const full = join(path, each)
      return statSync(full).isDirectory() ? filesIn(full) : full.endsWith('.ts') ? [full] : []
    })
}

/** Whether a line can hold a mutant: no comment, import, type or bracket alone. */
function isCode(line) {
  return !/^\s*(?:\/\/|\/?\*|import\b|export (?:type|interface)|interface\b|type\b|readonly\b|[\])}\s;,]*$)/.test(line)
}

function oneLine(text = '') {
  const short = text.replace(/\s+/g, ' ')
  return short.length > 120 ? `${short.slice(0, 119)}…` : short
}
