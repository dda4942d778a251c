// Brings what the project needs, once: dependencies by the lock file, then the build. Run by every command; does
// nothing where nothing has changed. Needs Node and npm only.
import { execFileSync, execSync } from 'node:child_process'
import { join } from 'node:path'
import { digestOf, isFresh, markFresh, top } from './built.mjs'

export { top }

try {
  once('installed', () => {
    say('Installing dependencies by the lock file …')
    execSync('npm ci --no-audit --no-fund --loglevel=error', { cwd: top, stdio: ['ignore', 2, 2] })
  })
  once('built', () => {
    say('Building …')
    execFileSync(process.execPath, [join(top, 'scripts/build.mjs')], { cwd: top, stdio: ['ignore', 2, 2] })
  })
} catch (error) {
  // The step that failed has said why.
  process.stderr.write(`Preparing the project failed: ${error.message.split('\n', 1)[0]}\n`)
  process.exit(1)
}

/** Does a step unless its results are there and were made from the same files. */
function once(step, act) {
  if (isFresh(step)) return
  const digest = digestOf(step)
  act()
  markFresh(step, digest)
}

function say(text) {
  process.stderr.write(`${text}\n`)
}
