// Completion: what is answered, and what real shells make of it when a key is pressed.
import assert from 'node:assert/strict'
import { spawn, spawnSync } from 'node:child_process'
import { existsSync, mkdirSync, symlinkSync } from 'node:fs'
import { join } from 'node:path'
import test from 'node:test'
import { environment, hangMax, mappa, project, top } from '../../../test/helpers.js'

const files = {
  // It must not run because a key is pressed.
  'mappa.legend.ts': `import { legend } from 'mappa/legend'
import { writeFileSync } from 'node:fs'
writeFileSync(new URL('ran', import.meta.url), '')
export default legend({
  COLLECTOR_PORT: { type: 'port', description: 'TCP port\\tthe collector' },
  'ALERT_TOKEN': { type: 'string', secret: true },
  'COLL$(touch ran)': { type: 'string' }, 'ALERT_T;touch ran;': { type: 'string' },
}, { stages: ['harvest', 'harv$(touch ran)', 'har;touch ran'] })
`,
  // Names that would run something, were they offered as they are.
  '.env.har;touch ran': '',
  '.env.$(touch ran)': 'A=1\n',
  '.env.staging': 'ALERT_LEVEL=1\n',
  '.env.meadow': '',
  'sub/mappa.legend.json': '{ "properties": { "FEED_URL": { "description": "Feed" } }, "x-mappa-stages": ["winter"] }',
}
const stages = ['development', 'test', 'staging', 'production']

/** What is typed, the last word unfinished, and what may stand there. */
const rows: readonly (readonly [typed: readonly string[], words: readonly string[] | 'files' | 'folders'])[] = [
  [['com'], ['compare', 'completion']],
  [
    ['trace', ''],
    ['ALERT_LEVEL', 'COLLECTOR_PORT', 'ALERT_TOKEN'],
  ],
  [['trace', 'ALERT_TOKEN', 'ALERT'], ['ALERT_LEVEL']],
  [['trace', '--stage', 'st'], ['staging']],
  [['trace', '--stage=st'], ['--stage=staging']],
  [['trace', '--stage', '=', 'st'], ['staging']],
  [
    ['trace', '--stage', '='],
    [...stages, 'harvest', 'meadow'],
  ],
  [['check', '--root', ''], 'folders'],
  [['trace', '--root', 'sub', ''], ['FEED_URL']],
  [['compare', '--root=sub', 'w'], ['winter']],
  [['compare', 'staging', 'h'], ['harvest']],
  [['compare', '--host', 'x'], 'files'],
  [['compare', '--to'], ['--token-from']],
  [
    ['guide', '--as', ''],
    ['text', 'markdown', 'html'],
  ],
  [['with', 'm'], ['meadow']],
  [['with', 'staging', ''], []],
  [['with', 'staging', '--', 'no'], 'files'],
  [['check', '--j', 'x'], []],
  [
    ['completion', ''],
    ['bash', 'zsh', 'fish'],
  ],
  [['nothing', ''], []],
]

test('words are answered for each place on the line, and the legend is not run for it', async () => {
  const root = project(files)
  for (const [typed, words] of rows) {
    const { stdout, stderr, code } = await mappa(['completion', 'bash', '--', ...typed], { cwd: root })
    const [kind, ...lines] = stdout.slice(0, -1).split('\n')
    assert.deepEqual([code, stderr], [0, ''], typed.join(' '))
    assert.deepEqual(kind === 'words' ? lines.map((line) => line.split('\t')[0]) : kind, words, typed.join(' '))
    assert.ok(lines.every((line) => line.split('\t').length === 2))
  }
  assert.ok(!existsSync(join(root, 'ran')))
})

const shells = {
  bash: [['--norc', '-i'], 'eval "$(mappa completion bash)"'],
  zsh: [['-f', '-i'], 'autoload -U compinit; compinit -u; eval "$(mappa completion zsh)"'],
  fish: [['--no-config', '-i'], 'mappa completion fish | source'],
} as const

test('bash, zsh and fish complete in a terminal, and run nothing of what is typed', async () => {
  for (const [shell, [args, setUp]] of Object.entries(shells)) {
    const isThere = spawnSync('sh', ['-c', `command -v ${shell}`]).status === 0
    assert.ok(isThere || process.env.CI !== 'true', `${shell} is not installed`)
    if (!isThere) continue
    const root = project(files)
    mkdirSync(join(root, 'bin'))
    symlinkSync(join(top, 'packages/cli/bin/mappa.js'), join(root, 'bin/mappa'))
    const env = environment({ TERM: 'xterm', HOME: root, PATH: `${join(root, 'bin')}:${process.env.PATH}` })
    const terminal = spawn('script', ['-qec', [shell, ...args].join(' '), '/dev/null'], { cwd: root, env })
    let said = ''
    const clear = '\u0015'
    // What is waited for, and what is typed then.
    const steps: (readonly [sign: RegExp, keys: string])[] = [
      [/./, `${setUp}; echo rea''dy\r`],
      [/ready/, 'mappa trace COLL\t'],
      [/trace COLLECTOR_PORT/, 'mappa check --stage har\t'],
      [/--stage harvest/, 'mappa trace $(touch ran) ALERT_T\t'],
      [/ALERT_TOKEN/, 'exit\r'],
    ]
    let last = ''
    // What is typed before a shell listens is lost, so it is typed again until it shows.
    const type = () => terminal.stdin.write(clear + last)
    const again = setInterval(type, 5000)
    terminal.stdout.on('data', (data) => {
      // Shells colour what is typed as they go.
      said += String(data).replace(/\u001b[[\]()>=?][0-9;?]*[a-zA-Z]?/g, '')
      if (!steps[0]?.[0].test(said)) return
      last = (steps.shift() as (typeof steps)[0])[1]
      said = ''
      again.refresh()
      setTimeout(type, 100)
    })
    const hangs = setTimeout(() => terminal.kill(), hangMax)
    await new Promise((resolve) => terminal.once('close', resolve))
    clearTimeout(hangs)
    clearInterval(again)
    assert.deepEqual(steps, [], `${shell}: ${said}`)
    assert.ok(!existsSync(join(root, 'ran')), shell)
  }
})
