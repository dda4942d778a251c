// `mappa with --watch`: whatever comes at whatever moment, one program runs with values that were checked, or none is left behind.
import assert from 'node:assert/strict'
import { spawn } from 'node:child_process'
import { mkdirSync, renameSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import test from 'node:test'
import { environment, hangMax, hasEnded, noTerminal, project, top, until } from '../../../test/helpers.js'

/** More moments are tried in npm run field. */
const isField = process.env.MAPPA_FIELD !== undefined
const posix = { skip: process.platform === 'win32' && 'Windows has no signals' }
const bin = join(top, 'packages/cli/bin/mappa.js')
/** It has a child of its own, and takes a while to end. */
const app = `import { spawn } from 'node:child_process'
const child = spawn(process.execPath, ['-e', 'setInterval(() => {}, 1000)'], { stdio: 'ignore' })
process.on('SIGTERM', () => setTimeout(() => process.exit(7), 60))
setInterval(() => {}, 1000)
console.log('app', process.pid, child.pid, process.env.HIVES, process.env.YARD ?? 'no yard')
`
const files = {
  'package.json': '{ "type": "module" }',
  'mappa.legend.json':
    '{ "type": "object", "properties": { "HIVES": { "type": "integer", "default": 3 }, "YARD": { "type": "string", "default": "meadow" } } }',
  '.env': 'HIVES=4\n',
  'app.js': app,
}

interface Run {
  readonly said: () => string
  readonly kill: (signal: NodeJS.Signals) => void
  readonly type: (keys: string) => void
  readonly ended: Promise<number | null>
}

function watched(root: string, { terminal = false, cwd = root } = {}): Run {
  const args = [bin, 'with', '--watch', '--grace', '2', '--', process.execPath, join(root, 'app.js')]
  const [program, words] = terminal
    ? ['script', ['-qec', `exec ${[process.execPath, ...args].map((each) => `'${each}'`).join(' ')}`, '/dev/null']]
    : [process.execPath, args]
  const child = spawn(program as string, words as string[], { cwd, env: environment(), timeout: hangMax })
  let said = ''
  for (const stream of [child.stdout, child.stderr]) stream.on('data', (data) => (said += data))
  return {
    said: () => said,
    kill: (signal) => child.kill(signal),
    type: (keys) => child.stdin.write(keys),
    ended: new Promise((resolve) => child.once('close', resolve)),
  }
}

/** Numbers of all programs that a run has started, with what they have started. */
function pidsIn(said: string): number[] {
  return [...said.matchAll(/app (\d+) (\d+)/g)].flatMap(([, one, other]) => [Number(one), Number(other)])
}

test(
  'a program that has ended is started again by a change of a file, and not by what it writes itself',
  posix,
  async () => {
    const root = project({
      ...files,
      'app.js':
        "import { renameSync, writeFileSync } from 'node:fs'\nwriteFileSync('a.log', '')\nrenameSync('a.log', 'b.log')\nconsole.log('app', process.env.HIVES)\n",
    })
    const run = watched(root)
    await until(() => run.said().includes('exited with 0'), 'its end')
    // So long a change is waited for at most.
    await new Promise((resolve) => setTimeout(resolve, 1500))
    assert.equal(run.said().split('app 4').length, 2, run.said())
    writeFileSync(join(root, '.env'), 'HIVES=4\n\n')
    await until(() => run.said().split('app 4').length === 3, 'a start')
    run.kill('SIGTERM')
    await run.ended
  },
)

test('a signal at any moment of a restart ends the program and all that it has started', posix, async () => {
  const moments = Array.from({ length: isField ? 30 : 8 }, (_, at) => at * (isField ? 12 : 50))
  const run = async (delay: number, signal: NodeJS.Signals) => {
    const root = project(files)
    const { said, kill, ended } = watched(root)
    await until(() => /app /.test(said()), 'a first start')
    writeFileSync(join(root, '.env'), 'HIVES=5\n')
    await new Promise((resolve) => setTimeout(resolve, delay))
    kill(signal)
    assert.notEqual(await ended, null, `${signal} after ${delay} ms`)
    await until(() => pidsIn(said()).every(hasEnded), `${signal} after ${delay} ms: an end of ${said()}`)
  }
  const open = moments.map((delay, at) => [delay, at % 2 === 0 ? 'SIGTERM' : 'SIGINT'] as const)
  const work = async () => {
    for (let next = open.pop(); next; next = open.pop()) await run(...next)
  }
  await Promise.all([work(), work(), work(), work(), work()])
})

test('Ctrl-C at a terminal ends it, and so does a program that leaves a child behind', {
  skip: noTerminal,
}, async () => {
  const root = project(files)
  const { said, type, ended } = watched(root, { terminal: true })
  await until(() => /app /.test(said()), 'a start')
  type('\u0003')
  await ended
  assert.ok(pidsIn(said()).every(hasEnded), said())
  // The program ends by itself; what it has started goes on until a value changes, or mappa leaves.
  const leaving = project({
    ...files,
    'app.js': app
      .replace('setInterval(() => {}, 1000)\nconsole', 'child.unref()\nconsole')
      .replace(/process\.on.*\n/, ''),
  })
  const left = watched(leaving)
  await until(() => /exited with 0/.test(left.said()), 'an end by itself')
  writeFileSync(join(leaving, '.env'), 'HIVES=5\n')
  await until(() => pidsIn(left.said()).length === 4, 'a second start')
  await until(() => pidsIn(left.said()).slice(0, 2).every(hasEnded), `an end of what the first left: ${left.said()}`)
  left.kill('SIGTERM')
  await left.ended
  await until(() => pidsIn(left.said()).every(hasEnded), 'an end of what the second left')
})

test(
  'while the legend or the folder is away, the program goes on; nothing of the folder above gets in',
  posix,
  async () => {
    const above = project({ '.env': 'HIVES=99\nYARD=wrong\n', 'package.json': '{}' })
    const root = join(above, 'inner')
    mkdirSync(root)
    for (const [name, text] of Object.entries(files)) writeFileSync(join(root, name), text)
    const { said, kill, ended } = watched(root, { cwd: root })
    await until(() => /app .* 4 meadow/.test(said()), 'a start')
    const legend = join(root, 'mappa.legend.json')
    renameSync(legend, `${legend}.away`)
    await until(
      () => /Fault: The legend mappa\.legend\.json is missing\.[\s\S]*keeps running/.test(said()),
      'the fault',
    )
    renameSync(`${legend}.away`, legend)
    await until(() => /No faults now, and no value has changed/.test(said()), 'the legend again')
    renameSync(root, `${root}.away`)
    await until(() => /Fault: The folder .*inner is missing\.[\s\S]*keeps running/.test(said()), 'the other fault')
    renameSync(`${root}.away`, root)
    await until(() => said().match(/No faults now, and no value has changed/g)?.length === 2, 'the folder again')
    writeFileSync(join(root, '.env'), 'HIVES=6\n')
    await until(() => /app .* 6 meadow/.test(said()), 'a restart')
    assert.equal(pidsIn(said()).length, 4, said())
    kill('SIGTERM')
    await ended
    assert.doesNotMatch(said(), /(?<!\d)99(?!\d)|wrong/)
  },
)
