// Published applications, started by themselves and under mappa witness: what they print, answer and exit with must be the same.
import { execFileSync, spawn } from 'node:child_process'
import { existsSync, mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { dirname, join } from 'node:path'
import { top } from '../prepare.mjs'
import { environment } from '../stage.mjs'

const folder = join(top, '.scratch/applications')
const mappa = join(top, 'packages/cli/bin/mappa.js')
const packages = [
  'json-server@0.17.4',
  'verdaccio@6',
  'mocha@11',
  'jest@30',
  'ava@6',
  'vite@7',
  'vitest@3',
  'marked@16',
  'webpack@5',
  'webpack-cli@6',
  'fastify@5',
  'fastify-cli@7',
  'tsx@4',
]

/** Files that the applications work on: of the apiary, and reading their environment. */
const files = {
  'package.json': '{ "name": "hives", "private": true }',
  'mappa.legend.json':
    '{ "type": "object", "properties": { "HIVES": { "type": "integer", "default": 4 }, "HOST": { "type": "string", "default": "localhost" } } }',
  '.env': 'HIVES=7\n',
  'db.json': '{ "hives": [{ "id": 1, "weight": 41.5 }] }',
  'notes.md': '# Hives\n\n- *Meadow*: 7\n',
  'verdaccio.yaml':
    'storage: ./storage\nuplinks: {}\npackages: { "**": { access: $all } }\nlog: { type: stdout, format: json, level: fatal }\nauth: { htpasswd: { file: ./htpasswd } }\n',
  'test/mocha.cjs': "it('has hives', () => { if (!(process.env.HIVES ?? 'none')) throw new Error('none') })\n",
  'test/jest.test.cjs': "test('has hives', () => expect(process.env.HIVES ?? 'none').toBe('none'))\n",
  'test/ava.mjs': "import test from 'ava'\ntest('has hives', (t) => t.is(process.env.HIVES ?? 'none', 'none'))\n",
  'test/vitest.spec.mjs':
    "import { expect, test } from 'vitest'\ntest('has hives', () => expect(process.env.HIVES ?? 'none').toBe('none'))\n",
  'index.html': '<!doctype html><title>Hives</title><script type="module" src="/page.js"></script>\n',
  'page.js': 'document.title = `Hives ${import.meta.env.MODE}`\n',
  'pack.cjs': 'module.exports = { answer: process.env.HIVES ?? 4 }\n',
  'server.cjs':
    "module.exports = async (app) => app.get('/', async () => ({ hives: process.env.HIVES ?? 'none', options: process.env.NODE_OPTIONS ?? 'none', all: Object.keys(process.env).sort() }))\n",
  'app.ts':
    "const hives: string = process.env.HIVES ?? 'none'\nconsole.log(hives, Object.keys(process.env).sort().join())\n",
}

/** Each application: what is started, and where it answers if it is a server. */
const applications = {
  'json-server': { run: ['json-server', '--port', '41801', 'db.json'], answers: 'http://localhost:41801/hives' },
  verdaccio: {
    run: ['verdaccio', '--config', 'verdaccio.yaml', '--listen', '41802'],
    answers: 'http://localhost:41802/-/ping',
  },
  mocha: { run: ['mocha', 'test/mocha.cjs'] },
  jest: { run: ['jest', '--testMatch', '**/jest.test.cjs', '--no-cache'] },
  ava: { run: ['ava', 'test/ava.mjs'] },
  vitest: { run: ['vitest', 'run', 'test/vitest.spec.mjs'] },
  'vite build': { run: ['vite', 'build'] },
  vite: { run: ['vite', '--port', '41803', '--strictPort'], answers: 'http://localhost:41803/page.js' },
  marked: { run: ['marked', '-i', 'notes.md'] },
  webpack: { run: ['webpack', '--mode', 'production', '--entry', './pack.cjs', '--output-path', './packed'] },
  fastify: { run: ['fastify', 'start', '--port', '41804', 'server.cjs'], answers: 'http://localhost:41804/' },
  tsx: { run: ['tsx', 'app.ts'] },
}

export async function tryApplications() {
  mkdirSync(folder, { recursive: true })
  const wanted = `{ "private": true, "dependencies": ${JSON.stringify(Object.fromEntries(packages.map((each) => each.split(/(?<=.)@/))))} }`
  const manifest = join(folder, 'package.json')
  if (!existsSync(manifest) || readFileSync(manifest, 'utf8') !== wanted) {
    writeFileSync(manifest, wanted)
    execFileSync('npm', ['install', '--no-audit', '--no-fund', '--ignore-scripts'], { cwd: folder, stdio: 'ignore' })
  }
  const rows = []
  for (const [name, { run, answers }] of Object.entries(applications)) {
    const plain = await started(run, answers)
    const watched = await started(run, answers, true)
    const isSame = ['code', 'stdout', 'stderr', 'answer'].every((part) => plain[part] === watched[part])
    if (!isSame && process.env.MAPPA_SHOW) console.log(name, plain, watched)
    rows.push({ name, version: versionOf(run[0]), isSame, names: watched.names })
    console.log(`  ${name}: ${isSame ? 'the same' : 'NOT the same'}, ${watched.names} names seen`)
  }
  return rows
}

function versionOf(command) {
  const owner = { fastify: 'fastify-cli' }[command] ?? command
  return JSON.parse(readFileSync(join(folder, 'node_modules', owner, 'package.json'), 'utf8')).version
}

/** What a start prints, answers and exits with; times, process ids and folders left out. */
async function started([command, ...args], answers, isWatched = false) {
  const root = mkdtempSync(join(tmpdir(), 'mappa-field-'))
  // What a start keeps for the next one.
  rmSync(join(folder, 'node_modules/.vite'), { recursive: true, force: true })
  for (const [path, text] of Object.entries(files)) {
    mkdirSync(dirname(join(root, path)), { recursive: true })
    writeFileSync(join(root, path), text)
  }
  const binary = join(folder, 'node_modules/.bin', command)
  execFileSync('ln', ['-s', join(folder, 'node_modules'), join(root, 'node_modules')])
  const words = isWatched ? [mappa, 'witness', '--out', 'seen.json', '--', binary, ...args] : [binary, ...args]
  const env = environment({ CI: '1', NO_COLOR: '1', NO_UPDATE_NOTIFIER: '1' })
  const child = spawn(isWatched ? process.execPath : words[0], isWatched ? words : args, { cwd: root, env })
  let [stdout, stderr, answer] = ['', '', '']
  child.stdout.on('data', (text) => (stdout += text))
  child.stderr.on('data', (text) => (stderr += text))
  const ended = new Promise((resolve) => child.once('close', (code, signal) => resolve(code ?? signal)))
  if (answers) {
    answer = await answerOf(answers)
    child.kill('SIGTERM')
  }
  const late = setTimeout(() => child.kill('SIGKILL'), 60_000)
  const code = await ended
  clearTimeout(late)
  const seen = isWatched ? JSON.parse(readFileSync(join(root, 'seen.json'), 'utf8')) : { variables: [] }
  rmSync(root, { recursive: true, force: true })
  const plain = (text) =>
    text
      .replace(/\nStage development \(the default\)\n[\s\S]*$/, '')
      .replaceAll(root, '<root>')
      .replace(/\d+(?:\.\d+)? ?(?:ms|s|kB)\b/g, '<some>')
      .replace(/\(node:\d+\)/g, '(node)')
      .replace(/\b\d{2}:\d{2}:\d{2}\b|"(?:time|pid)":\d+|\b\d{4}-\d{2}-\d{2}T[\d:.]+Z/g, '<time>')
      .trim()
  const names = seen.variables.filter(({ status }) => status !== 'unread').length
  return { code, stdout: plain(stdout), stderr: plain(stderr), answer: plain(answer), names }
}

async function answerOf(address) {
  for (let tries = 0; tries < 150; tries++) {
    try {
      return await (await fetch(address)).text()
    } catch {
      await new Promise((resolve) => setTimeout(resolve, 200))
    }
  }
  return 'no answer'
}
