// Published applications, started before and after `mappa lift --apply`, in each stage, without one, with a host's usual variables and
// with each variable set: what they listen to, connect to, sign with, answer, print and exit with must be the same.
import { execFileSync, spawn } from 'node:child_process'
import { existsSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { dirname, join } from 'node:path'
import { top } from '../prepare.mjs'
import { environment } from '../stage.mjs'
import { installed, rowsBy, run, staged, starts } from './starters.mjs'

const recorder = join(top, 'scripts/field/recorder.cjs')
/** How long each start is watched. Milliseconds. */
const watched = 5000

export function tryLifted() {
  return rowsBy(tryLift)
}

async function tryLift(wanted, at) {
  const [name, version] = wanted.split('@')
  const from = installed(name, wanted)
  const [before, after] = [staged(from, at, false), staged(from, at, false)]
  for (const { root } of [before, after]) {
    // What the application reads without a layer file is compared.
    rmSync(join(root, '.env'))
    writeFileSync(join(root, '.gitignore'), 'node_modules\nnotes.jsonl\n')
    execFileSync('git', ['init', '-q'], { cwd: root })
  }
  const { candidates } = JSON.parse((await run(after, ['lift', '--json'])).stdout)
  const said = await run(after, ['lift', '--apply', '--uncommitted'])
  const row = { name, version, moved: Number(/Moved (\d+)/.exec(said.stdout)?.[1] ?? 0), lives: 0, differs: [] }
  if (said.code !== 0) row.differs.push(`lift exits with ${said.code}: ${(said.stdout + said.stderr).slice(-400)}`)
  // Where nothing moves, nothing can differ.
  const open = row.moved === 0 ? [] : starts(before)
  const scripts = (project) => JSON.parse(readFileSync(join(project.root, 'package.json'), 'utf8')).scripts
  const both = async (script, env, time) => [
    await started(before, scripts(before)[script], env, time),
    await started(after, scripts(after)[script], env, time),
  ]
  for (const [script] of open)
    for (const [what, env] of Object.entries(environments(candidates))) {
      let [was, is] = await both(script, env, watched)
      // On a busy machine a start may take longer, and what it does last may be missed.
      if (JSON.stringify(was) !== JSON.stringify(is)) [was, is] = await both(script, env, 3 * watched)
      if (was.notes.length > 0 || was.output.length > 0) row.lives++
      for (const part of Object.keys(was)) {
        const [one, other] = [was[part], is[part]].map((each) => [each].flat().map(String))
        const [gone, come] = [one.filter((line) => !other.includes(line)), other.filter((line) => !one.includes(line))]
        if (gone.length + come.length > 0)
          row.differs.push(`${script}, ${what}: ${part} was ${gone.join(' | ')}, is ${come.join(' | ')}`.slice(0, 600))
      }
    }
  for (const { root } of [before, after]) rmSync(root, { recursive: true, force: true })
  return row
}

/** What starts set: stages, what hosts set by themselves, and a well-formed text for each variable. */
function environments(candidates) {
  const texts = { port: '43117', integer: '7', number: '0.5', boolean: 'true' }
  // The name of a literal is new: nothing read it before.
  const read = candidates.filter(({ kind }) => kind === 'variable')
  const all = read.map(({ name, type }) => [name, texts[type] ?? `http://127.0.0.1:9/${name}`])
  return {
    'no stage': {},
    development: { NODE_ENV: 'development' },
    test: { NODE_ENV: 'test' },
    staging: { NODE_ENV: 'staging' },
    production: { NODE_ENV: 'production' },
    'a host': { NODE_ENV: 'production', PORT: '43119', HOST: '127.0.0.1', CI: 'true', HOSTNAME: 'hives' },
    'all set': Object.fromEntries(all),
  }
}

/** What a program did until it ended or was ended, in a network of its own. */
async function started({ root }, command, env, time) {
  const notes = join(root, 'notes.jsonl')
  rmSync(notes, { force: true })
  const PATH = `${join(root, 'node_modules/.bin')}:${dirname(process.execPath)}:${process.env.PATH}`
  const own = { PATH, NO_COLOR: '1', RECORDER_NOTES: notes, NODE_OPTIONS: `--require ${recorder}`, ...env }
  const words = ['-n', 'sh', '-c', `ip link set lo up; exec timeout -s KILL ${time / 1000} sh -c "$0"`, command]
  const child = spawn('unshare', words, { cwd: root, env: environment(own), stdio: ['pipe', 'pipe', 'pipe'] })
  let output = ''
  for (const stream of [child.stdout, child.stderr]) stream.on('data', (text) => (output += text))
  const code = await new Promise((resolve) => child.once('close', resolve))
  const seen = existsSync(notes) ? readFileSync(notes, 'utf8').trim().split('\n') : []
  return { code, notes: [...new Set(seen)].sort(), output: plain(output, root) }
}

/** Output without what differs from run to run: places in files, times, numbers of processes, and the order of lines. */
function plain(output, root) {
  const lines = output
    .replaceAll(root, '')
    .replace(/\u001b\[[\d;]*m/g, '')
    .replace(/\d{4}-\d\d-\d\d[T ]\d\d:\d\d:\d\d(?:\.\d+)?Z?|\b\d\d?:\d\d:\d\d(?:\.\d+)?(?: [AP]M)?/g, '(time)')
    .replace(/\b\d+(?:\.\d+)? ?m?s\b/g, '(time)')
    .replace(/"(?:remotePort|responseTime)":[\d.]+|\(node:\d+\)|\bpid[": ]+\d+|"time":\d+/g, '')
    .replace(/[0-9a-f]{8}-[0-9a-f]{4}-[0-9a-f-]{22}|\b[0-9a-f]{24,}\b/g, '(random)')
    .split('\n')
  return [...new Set(lines.filter((line) => !/^\s+at |^\s*\^+\s*$|^(?:file:\/\/)?\/\S+:\d+$/.test(line)))].sort()
}
