// What is told of other machines is the same on every machine: captured environments, stages, and what a legend accepts for now.
import assert from 'node:assert/strict'
import { spawnSync } from 'node:child_process'
import { readFileSync, rmSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { test } from 'node:test'
import { mappa, project } from '../../../test/helpers.js'

const token = 'heather-and-clover-77'

const legend = `import { legend } from 'mappa/legend'
export default legend({
  ALERT_TOKEN: { type: 'string', secret: true, file: true },
  FEED: { type: 'string' },
  HIVES: { type: 'integer', default: 4 },
})
`

test('a captured environment leaves this machine out: its layers, its mounted files, and the files that variables name', async () => {
  const root = project({
    'mappa.legend.mjs': legend,
    '.env.production': 'FEED=live\n',
    '.env.local': `ALERT_TOKEN=${token}\n`,
    '.env.production.local': 'FEED=mine\n',
    'token.txt': token,
    'one.txt': 'MAPPA_STAGE=production\nHIVES=7\n',
    'two.txt': `HIVES=8\nALERT_TOKEN=${token}\nMAPPA_STAGE=production\n`,
    'file.txt': 'HIVES=8\nALERT_TOKEN_FILE=token.txt\n',
  })
  const run = async (line: string) => {
    const { code, stdout, stderr } = await mappa(line.split(' '), { cwd: root })
    assert.ok(!(stdout + stderr).includes(token), line)
    return { code, text: stdout + stderr }
  }
  // Without the capture this machine has a value; what was captured has not.
  assert.equal((await run('check production')).code, 0)
  const checked = await run('check production --environment one.txt')
  assert.equal(checked.code, 1)
  assert.match(checked.text, /ALERT_TOKEN is required/)
  assert.match(checked.text, new RegExp(`Looked for layer files in ${root}`))
  assert.match(
    (await run('list production --environment one.txt')).text,
    /ALERT_TOKEN +missing\nFEED +live +\.env\.production/,
  )
  assert.match((await run('trace ALERT_TOKEN --environment one.txt')).text, /ALERT_TOKEN has no value/)
  assert.equal((await run('check production --environment file.txt')).code, 1)
  // Machines side by side: their files are the heads, and one secret on two of them is as it should be.
  const machines = await run('compare production --environment one.txt two.txt')
  assert.match(machines.text, / +one\.txt +two\.txt\nALERT_TOKEN +missing +\(secret\)\nHIVES +7 +8\n/)
  assert.equal(machines.code, 1)
  const same = await run('compare --environment two.txt two.txt --json')
  assert.deepEqual(
    [same.code, JSON.parse(same.text).stages, JSON.parse(same.text).variables],
    [0, ['two.txt', 'two.txt'], []],
  )
  for (const wrong of ['compare --environment one.txt', 'compare staging production --environment one.txt two.txt'])
    assert.equal((await run(wrong)).code, 2, wrong)
})

test('the stages that are checked are the same on every machine', async () => {
  const files = {
    'mappa.legend.mjs': legend,
    '.env': 'FEED=all\n',
    '.env.production': '',
    '.gitignore': '.env.local\n.env.*.local\n.env.staging\n',
  }
  const stagesOf = async (more: Readonly<Record<string, string>>) => {
    const root = project({ ...files, ...more })
    rmSync(join(root, '.git'), { recursive: true })
    spawnSync('git', ['init', '-q'], { cwd: root })
    const told = []
    for (const line of ['check --as-cloned --json', 'check --every-stage --json']) {
      const { stdout } = await mappa(line.split(' '), { cwd: root })
      told.push(
        JSON.parse(stdout)
          .stages.map(({ stage }: { stage: { name: string } }) => stage.name)
          .join(' '),
      )
    }
    assert.equal(told[0], told[1])
    return told[0]
  }
  const usual = await stagesOf({})
  // What git leaves out is on this machine only.
  assert.equal(
    await stagesOf({ '.env.staging': 'FEED=x\n', '.env.preview.local': '', '.env.staging.local': '' }),
    usual,
  )
  assert.equal(await stagesOf({ '.env.development': '' }), 'development production')
  const started = {
    'package.json': '{ "scripts": { "stage": "MAPPA_STAGE=staging node a.js", "test": "NODE_ENV=test node a.js" } }',
    'a.js': '',
  }
  assert.equal(await stagesOf(started), 'staging production')
})

test('what is there of a kind is accepted for now: by variable, shown first, and taken back', async () => {
  const forms: Readonly<Record<string, string>> = {
    'mappa.legend.mjs': legend,
    'mappa.legend.json':
      '{\n  "type": "object",\n  "properties": {\n    "FEED": { "type": "string" },\n    "ALERT_TOKEN": { "type": "string", "x-mappa-secret": true }\n  }\n}\n',
    'mappa.legend.ts': legend.replace(
      /\}\)\n$/,
      "}, { accepted: [{ kind: 'unread', because: 'x', until: '2999-01-01' }] })\n",
    ),
  }
  for (const [file, text] of Object.entries(forms)) {
    const root = project({
      [file]: text,
      '.env': 'FEED=a b\nOTHER=c\nMORE=d\n',
      '.env.local': `ALERT_TOKEN=${token}\n`,
      '.gitignore': '.env.local\n',
    })
    const words = ['check', '--accept', 'undeclared', '--because', "Rosa's list", '--until', '2999-12-31']
    const shown = await mappa(words, { cwd: root })
    assert.match(
      shown.stdout,
      /Nothing was written\.\n {2}→ Run: mappa check --accept undeclared --because 'Rosa'\\''s list' --until 2999-12-31 --apply\n$/,
    )
    assert.equal(readFileSync(join(root, file), 'utf8'), text)
    const written = await mappa([...words, '--apply'], { cwd: root })
    assert.equal(written.code, 0, written.stdout + written.stderr)
    const { accepted, notices } = JSON.parse((await mappa(['check', '--json'], { cwd: root })).stdout)
    assert.deepEqual(
      accepted,
      ['OTHER', 'MORE'].map((name) => ({ kind: 'undeclared', name })),
      file,
    )
    assert.ok(!notices.some(({ kind }: { kind: string }) => kind === 'undeclared'))
    // A later one is told.
    writeFileSync(join(root, '.env'), 'FEED=a b\nOTHER=c\nMORE=d\nLATER=e\n')
    assert.match((await mappa(['check'], { cwd: root })).stdout, /LATER is not in the legend/)
    await mappa(['undo', '--apply'], { cwd: root })
    assert.equal(readFileSync(join(root, file), 'utf8'), text)
    for (const [wrong, says] of [
      [
        ['--accept', 'missing', '--because', 'x', '--until', '2999-12-31'],
        /missing until 2999-12-31 cannot be accepted/,
      ],
      [['--accept', 'undeclared', '--until', '2999-12-31'], /needs --because/],
      [['--accept', 'undeclared', '--because', 'x', '--until', 'soon'], /needs --until/],
      [['--accept', 'undeclared', '--because', 'x', '--until', '2999-02-31'], /cannot be accepted/],
    ] as const) {
      const { code, stderr } = await mappa(['check', ...wrong], { cwd: root })
      assert.deepEqual([code, says.test(stderr)], [2, true], stderr)
    }
  }
})

test('compare --since tells exceptions, sources and starts that have changed, and no command', async () => {
  const entries = "{ FEED: { type: 'string', optional: true }, PLACE_URL: { type: 'string', optional: true } }"
  const legendWith = (options: string) =>
    `import { legend } from 'mappa/legend'\nexport default legend(${entries}, ${options})\n`
  const root = project({
    'mappa.legend.mjs': legendWith(
      "{ accepted: [{ kind: 'unread', because: 'once', until: '2999-01-01' }, { kind: 'undeclared', because: 'for now', until: '2999-01-01' }] }",
    ),
    'package.json': '{ "scripts": { "start": "node a.js", "gone": "node b.js" } }\n',
    'a.js': 'process.env.OLD // mappa keep: a host sets it\n',
    'mappa.accepted.json': '[{ "path": "old/*", "because": "made up" }]\n',
  })
  rmSync(join(root, '.git'), { recursive: true })
  const git = (...args: readonly string[]) =>
    spawnSync('git', ['-c', 'user.name=Rosa', '-c', 'user.email=rosa@fennelhill.example', ...args], { cwd: root })
  git('init', '-q')
  git('add', '--', '*.mjs', '*.json', 'a.js')
  git('commit', '-qm', 'Hives')
  assert.doesNotMatch((await mappa(['compare', '--since', 'HEAD'], { cwd: root })).stdout, /Exceptions/)
  writeFileSync(
    join(root, 'mappa.legend.mjs'),
    legendWith(
      "{ accepted: [{ kind: 'undeclared', because: 'for now', until: '2999-06-30' }], remotes: [{ name: 'the store', url: 'PLACE_URL' }] }",
    ),
  )
  writeFileSync(
    join(root, 'package.json'),
    '{ "scripts": { "start": "TOKEN=heather-and-clover node a.js", "fresh": "node c.js" } }\n',
  )
  writeFileSync(join(root, 'a.js'), 'process.env.OTHER // mappa keep: a shell sets it\n')
  writeFileSync(join(root, 'mappa.accepted.json'), '[{ "path": "new/*", "because": "made up" }]\n')
  const { stdout } = await mappa(['compare', '--since', 'HEAD', '--json'], { cwd: root })
  const { beside } = JSON.parse(stdout) as { beside: { kind: string; change: string; what: string }[] }
  const expected = [
    'added exception: a.js: a shell sets it',
    'added source: the store',
    'added start: the script "fresh"',
    'changed exception: guard: made up',
    'changed exception: undeclared: for now',
    'changed start: the script "start"',
    'removed exception: a.js: a host sets it',
    'removed exception: unread: once',
    'removed start: the script "gone"',
  ]
  assert.deepEqual(beside.map(({ kind, change, what }) => `${change} ${kind}: ${what}`).sort(), expected)
  for (const form of [[], ['--as', 'markdown']]) {
    const told = (await mappa(['compare', '--since', 'HEAD', ...form], { cwd: root })).stdout
    assert.match(told, /Exceptions, sources and starts/)
    assert.equal(
      told.match(/^(?:- | {2})(?:added|changed|removed) (?:exception|source|start): /gm)?.length,
      expected.length,
    )
    assert.ok(!told.includes('heather'))
  }
})

test('a bundle of another stage is told, by check for one stage and by list for all', async () => {
  const root = project({
    'mappa.legend.mjs': `import { legend } from 'mappa/legend'
export default legend({
  FEED: { type: 'string', reach: 'browser' },
  PLACE: { type: 'string', reach: 'browser', optional: true },
  SAME: { type: 'string', reach: 'browser', default: 'everywhere' },
  HOST: { type: 'string', optional: true },
})\n`,
    '.env.staging': 'FEED=https://feed.example/staging\nPLACE=orchard\nHOST=server-staging\n',
    '.env.production': 'FEED=https://feed.example/live\nPLACE=orchard-of-all\nHOST=server-live\n',
    'staging/page.js': 'go("https://feed.example/staging", "orchard", "everywhere")',
    'live/assets/page.js': 'go("https:\\/\\/feed.example\\/live", "orchard-of-all", "everywhere", "server-staging")',
    'both.js': 'go("https://feed.example/live", "https://feed.example/staging")',
    'none/page.js': 'go()',
  })
  const kindsOf = async (line: string) => {
    const { stdout } = await mappa([...line.split(' '), '--json'], { cwd: root })
    return (JSON.parse(stdout) as { faults: { kind: string; name: string }[] }).faults.map(
      ({ kind, name }) => `${kind} ${name}`,
    )
  }
  assert.deepEqual(await kindsOf('check production --bundle staging'), ['other-stage FEED'])
  for (const right of [
    'staging --bundle staging',
    'production --bundle live',
    'production --bundle both.js',
    'staging --bundle none',
  ])
    assert.deepEqual(await kindsOf(`check ${right}`), [], right)
  assert.equal((await mappa(['check', 'production', '--bundle', 'away'], { cwd: root })).code, 2)
  const { stdout } = await mappa(['list', 'production', '--bundle', 'live'], { cwd: root })
  assert.match(
    stdout,
    /live contains:\n {2}FEED: of stage production {2}\(live\/assets\/page\.js\)\n {2}PLACE: of stage production/,
  )
  assert.match(
    (await mappa(['list', 'staging', '--bundle', 'none'], { cwd: root })).stdout,
    /none contains no value that differs by stage\./,
  )
  const { bundled } = JSON.parse(
    (await mappa(['list', 'staging', '--bundle', 'both.js', '--json'], { cwd: root })).stdout,
  )
  assert.deepEqual(
    bundled,
    ['staging', 'production'].map((stage) => ({ name: 'FEED', file: 'both.js', stages: [stage] })),
  )
})
