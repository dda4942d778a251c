// How many small faults the tests find that are put into a room on purpose: npm run mutants -- ROOM [--count N] [--seed N]
// The mutation tester works in a clone of its own, made from the last commit, so that nothing here is touched. A sample of lines is
// taken by the seed; what was tried already is kept, so that a run that was broken off goes on where it ended.
import { execFileSync, spawnSync } from 'node:child_process'
import { existsSync, mkdirSync, readdirSync, readFileSync, rmSync, statSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { parseArgs } from 'node:util'
import { top } from './prepare.mjs'

/** Where a room is, which tests are about it, and how many of its mutants have to die. In percent. */
const core = [
  'settle',
  'legend',
  'words',
  'format',
  'expand',
  'promises',
  'oracle',
  'sources',
  'write',
  'shapes',
  'origins',
]
const rooms = {
  format: ['packages/mappa/src/format', core, 88],
  legend: ['packages/mappa/src/legend', core, 88],
  settle: ['packages/mappa/src/settle', core, 88],
  report: ['packages/mappa/src/report', [...core, 'pages'], 78],
  node: ['packages/mappa/src/node', [...core, 'node', 'watching'], 78],
  bundle: ['packages/mappa/src/bundle', ['pages', 'builders'], 78],
  'lift/guess': ['packages/cli/src/lift/guess', ['lift', 'code'], 78],
}
const testerVersion = '9.6.1'
/** A line of code makes so many mutants, on average. */
const mutantsPerLine = 1.6

const { values, positionals } = parseArgs({
  allowPositionals: true,
  options: { count: { type: 'string', default: '300' }, seed: { type: 'string', default: '1' } },
})
const [name = ''] = positionals
const room = rooms[name]
if (!room) {
  console.log(`Name a room: ${Object.keys(rooms).join(', ')}`)
  process.exit(2)
}
const [folder, tests, least] = room
const work = join(top, '.scratch/mutants')
prepareClone()
const report = run()
const mutants = Object.entries(report.files).flatMap(([file, { mutants }]) =>
  mutants.map((each) => ({ ...each, file })),
)
const tried = mutants.filter(({ status }) => ['Killed', 'Timeout', 'Survived', 'NoCoverage'].includes(status))
const alive = tried.filter(({ status }) => status === 'Survived' || status === 'NoCoverage')
for (const { file, location, mutatorName, replacement } of alive)
  console.log(`${file}:${location.start.line}:${location.start.column}  ${mutatorName}: ${oneLine(replacement)}`)
const score = (100 * (tried.length - alive.length)) / Math.max(1, tried.length)
console.log(
  `\n${name}: ${tried.length - alive.length} of ${tried.length} died, ${score.toFixed(1)} % (at least ${least} %)`,
)
if (score < least) process.exitCode = 1

/** A clone of the last commit with what it needs; kept as long as that is the same. */
function prepareClone() {
  const commit = execFileSync('git', ['rev-parse', 'HEAD'], { cwd: top, encoding: 'utf8' })
  const mark = join(work, '.commit')
  if (existsSync(mark) && readFileSync(mark, 'utf8') === commit) {
    // What a run left that was ended.
    execFileSync('git', ['checkout', '-q', '--', 'packages'], { cwd: work })
    return
  }
  mkdirSync(join(top, '.scratch'), { recursive: true })
  rmSync(work, { recursive: true, force: true })
  execFileSync('git', ['clone', '-q', top, work])
  // Its build comes first: it would install anew, and take the tester away.
  execFileSync(process.execPath, ['scripts/prepare.mjs'], { cwd: work, stdio: ['ignore', 2, 2] })
  // Nothing else needs it, and it brings 180 packages.
  const tester = ['core', 'tap-runner'].map((each) => `@stryker-mutator/${each}@${testerVersion}`)
  const quiet = ['--no-save', '--no-audit', '--no-fund', '--loglevel=error']
  execFileSync('npm', ['install', ...quiet, ...tester], { cwd: work, stdio: ['ignore', 2, 2] })
  writeFileSync(mark, commit)
}

function run() {
  const tested = ['mappa', 'cli'].flatMap((name) =>
    tests.map((test) => `packages/${name}/test/${test}.test.ts`).filter((path) => existsSync(join(work, path))),
  )
  const json = join(work, `mutants-${name.replace('/', '-')}.json`)
  const config = {
    ...{ packageManager: 'npm', inPlace: true, testRunner: 'tap', coverageAnalysis: 'perTest', concurrency: 2 },
    tap: { testFiles: tested, nodeArgs: ['--import', 'tsx', '-r', '{{hookFile}}', '{{testFile}}'], forceBail: true },
    // What the tests load is built, with all mutants in it, each asleep until it is called.
    buildCommand: 'node scripts/prepare.mjs',
    ...{ mutate: sample(), timeoutMS: 60_000, disableTypeChecks: '{packages,examples}/**/*.{ts,js,mjs}' },
    ...{ reporters: ['progress-append-only', 'json'], jsonReporter: { fileName: json }, allowConsoleColors: false },
    ...{ incremental: true, incrementalFile: `${json}.kept` },
  }
  const file = join(work, 'mutants.conf.json')
  writeFileSync(file, JSON.stringify(config))
  const tester = join(work, 'node_modules/@stryker-mutator/core/bin/stryker.js')
  const { status } = spawnSync(process.execPath, [tester, 'run', file], { cwd: work, stdio: ['ignore', 2, 2] })
  if (status !== 0) throw new Error('The mutation tester has failed; what it said stands above.')
  return JSON.parse(readFileSync(json, 'utf8'))
}

/** Ranges of lines, as many as make so many mutants, taken by the seed. */
function sample() {
  const lines = filesIn(join(work, folder)).flatMap((path) =>
    readFileSync(path, 'utf8')
      .split('\n')
      .flatMap((line, at) => (isCode(line) ? [`${path.slice(work.length + 1)}:${at + 1}-${at + 1}`] : [])),
  )
  let state = Number(values.seed) >>> 0
  // The linear congruential generator of Numerical Recipes.
  const random = () => (state = (Math.imul(state, 1_664_525) + 1_013_904_223) >>> 0) / 2 ** 32
  for (let at = lines.length - 1; at > 0; at--) {
    const other = Math.floor(random() * (at + 1))
    ;[lines[at], lines[other]] = [lines[other], lines[at]]
  }
  return lines.slice(0, Math.ceil(Number(values.count) / mutantsPerLine))
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
