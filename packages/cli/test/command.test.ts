import assert from 'node:assert/strict'
import { existsSync, readdirSync, readFileSync, statSync, symlinkSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import test from 'node:test'
import { type Ended, hasEnded, mappa, project, token } from '../../../test/helpers.js'

const legend = `import { legend } from 'mappa/legend'
import { ports } from './ports.js'
export default legend({
  COLLECTOR_PORT: { type: 'port', default: ports.collector, as: 'collector.port' },
  LOG_LEVEL: { type: 'string', enum: ['debug', 'info'] satisfies string[] },
  ALERT_TOKEN: { type: 'string', secret: true, minLength: 24, obtain: 'https://wiki.fennelhill.example/alerts' },
}, { stages: ['harvest'] })
`
const files = {
  'mappa.legend.ts': legend,
  'ports.ts': 'export const ports: { collector: number } = { collector: 4100 }',
  '.env': 'LOG_LEVEL=info\n',
  '.env.local': `ALERT_TOKEN=${token}\n`,
  '.env.staging': 'LOG_LEVEL=debug\nCOLLECTOR_PORT=4200\n',
  'run/ALERT_TOKEN': token,
  'sub/app.js':
    'console.log([process.env.COLLECTOR_PORT, process.env.LOG_LEVEL, process.env.ALERT_TOKEN, process.env.MAPPA_STAGE].join())',
}

const mounted = `import { legend } from 'mappa/legend'
export default legend({
  ALERT_TOKEN: { type: 'string', secret: true, file: true },
  LOG_LEVEL: { type: 'string', default: 'info', stages: { staging: { default: 'debug' } } },
}, { directories: ['run'] })
`

/** A command line that is run, its exit code, and what it prints: `out` on standard output, `err` on standard error. */
interface Row {
  readonly run: string
  readonly code?: number
  readonly out?: string | RegExp
  readonly err?: string | RegExp
  readonly files?: Record<string, string>
  readonly env?: Record<string, string>
}

const rows: readonly Row[] = [
  {
    run: 'check --stage staging',
    out: `Stage staging (from --stage)

3 variables are valid, from
    2  .env.staging
    1  .env.local

No faults, no notices.
`,
  },
  {
    run: 'check',
    env: { LOG_LEVEL: 'loud' },
    code: 1,
    out: /^Fault: LOG_LEVEL must be one of debug, info, but is "loud" in the process environment\.\n {2}→ Set: LOG_LEVEL=debug$/m,
  },
  {
    run: 'check --stage harvest --json',
    out: /^\{\n {2}"version": 2,\n {2}"ok": true,\n {2}"stage": \{\n {4}"name": "harvest",\n {4}"from": "--stage"/,
  },
  {
    run: 'check --stage stagin',
    code: 2,
    out: /The stage must be one of development, test, staging, production, harvest, but is "stagin"\.\n {2}→ Write: staging/,
  },
  {
    run: 'check',
    files: { 'mappa.legend.ts': 'export default {' },
    code: 1,
    out: /mappa\.legend\.ts does not compile: .*\n {4}mappa\.legend\.ts:1:17\n {4}export default \{\n/,
  },
  {
    run: 'check',
    files: { 'mappa.legend.ts': "throw new Error('no bees')" },
    code: 1,
    out: /cannot be loaded: Error: no bees/,
    err: '',
  },
  { run: 'check --debug', files: { 'mappa.legend.ts': "throw new Error('no bees')" }, code: 1, err: /\n {4}at / },
  {
    run: 'check',
    files: { 'mappa.legend.ts': "import 'honey'\nexport default 1" },
    code: 1,
    out: /does not compile: Could not resolve "honey"/,
  },
  { run: 'check --root sub', code: 1, out: /No legend in .*sub, so values cannot be checked/ },
  {
    run: 'guide --root sub',
    code: 1,
    out: '',
    err: /^Fault: No legend in .*sub\.\n {2}→ \S+mappa\.legend\.ts is above it\.\n {2}→ Run: mappa check --root \S+\n\n[\s\S]*Nothing was written\.\n$/,
  },
  {
    run: 'types',
    files: {
      'mappa.legend.ts':
        "import { legend } from 'mappa/legend'\nexport default legend({ A: { type: 'strin' as 'string' } })",
    },
    code: 1,
    out: '',
    err: /^Fault: The type of A must be one of [\s\S]*Nothing was written\.\n$/,
  },
  { run: 'sample --stage x', code: 2, err: /Unknown option --stage/ },
  { run: 'guide --stage x', code: 2, err: /^The stage must be one of development, .*harvest, but is "x"\.\n {2}→/ },
  { run: 'guide LOG_LEVL', code: 2, err: /^LOG_LEVL is not in the legend\. Did you mean LOG_LEVEL\?\n$/ },
  { run: 'guide ALERT_*', out: /ALERT_TOKEN/ },
  { run: 'trace LOG_LEVEL staging', code: 2, err: /Name a stage with --stage\./ },
  { run: 'check staging', out: /^Stage staging \(from the command line\)\n\n3 variables/ },
  { run: 'check', env: { MAPPA_STAGE: 'x' }, code: 2, out: /^Fault: MAPPA_STAGE must name one of /m },
  {
    run: 'check --root gone',
    code: 2,
    err: /^The root must be a directory, but .* does not exist\. Correct --root\.\n$/,
  },
  {
    run: 'check --set COLLECTOR_PORT=5000 --set LOG_LEVEL=debug',
    out: / 2 {2}the command line\n {4}1 {2}\.env\.local\n/,
  },
  {
    run: `check --set ALERT_TOKEN=${token}`,
    code: 1,
    out: /ALERT_TOKEN is secret, but other processes can read the command line/,
  },
  { run: `check --set ${token}`, code: 2, err: '--set takes NAME=value, for example --set LOG_LEVEL=debug.\n' },
  {
    run: 'trace LOG_LEVEL --stage staging',
    out: `Stage staging (from --stage)

LOG_LEVEL is debug (one of debug, info).

  → .env.staging:1:11  debug
    .env:1:11          info   overridden by .env.staging

Read in sub/app.js:1.
`,
  },
  { run: 'trace ALERT_TOKEN', out: /→ \.env\.local:1:13 {2}\(secret\)/ },
  { run: 'trace COLLECTOR_PORT', out: /→ default in the legend {2}4100/ },
  {
    run: 'trace COLECTOR_PORT',
    code: 2,
    err: /^COLECTOR_PORT is not in the legend\. Did you mean COLLECTOR_PORT\?\n$/,
  },
  {
    run: 'trace LOG_LEVEL',
    files: { '.env.local': `ALERT_TOKEN=${token}\nLOG_LEVEL=` },
    code: 1,
    out: /is empty, so it clears.*\n.*cleared by an empty value above\n\nRead in .*\n\nFault: LOG_LEVEL is required .* \.env\.local clears it/,
  },
  { run: 'trace LOG_LEVEL --json --stage staging', out: /"value": "debug",\n {6}"steps": \[\n/ },
  {
    run: 'trace ALERT_TOKEN --stage staging',
    files: { 'mappa.legend.ts': mounted, '.env': '', 'mounted/token': token },
    env: { ALERT_TOKEN_FILE: 'mounted/token' },
    out: /^ {2}→ mounted\/token \(ALERT_TOKEN_FILE in the process environment\) {2}\(secret\)\n {4}.*\n {4}run\/ALERT_TOKEN .* overridden by ALERT_TOKEN_FILE/m,
  },
  {
    run: 'trace LOG_LEVEL --stage staging',
    files: { 'mappa.legend.ts': mounted, '.env.staging': '', '.env': '' },
    out: /→ default in the legend for staging {2}debug\n {4}default in the legend .* overridden by the default for staging\n/,
  },
  {
    run: 'with production -- node sub/app.js',
    env: { MAPPA_SET: 'x', MAPPA_STAGE: 'staging' },
    code: 1,
    err: /runs inside stage staging/,
  },
  { run: 'with --watch --grace soon -- node', code: 2, err: /--grace takes seconds/ },
  { run: 'with --watch -- no-such-command', code: 2, err: /^Command not found: "no-such-command"/ },
  { run: 'trace', code: 2, err: /Missing argument <name>/ },
  { run: 'with -- node sub/app.js', out: `4100,info,${token},development\n`, err: '' },
  { run: 'with staging -- node sub/app.js', out: `4200,debug,${token},staging\n`, err: '' },
  { run: 'with --stage staging --set COLLECTOR_PORT=4999 -- node sub/app.js', out: `4999,debug,${token},staging\n` },
  {
    run: 'with staging -- node sub/app.js',
    files: { '.env.staging': `LOG_LEVEL=debug\nNOTE=${'x'.repeat(140_000)}\n` },
    code: process.platform === 'linux' ? 1 : 0,
    err:
      process.platform === 'linux'
        ? /^Fault: NOTE has 140000 bytes, but this system passes at most 131066 to a program\.\n {4}\.env\.staging:2:6$/m
        : '',
  },
  { run: 'with -- node -e process.exit(7)', code: 7, out: '', err: '' },
  {
    run: 'with staging -- node sub/app.js',
    files: { '.env.staging': 'LOG_LEVEL=off' },
    code: 1,
    out: '',
    err: /LOG_LEVEL must be[\s\S]*1 fault, no notices\. Nothing was started\.\n$/,
  },
  {
    run: 'with -- no-such-command',
    code: 2,
    err: 'Command not found: "no-such-command" is neither a file nor in PATH.\n',
  },
  { run: 'with -- ./sub/app.js', code: 2, err: /^Cannot run .*: this user may not execute it/ },
  { run: 'with staging', code: 2, err: /Write the command after --/ },
  { run: 'with staging --stage test -- node', code: 2, err: /Two stages are named/ },
  { run: 'check -- node', code: 2, err: /Only mappa with and mappa witness run a command after --/ },
  { run: 'with staging node sub/app.js', code: 2, err: /^Write the command after --, for example: / },
  { run: 'with --grace 3 -- node', code: 2, err: /--grace is for with --watch/ },
  { run: 'help', out: /^Usage: mappa / },
  { run: 'help check', out: /^Usage: mappa check / },
  { run: 'compare staging staging', code: 2, err: /takes different stages/ },
  { run: 'check --set LOG_LEVEL=info --set oops', code: 2, err: /Number 2 does not\.\n$/ },
  { run: 'check --set LOG_LEVEL=info --set LOG_LEVEL=debug', code: 2, err: /^--set sets LOG_LEVEL twice/ },
  {
    run: 'check --every-stage --root sub',
    code: 1,
    out: /^Stage development [^\n]*\n\nFault: No legend in [\s\S]*1 fault, no notices\./,
  },
  {
    run: 'check',
    files: {
      'mappa.legend.ts':
        "import { legend } from 'mappa/legend'\nexport default legend({\n  A: { type: 'strin' as 'string', secret: true },\n})\n",
    },
    code: 1,
    out: /^Fault: The type of A must be one of [^.]*, but is "strin"\.\n {4}mappa\.legend\.ts:3:8\n {2}→ Write: type: 'string'$/m,
  },
  { run: '--version', out: /^\d+\.\d+\.\d+\n$/ },
  { run: 'trace a/b', code: 2, err: /trace takes variable names/ },
  { run: 'with harvst -- node', code: 2, err: /^Stage harvst \(from the command line\)/ },
  {
    run: 'check',
    files: { 'mappa.legend.ts': '', 'mappa.legend.js': "module.exports = require('mappa/legend').legend({})" },
    code: 1,
    out: /mappa\.legend\.ts must export a legend/,
  },
  { run: 'chek', code: 2, err: /Unknown command chek\. Did you mean check/ },
  { run: 'check --stag x', code: 2, err: /Unknown option --stag\./ },
  { run: 'check more', code: 2, out: /but is "more"/ },
  { run: 'types more', code: 2, err: /Too many arguments/ },
  { run: '--help', out: /\nStart:\n {2}init .*\n[\s\S]*\nCheck:\n {2}check .*report every fault/ },
  { run: 'help nonsense', code: 2, err: /^Unknown command nonsense\.[^\n]*\n$/ },
  { run: 'help chek', code: 2, err: /^Unknown command chek\. Did you mean check\?\n$/ },
  { run: 'with --help', out: /Example:\n {2}mappa with staging -- node server\.js/ },
]

test('each command line prints what it should, exits as it should, and shows no secret and no stack', async () => {
  const ran: Ended[] = await Promise.all(
    rows.map((row) =>
      mappa(row.run.split(' '), { cwd: project({ ...files, ...row.files }), ...(row.env && { env: row.env }) }),
    ),
  )
  for (const [at, { run, code = 0, out, err }] of rows.entries()) {
    const { stdout, stderr, ...ended } = ran[at] as Ended
    assert.equal(ended.code, code, `${run}\n${stdout}${stderr}`)
    for (const [expected, found] of [
      [out, stdout],
      [err, stderr],
    ] as const) {
      if (typeof expected === 'string') assert.equal(found, expected, run)
      else if (expected) assert.match(found, expected, run)
    }
    if (!run.startsWith('with')) assert.ok(!(stdout + stderr).includes(token), run)
    if (!run.includes('--debug')) assert.doesNotMatch(stdout + stderr, /\n {4}at /, run)
  }
})

test('nothing that comes from outside is obeyed by the terminal', async () => {
  const red = '\u001b[31m\u0007'
  const root = project({
    ...files,
    [`${red}/.env`]: `LOG_LEVEL=x${red}\nB${red}=1\n`,
    [`${red}/mappa.legend.ts`]: mounted,
    [`${red}${red}.env`]: '',
    'hostile/mappa.legend.mjs': `import { legend } from 'mappa/legend'\nexport default legend({ A: { type: 'string', enum: ['${red}'], description: '${red}', obtain: '${red}' } })`,
    'hostile/package.json': JSON.stringify({ name: red }),
    'hostile/.env.example': `# ${red}\n`,
    'host.json': JSON.stringify({ [red]: 1 }),
  })
  symlinkSync(join(root, '.env'), join(root, red, '.env.local'))
  const at = join(root, red)
  const ran = await Promise.all([
    mappa(['check', '--root', at], { cwd: root }),
    mappa(['check', '--root', `${at}x`], { cwd: root }),
    mappa(['check', '--root', at], { cwd: root, env: { MAPPA_STAGE: red, ALERT_TOKEN_FILE: `gone${red}` } }),
    mappa(['trace', 'LOG_LEVEL', '--root', at], { cwd: root }),
    mappa(['trace', 'ALERT_TOKEN'], { cwd: at, env: { ALERT_TOKEN_FILE: `../${red}/.env` } }),
    mappa(['with', '--root', at, '--stage', red, '--', `no${red}`], { cwd: root }),
    mappa(['with', '--stage', 'test', '--', `no${red}`], { cwd: root }),
    mappa(['sample'], { cwd: join(root, 'hostile') }),
    mappa(['guide'], { cwd: join(root, 'hostile') }),
    mappa(['compare', 'test', '--host', red, '--root', 'hostile'], { cwd: root }),
    mappa(['compare', 'test', '--host', 'host.json', '--root', 'hostile'], { cwd: root }),
  ])
  for (const [index, { stdout, stderr, code }] of ran.entries()) {
    assert.doesNotMatch(stdout + stderr, /[\u0000-\u0009\u000b-\u001f\u007f-\u009f]/, String(index))
    assert.ok(stdout + stderr !== '' && code !== null)
  }
})

test('it runs from any folder of the project, and without a legend', async () => {
  const root = project(files)
  const below = await mappa(['with', '--', 'node', 'app.js'], { cwd: join(root, 'sub') })
  assert.equal(below.stdout, `4100,info,${token},development\n`)
  const bare = project({ '.env': "A='two words'\nB=${C}", 'x.js': '' })
  const failed = await mappa(['with', '--', 'node', 'x.js'], { cwd: bare })
  assert.deepEqual([failed.code, failed.stdout], [1, ''])
  writeFileSync(join(bare, '.env'), "A='two words'\nB=${A}!\nPATH=/nowhere\n")
  const ran = await mappa(['with', '--', 'node', '-p', 'process.env.B'], { cwd: bare })
  assert.deepEqual([ran.code, ran.stdout, ran.stderr], [0, 'two words!\n', ''])
  assert.match(
    (await mappa(['trace', 'A'], { cwd: bare })).stdout,
    /A is \(secret\)\.\n\n {2}→ \.env:1:3 {2}\(secret\)/,
  )
})

test('no command works in a folder that does not exist, by the option or by the variable', async () => {
  const words: Readonly<Record<string, string>> = {
    with: '-- true',
    witness: '-- true',
    add: 'A',
    remove: 'A',
    trace: 'A',
    rename: 'A B',
    stamp: 'page.html',
    compare: 'staging production',
    emit: '--as json',
  }
  const cwd = project({ 'page.html': '', file: '' })
  const { stdout } = await mappa(['--help'], { cwd })
  const names = [...stdout.matchAll(/^ {2}([a-z-]+) (?: +|\[options\])/gm)].flatMap(([, name = '']) =>
    name === 'mappa' ? [] : name,
  )
  assert.ok(names.length > 15, stdout)
  for (const name of names) {
    if (!(await mappa([name, '--help'], { cwd })).stdout.includes('--root')) continue
    const [given = '', behind] = (words[name] ?? '').split('-- ')
    const line = (...options: string[]) =>
      [name, ...given.split(' '), ...options, ...(behind ? ['--', behind] : [])].filter((word) => word !== '')
    for (const [root, what] of [
      ['gone', 'does not exist'],
      ['file', 'is a file'],
    ] as const) {
      const named = await mappa(line('--root', root), { cwd })
      assert.deepEqual([named.code, named.stdout], [2, ''], name)
      assert.match(
        named.stderr,
        new RegExp(`^The root must be a directory, but .* ${what}\\. Correct --root\\.\n$`),
        name,
      )
      const set = await mappa(line(), { cwd, env: { MAPPA_ROOT: root } })
      assert.match(
        set.stderr,
        new RegExp(`^The root must be a directory, but .* ${what}\\. Correct MAPPA_ROOT\\.\n$`),
        name,
      )
    }
  }
})

test('a TypeScript legend is compiled once, and again when it or what it imports changes', async () => {
  const root = project(files)
  const cache = join(root, 'node_modules/.cache/mappa')
  const compiled = () =>
    readdirSync(cache)
      .filter((name) => name.endsWith('.mjs'))
      .map((name) => statSync(join(cache, name)).mtimeMs)
  const port = async () => (await mappa(['trace', 'COLLECTOR_PORT', '--json'], { cwd: root })).stdout
  assert.match(await port(), /"value": "4100"/)
  const [first] = compiled()
  assert.match(await port(), /"value": "4100"/)
  assert.deepEqual(compiled(), [first])
  writeFileSync(join(root, 'ports.ts'), readFileSync(join(root, 'ports.ts'), 'utf8').replace('4100', '4111'))
  assert.match(await port(), /"value": "4111"/)
  assert.notDeepEqual(compiled(), [first])
  assert.ok(!existsSync(join(root, 'dist')))
})

test('with --watch starts its child again on a change, keeps it while there are faults, and leaves nothing behind', {
  skip: process.platform === 'win32' && 'Windows has no signals',
}, async () => {
  const app = `console.log('app', process.pid, process.env.LOG_LEVEL, process.env.COLLECTOR_PORT)
    process.on('SIGTERM', () => process.env.LOG_LEVEL === 'debug' || process.exit(0)); setInterval(() => {}, 1000)`
  const root = project({ ...files, 'app.js': app })
  let said = ''
  let next: readonly [sign: RegExp, act: () => void] | undefined
  const write = (name: string, text: string) => () => writeFileSync(join(root, name), text)
  const steps: (readonly [sign: RegExp, act: (kill: (signal: NodeJS.Signals) => void) => void])[] = [
    [/app \d+ info 4100\n/, write('.env.local', `LOG_LEVEL=loud\nALERT_TOKEN=${token}`)],
    [
      /is "loud"[\s\S]*1 fault, no notices\. The old sh keeps running\.\n/,
      write('.env.local', `LOG_LEVEL=info\nALERT_TOKEN=${token}`),
    ],
    [
      /No faults now, and no value has changed: sh keeps running\.\n/,
      write('.env.local', `LOG_LEVEL=debug\nALERT_TOKEN=${token}`),
    ],
    [
      /LOG_LEVEL is now debug \(\.env\.local:1:11\)\nRestarting sh\.\n[\s\S]*app \d+ debug 4100\n/,
      write('ports.ts', 'export const ports = { collector: 4111 }'),
    ],
    [/COLLECTOR_PORT is now 4111 \(default in the legend\)\n[\s\S]*app \d+ debug 4111\n/, (kill) => kill('SIGTERM')],
  ]
  const { code } = await mappa(['with', '--watch', '--grace', '0.3', '--', 'sh', '-c', 'node app.js & wait'], {
    cwd: root,
    onOutput: (text, kill) => {
      said = text
      next = steps[0] && [steps[0][0], () => steps.shift()?.[1](kill)]
      if (next?.[0].test(said)) next[1]()
    },
  })
  assert.deepEqual(steps, [], said)
  assert.equal(code, 128 + 15)
  const pids = [...said.matchAll(/app (\d+)/g)].map(([, pid]) => Number(pid))
  assert.equal(pids.length, 3, 'one child a change')
  for (const pid of pids) assert.ok(hasEnded(pid), `${pid} still runs`)
})

test('signals reach the child once, and how it ends is how mappa ends', {
  skip: process.platform === 'win32' && 'Windows has no signals',
}, async () => {
  const child =
    "process.on('SIGTERM', () => { console.log('got it'); process.exit(9) }); console.log('ready'); setInterval(() => {}, 1000)"
  const root = project({ ...files, 'child.js': child, 'plain.js': "console.log('ready'); setInterval(() => {}, 1000)" })
  const run = (script: string, signal: NodeJS.Signals) => {
    let sent = false
    return mappa(['with', '--', 'node', script], {
      cwd: root,
      onOutput: (_, kill) => {
        if (!sent) kill(signal)
        sent = true
      },
    })
  }
  const [handled, killed] = await Promise.all([run('child.js', 'SIGTERM'), run('plain.js', 'SIGINT')])
  assert.deepEqual([handled.stdout, handled.code], ['ready\ngot it\n', 9])
  assert.deepEqual([killed.code, killed.signal], [null, 'SIGINT'])
})

test('anyone who meets it first is told in a few lines what is there, and one thing to type next', async () => {
  const shapes: readonly [files: Record<string, string>, next: RegExp][] = [
    [{}, /Run: mappa init$/m],
    [{ 'app.js': 'fetch(process.env.FEED_URL)' }, /→ Run: mappa lift$/m],
    [{ '.env': 'HIVES=1\nYARD=b\n' }, /Run: mappa init$/m],
    [
      { 'package.json': '{"name":"x"}', 'a/package.json': '{"name":"a"}', 'a/src/mappa.legend.ts': '' },
      /There is one in a\.\n {2}→ Run: mappa check --root a$/m,
    ],
    [{ ...files, 'ports.ts': files['ports.ts'] }, /declares 3 variables; stages .*\n {2}→ Run: mappa check$/m],
  ]
  for (const [own, next] of shapes) {
    const root = project(own)
    const alone = await mappa([], { cwd: root })
    assert.match(alone.stdout, next)
    assert.ok(alone.stdout.split('\n').length <= 8, alone.stdout)
    if ('mappa.legend.ts' in own) continue
    const checked = await mappa(['check'], { cwd: root })
    // At the top of a monorepo each package is checked.
    if ('a/src/mappa.legend.ts' in own) assert.match(checked.stdout, /^a\n\nStage development/)
    else
      assert.match(
        checked.stdout.replace(/\s+/g, ' '),
        new RegExp(next.source.replaceAll('\\n {2}', ' ').replace(/\$$/, '')),
      )
    assert.ok(checked.stdout.split('\n').length <= 9, checked.stdout)
    assert.ok((await mappa(['lift'], { cwd: root })).stdout.split('\n').length <= 10)
  }
})
