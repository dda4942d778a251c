// Brings what the project needs, once: dependencies by the lock file, then the build. Run by every command; does
// nothing where nothing has changed. Needs Node and npm only.
import { execFileSync, execSync } from 'node:child_process'
import { createHash } from 'node:crypto'
import { existsSync, readdirSync, readFileSync, statSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { fileURLToPath } from 'node:url'

export const top = fileURLToPath(new URL('..', import.meta.url))
const installedBy = ['package-lock.json']
const builtFrom = [
  ...installedBy,
  'tsconfig.base.json',
  'scripts/build.mjs',
  'packages/mappa/src',
  'packages/mappa/tsconfig.json',
  'packages/cli/src',
  'examples/apiary/collector/src',
  'examples/apiary/collector/vite.config.ts',
  'examples/apiary/mappa.legend.ts',
]
const built = [
  'packages/mappa/dist/types/index.d.ts',
  'packages/cli/dist/program.js',
  'examples/apiary/collector/dist/server.js',
]

try {
  prepare()
} catch (error) {
  // The step that failed has said why.
  process.stderr.write(`Preparing the project failed: ${error.message.split('\n', 1)[0]}\n`)
  process.exit(1)
}

function prepare() {
  once('installed', installedBy, ['node_modules'], () => {
    say('Installing dependencies by the lock file …')
    execSync('npm ci --no-audit --no-fund --loglevel=error', { cwd: top, stdio: ['ignore', 2, 2] })
  })
  once('built', builtFrom, built, () => {
    say('Building …')
    execFileSync(process.execPath, [join(top, 'scripts/build.mjs')], { cwd: top, stdio: ['ignore', 2, 2] })
  })
}

/** Does a step unless its results are there and were made from the same files. */
function once(step, sources, results, act) {
  const stamp = join(top, 'node_modules', `.mappa-${step}`)
  const digest = digestOf(sources)
  const done =
    results.every((path) => existsSync(join(top, path))) && existsSync(stamp) && readFileSync(stamp, 'utf8') === digest
  if (done) return
  act()
  writeFileSync(stamp, digest)
}

function digestOf(sources) {
  const hash = createHash('sha256').update(process.version)
  for (const path of sources.flatMap((source) => filesIn(source)))
    hash
      .update(path)
      .update('\0')
      .update(readFileSync(join(top, path)))
      .update('\0')
  return hash.digest('hex')
}

function filesIn(path) {
  if (!statSync(join(top, path)).isDirectory()) return [path]
  return readdirSync(join(top, path))
    .sort()
    .flatMap((name) => filesIn(`${path}/${name}`))
}

function say(text) {
  process.stderr.write(`${text}\n`)
}
