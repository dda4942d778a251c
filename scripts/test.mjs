// The whole check of the project: form, types, packaging, then every test. Brings what it needs first. With arguments,
// such as the path of a test file, it builds what is stale and runs those tests alone.
import { spawn, spawnSync } from 'node:child_process'
import { readdirSync } from 'node:fs'
import { createRequire } from 'node:module'
import { join } from 'node:path'
import { installDebian } from './debian.mjs'
import { top } from './prepare.mjs'

const given = process.argv.slice(2)
const missing = installDebian({
  chromium: 'chromium',
  zsh: 'zsh',
  fish: 'fish',
  etcd: 'etcd-server',
  openssl: 'openssl',
  'docker-compose': 'docker-compose',
})
if (missing.includes('chromium')) console.log('Chromium is not installed: the tests of pages in a browser cannot run.')

// Certificates that an environment names cost each start of Node as much as the rest of it, and no test asks the network.
delete process.env.NODE_EXTRA_CA_CERTS

const require = createRequire(import.meta.url)
const tsc = join(require.resolve('typescript/package.json'), '../bin/tsc')
const biome = join(require.resolve('@biomejs/biome/package.json'), '../bin/biome')
const publint = join(top, 'node_modules/publint/src/cli.js')

const checks = [
  ['form and lint', [biome, 'ci', '--log-level=warn', '.']],
  ['types', [tsc, '-p', '.']],
  ['types of the collector', [tsc, '-p', 'examples/apiary/collector']],
  ['types of the dashboard', [tsc, '-p', 'examples/apiary/dashboard']],
  ['types of the core, without those of Node', [tsc, '-p', 'packages/mappa/tsconfig.core.json']],
  ['packaging of mappa', [publint, 'packages/mappa', '--strict']],
  ['packaging of @mappa/build', [publint, 'packages/build', '--strict']],
  ['packaging of @mappa/cli', [publint, 'packages/cli', '--strict']],
]
/** Files that mostly wait, or take long: they come first, so that nothing is waited for at the end. */
const long = /(?:dashboard|everyday|hosts|watching|with|write)\.test\.ts$/
// More than there are cores: some files mostly wait.
const tests = ['--import', 'tsx', '--test', '--test-reporter', 'spec', '--test-concurrency', '6']
const failed = given.length > 0 ? [] : await together([...checks, ['the demo', ['scripts/demo.mjs']]])
console.log('\n── tests')
const args = [...tests, ...(given.length > 0 ? given : testFiles())]
if (spawnSync(process.execPath, args, { cwd: top, stdio: ['ignore', 'inherit', 'inherit'] }).status !== 0)
  failed.push('tests')
if (failed.length > 0) {
  console.log(`\nFailed: ${failed.join(', ')}`)
  process.exitCode = 1
}

/** Runs steps, two at once, and says what those say that fail; their names. */
async function together(steps) {
  const failed = []
  // The story takes longest.
  const open = [...steps].reverse()
  const work = async () => {
    for (let step = open.shift(); step; step = open.shift()) {
      const [name, args] = step
      const { code, said } = await ended(args)
      console.log(`── ${name}${code === 0 ? '' : `\n${said}`}`)
      if (code !== 0) failed.push(name)
    }
  }
  await Promise.all([work(), work()])
  return failed
}

function ended(args) {
  const child = spawn(process.execPath, args, { cwd: top, stdio: ['ignore', 'pipe', 'pipe'] })
  let said = ''
  for (const stream of [child.stdout, child.stderr]) stream.on('data', (data) => (said += data))
  return new Promise((resolve) => child.once('close', (code) => resolve({ code, said })))
}

/** Those that take longest come first. */
function testFiles() {
  const files = ['examples/apiary/test', 'packages/cli/test', 'packages/build/test', 'packages/mappa/test'].flatMap(
    (folder) =>
      readdirSync(join(top, folder))
        .filter((name) => name.endsWith('.test.ts'))
        .map((name) => `${folder}/${name}`),
  )
  return [...files.filter((file) => long.test(file)), ...files.filter((file) => !long.test(file))]
}
