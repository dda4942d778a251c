// What a build is made from and what it gives; and whether what is there was made from the sources as they are.
import { createHash } from 'node:crypto'
import { existsSync, readdirSync, readFileSync, statSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { fileURLToPath } from 'node:url'

export const top = fileURLToPath(new URL('..', import.meta.url))

/** Each step of preparing: what it is made from, and what is there when it is done. Paths from the top. */
const steps = {
  installed: { sources: ['package-lock.json'], results: ['node_modules'] },
  built: {
    sources: [
      'package-lock.json',
      'tsconfig.base.json',
      'scripts/build.mjs',
      'scripts/at-once.mjs',
      'packages/mappa/src',
      'packages/mappa/tsconfig.json',
      'packages/build/src',
      'packages/build/tsconfig.json',
      'packages/cli/src',
      'examples/apiary/collector/src',
      'examples/apiary/collector/vite.config.ts',
      'examples/apiary/mappa.legend.ts',
    ],
    results: [
      'packages/mappa/dist/index.d.ts',
      'packages/build/dist/vite.d.ts',
      'packages/cli/dist/program.js',
      'examples/apiary/collector/dist/server.js',
    ],
  },
}

/** Whether a step's results are there and were made from its sources as they are. */
export function isFresh(step) {
  const stamp = stampOf(step)
  return (
    steps[step].results.every((path) => existsSync(join(top, path))) &&
    existsSync(stamp) &&
    readFileSync(stamp, 'utf8') === digestOf(step)
  )
}

/** Notes that a step is done. `digest` is what its sources were when it began. */
export function markFresh(step, digest) {
  writeFileSync(stampOf(step), digest)
}

/** What a step's sources are, as a short text. */
export function digestOf(step) {
  // Packages may be built for a version of Node; what is built here is for all.
  const hash = createHash('sha256').update(step === 'installed' ? process.version : '')
  for (const path of steps[step].sources.flatMap((source) => filesIn(source)))
    hash
      .update(path)
      .update('\0')
      .update(readFileSync(join(top, path)))
      .update('\0')
  return hash.digest('hex')
}

function stampOf(step) {
  return join(top, 'node_modules', `.mappa-${step}`)
}

function filesIn(path) {
  if (!statSync(join(top, path)).isDirectory()) return [path]
  return readdirSync(join(top, path))
    .sort()
    .flatMap((name) => filesIn(`${path}/${name}`))
}
