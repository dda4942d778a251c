// How much of all code is tests: npm run count. Lines that are not blank, of what git knows: source, scripts, examples and tests; stored
// answers, declarations and lock files apart. What a test is, its path says.
import { execFileSync } from 'node:child_process'
import { readFileSync } from 'node:fs'
import { join } from 'node:path'
import { fileURLToPath } from 'node:url'

const top = fileURLToPath(new URL('..', import.meta.url))
const isCode = /\.(?:[cm]?[jt]sx?|css|html|vue|svelte|py)$/
const isLeftOut = /(?:^|\/)stored\/|\.d\.ts$|mappa\.types/
const isTest = /(?:^|\/)tests?\/|\.test\.[a-z]+$/

/** Lines of code that are not blank, those of tests among them. */
export function countLines() {
  const files = execFileSync('git', ['ls-files', '-co', '--exclude-standard', '-z'], { cwd: top, encoding: 'utf8' })
    .split('\0')
    .filter((file, at, all) => isCode.test(file) && !isLeftOut.test(file) && all.indexOf(file) === at)
  const counts = { tests: 0, all: 0, longest: 0 }
  for (const file of files) {
    const lines = readFileSync(join(top, file), 'utf8')
      .split('\n')
      .filter((line) => line.trim() !== '')
    counts.all += lines.length
    if (isTest.test(file)) counts.tests += lines.length
  }
  return { ...counts, share: counts.tests / counts.all }
}

if (process.argv[1] === fileURLToPath(import.meta.url)) {
  const { tests, all, share } = countLines()
  console.log(`${tests} of ${all} lines are tests: ${(share * 100).toFixed(1)} % (25 to 33 wanted)`)
}
