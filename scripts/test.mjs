// The whole check of the project: form, types, packaging, then every test. Brings what it needs first.
import { spawnSync } from 'node:child_process'
import { readdirSync } from 'node:fs'
import { createRequire } from 'node:module'
import { join } from 'node:path'
import { installDebian } from './debian.mjs'
import { top } from './prepare.mjs'

const missing = installDebian({ chromium: 'chromium', zsh: 'zsh', fish: 'fish' })
if (missing.includes('chromium')) console.log('Chromium is not installed: the tests of pages in a browser cannot run.')

const require = createRequire(import.meta.url)
const tsc = join(require.resolve('typescript/package.json'), '../bin/tsc')
const biome = join(require.resolve('@biomejs/biome/package.json'), '../bin/biome')
const publint = join(top, 'node_modules/publint/src/cli.js')

const steps = [
  ['form and lint', [biome, 'ci', '--log-level=warn', '.']],
  ['types', [tsc, '-p', '.']],
  ['types of the collector', [tsc, '-p', 'examples/apiary/collector']],
  ['types of the dashboard', [tsc, '-p', 'examples/apiary/dashboard']],
  ['types of the core, without those of Node', [tsc, '-p', 'packages/mappa/tsconfig.core.json']],
  ['packaging of mappa', [publint, 'packages/mappa', '--strict']],
  ['packaging of @mappa/cli', [publint, 'packages/cli', '--strict']],
  ['tests', ['--import', 'tsx', '--test', '--test-reporter', 'spec', ...testFiles()]],
]
const failed = steps.filter(([name, args]) => {
  console.log(`\n── ${name}`)
  return spawnSync(process.execPath, args, { cwd: top, stdio: ['ignore', 'inherit', 'inherit'] }).status !== 0
})
if (failed.length > 0) {
  console.log(`\nFailed: ${failed.map(([name]) => name).join(', ')}`)
  process.exitCode = 1
}

function testFiles() {
  return ['packages/mappa/test', 'packages/cli/test', 'examples/apiary/test'].flatMap((folder) =>
    readdirSync(join(top, folder))
      .filter((name) => name.endsWith('.test.ts'))
      .map((name) => `${folder}/${name}`),
  )
}
