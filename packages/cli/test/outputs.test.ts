// Every command and option on the demo data, its whole output stored beside this file, so that a change of wording shows
// in review. After one: WRITE_STORED=1 npm test -- packages/cli/test/outputs.test.ts, then read the diff.
import assert from 'node:assert/strict'
import { spawnSync } from 'node:child_process'
import { cpSync, existsSync, mkdirSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { basename, join } from 'node:path'
import test from 'node:test'
import Ajv04 from 'ajv-draft-04'
import addFormats from 'ajv-formats'
import { type Ended, environment, mappa, printedHead, project, top } from '../../../test/helpers.js'
import { documents, unlikeDocument } from './documents.js'

const folder = join(top, 'packages/cli/test/outputs')
const secrets = ['sms_test_buckwheat_clover_thyme', 'sms_test_heather_lime_bramble', 'sms_live_rape_acacia_sunflower']

/** The apiary with this machine's own secrets; development and staging share one by mistake. */
function apiary(): string {
  const root = project({
    '.env.development.local': `ALERT_TOKEN=${secrets[1]}\n`,
    '.env.staging.local': `ALERT_TOKEN=${secrets[1]}\n`,
    '.env.production.local': `ALERT_TOKEN=${secrets[2]}\n`,
    'host.json':
      '{ "ALERT_TOKEN": "x", "LOG_LEVEL": "y", "TILE_KYE": "z", "READINGS_KETP": "1", "PATH": "/", "SPARE": 1, "GONE": null }\n',
    'host.env': 'COLLECTOR_PORT=1\nKEEPER_PHONE=\n',
    'names.json': '["ALERT_TOKEN", { "name": "STORE_FILE" }, { "key": "HOST_SETTINGS_TOKEN_FILE" }]\n',
    'values.json': '{ "READINGS_KEPT": 500, "ALERT_TOKEN": "x", "LOG_LEVEL": "inof" }\n',
    'broken.json': '{ "ALERT_TOKEN"\n',
  })
  const skipped = /[\\/](?:node_modules|data|dist|test)$|\.local$/
  cpSync(join(top, 'examples/apiary'), root, { recursive: true, filter: (path) => !skipped.test(path) })
  return root
}

/** The same with slips. */
function slipped(): string {
  const root = apiary()
  const edit = (file: string, change: (text: string) => string) =>
    writeFileSync(join(root, file), change(readFileSync(join(root, file), 'utf8')))
  edit('.env.staging', (text) => text.replace('=4200', '=42oo').replace('tile_test_orchard', 'tile_live_hilltop'))
  edit('.env.production', (text) => text.replace(/^TILE_KEY.*\n/m, '').concat('READINGS KEPT=9\n'))
  edit('.env.example', (text) =>
    text.replace('TCP port', 'The port').replace('ALERT_TOKEN=', `ALERT_TOKEN=${secrets[2]}`),
  )
  edit('collector/src/log.ts', (text) => `${text}export const least = process.env.LOGLEVEL\n`)
  return root
}

/** The same as it was committed, and with what has been done since. */
function changed(): string {
  const root = apiary()
  const git = (...args: string[]) =>
    spawnSync('git', ['-c', 'user.name=Keeper', '-c', 'user.email=keeper@fennelhill.example', ...args], { cwd: root })
  writeFileSync(join(root, '.gitignore'), 'node_modules\n.env*.local\n')
  git('init', '-q')
  git('add', '.')
  git('commit', '-qm', 'Before')
  const edit = (file: string, change: (text: string) => string) =>
    writeFileSync(join(root, file), change(readFileSync(join(root, file), 'utf8')))
  edit('mappa.legend.ts', (text) =>
    text
      .replace('    TILE_KEY: {', "    MAP_KEY: {\n      formerly: ['TILE_KEY'],")
      .replace('minLength: 24', 'minLength: 28')
      .replace(/ {4}KEEPER_PHONE: \{[\s\S]*?\n {4}\},\n/, '')
      .replace(/.*Swarm alerts need a telephone.*\n/, '')
      .replace(
        '    STAGE_NOTE: {',
        "    SCALE_KEY: { type: 'string', secret: true, obtain: 'https://wiki.fennelhill.example/scales' },\n    STAGE_NOTE: {",
      ),
  )
  for (const stage of ['development', 'staging', 'production'])
    edit(`.env.${stage}`, (text) =>
      text.replace('TILE_KEY', 'MAP_KEY').replace('READINGS_KEPT=2000', 'READINGS_KEPT=5000'),
    )
  return root
}

const before = () => {
  const root = project({})
  cpSync(join(top, 'examples/before'), root, { recursive: true, filter: (path) => !path.endsWith('expected.json') })
  return root
}

/** Command lines by the name of what is stored; `!` in front: with slips; `<` in front: the application before lift; `@`: changed since a
 * commit. */
const lines: Readonly<Record<string, string>> = {
  'check-right': 'check --stage staging',
  check: '!check --stage staging',
  'check-code': '!check --stage development --code',
  'check-lines': '!check --every-stage --lines',
  'check-every-stage': '!check --every-stage',
  'check-json': '!check --stage staging --json',
  'check-every-stage-json': '!check --every-stage --json',
  'check-sarif': '!check --every-stage --sarif',
  trace: 'trace COLLECTOR_URL --stage staging',
  'trace-set': 'trace LOG_LEVEL --stage production --set LOG_LEVEL=debug',
  'trace-pattern': '!trace ALERT_* COLLECTOR_PORT COLECTOR_PORT Z* --stage staging',
  'trace-json': '!trace COLLECTOR_* ALERT_TOKEN --stage staging --json',
  list: 'list staging',
  'list-missing': '!list production --missing TILE_*',
  'list-json': 'list staging *_TOKEN --json',
  fill: '!fill --stage production',
  'fill-value': 'fill LOG_LEVEL=warn --stage staging',
  'fill-json': '!fill --stage production --json',
  guard: 'guard',
  'guard-json': 'guard --json',
  'rename-json': 'rename TILE_KEY MAP_TILE_KEY --json',
  rename: 'rename TILE_KEY MAP_TILE_KEY',
  'remove-read': 'remove COLLECTOR_PORT',
  undo: 'undo',
  'undo-json': 'undo --json',
  add: 'add FEED_PAUSE --type duration --default 90s',
  'check-as-cloned': 'check --as-cloned',
  'check-as-cloned-json': 'check --as-cloned --json',
  init: '<init --legend js',
  'init-json': '<init --legend js --json',
  compare: 'compare',
  'compare-two': 'compare staging production',
  'compare-all': 'compare staging production --all',
  'compare-slips': '!compare staging production test',
  'compare-json': '!compare --json',
  'compare-host': 'compare production --host host.json',
  'compare-host-layer': 'compare production --host host.env',
  'compare-host-names': 'compare production --host names.json',
  'compare-host-json': 'compare production --host host.json --json',
  'compare-host-broken': 'compare production --host broken.json',
  'compare-host-gone': 'compare production --host gone.json',
  'compare-host-values': 'compare production --host values.json --values --json',
  'compare-since': '@compare --since HEAD',
  'compare-since-host': '@compare production --since HEAD --host names.json',
  'compare-since-markdown': '@compare --since HEAD --as markdown',
  'compare-since-json': '@compare staging --since HEAD --json',
  'compare-host-stage': 'compare --host host.json',
  'compare-one': 'compare staging',
  'compare-unknown': 'compare staging prodction',
  guide: 'guide',
  'guide-stage': 'guide --stage production',
  'guide-markdown': 'guide --as markdown',
  'guide-html': 'guide --as html',
  'guide-json': 'guide --json',
  'guide-form': 'guide --as pdf',
  sample: '!sample',
  'sample-verify': '!sample --verify',
  'sample-right': 'sample --verify',
  types: 'types',
  'types-verify': 'types --verify',
  emit: 'emit --as legend',
  'emit-shell': 'emit --as shell --stage staging --no-secrets',
  'emit-cluster': 'emit --as cluster --stage staging --name collector --no-secrets',
  'emit-yaml': 'emit --as yaml --stage staging --no-secrets --reach browser',
  stamp: 'stamp deploy/collector.yaml --stage staging',
  'stamp-unit': 'stamp deploy/collector.service --stage production',
  'stamp-list': 'stamp deploy/collector.yaml deploy/compose.yaml --list',
  'stamp-list-json': 'stamp deploy/collector.yaml --list --json',
  'stamp-against': 'stamp deploy/compose.yaml --stage production --against staging',
  lift: '<lift --only GATEWAY_URL,SCALE_LIMIT',
  'lift-json': '<lift --json',
  'lift-apply': '<lift --apply --uncommitted --only GATEWAY_URL,MAIL_API_KEY',
  'trace-root': 'trace LOG_LEVEL --root collector/..',
  'compare-set': 'compare staging production --set LOG_LEVEL=info --set ALERT_PATIENCE=9',
  'completion-bash': 'completion bash',
  'completion-zsh': 'completion zsh',
  'completion-fish': 'completion fish',
  'with-faults': '!with staging -- node -p 1',
  with: 'with staging -- node -p process.env.COLLECTOR_URL',
  witness: 'witness staging -- node -p process.env.COLLECTOR_URL',
  help: '--help',
  ...Object.fromEntries(
    'add check trace compare fill guard guide init list remove rename undo sample types emit stamp lift completion with'
      .split(' ')
      .map((command) => [`help-${command}`, `${command} --help`]),
  ),
}

/** The document of each shape of JSON, by what is stored. */
const shapes: Readonly<Record<string, string>> = {
  'check-json': 'report',
  'check-every-stage-json': 'reports',
  'trace-json': 'trace',
  'list-json': 'list',
  'fill-json': 'fill',
  'guard-json': 'report',
  'init-json': 'init',
  'rename-json': 'change',
  'undo-json': 'undo',
  'check-as-cloned-json': 'reports',
  'compare-json': 'compare',
  'compare-host-json': 'host',
  'compare-host-values': 'host',
  'compare-since-json': 'since',
  'stamp-list-json': 'mentions',
  'guide-json': 'guide',
  'lift-json': 'lift',
}

test('each command and option prints on the demo data what is stored, and never a secret', async () => {
  const open = Object.entries(lines)
  const wrong: string[] = []
  const roots = { '!': slipped(), '<': before(), '@': changed(), '': apiary() }
  const work = async () => {
    for (let next = open.shift(); next; next = open.shift()) {
      const [name, line] = next
      const kind = (/^[!<@]/.exec(line)?.[0] ?? '') as keyof typeof roots
      // What writes gets a copy of its own.
      const root =
        name === 'sample'
          ? slipped()
          : name === 'lift-apply'
            ? before()
            : name === 'types' || name === 'fill-value' || name.startsWith('undo')
              ? apiary()
              : roots[kind]
      if (name === 'types') rmSync(join(root, 'mappa.types.d.ts'))
      if (name.startsWith('undo')) await mappa(['fill', 'LOG_LEVEL=warn', '--stage', 'staging'], { cwd: root })
      const ended = await mappa(line.slice(kind.length).split(' '), { cwd: root })
      const told = storedForm(line.slice(kind.length), ended, root)
      for (const secret of secrets) assert.ok(!told.includes(secret), name)
      differs(name, told, wrong)
    }
  }
  await Promise.all([work(), work(), work()])
  assert.equal(wrong.length, 0, wrong.join('\n\n'))
  const stored = readdirSync(folder).filter((name) => !name.startsWith('terminal'))
  assert.deepEqual(
    stored.sort(),
    Object.keys(lines)
      .map((name) => `${name}.txt`)
      .sort(),
  )
})

function storedForm(line: string, { code, stdout, stderr }: Ended, root: string): string {
  const told = `$ mappa ${line}\n${stdout}${stderr === '' ? '' : `--- standard error\n${stderr}`}--- exit code ${code}\n`
  return told
    .replaceAll(`'${process.execPath}' '${join(top, 'packages/cli/bin/mappa.js')}'`, '<command>')
    .replaceAll(root, '<root>')
    .replaceAll(basename(root), '<root>')
    .replace(/\d{4}-\d\d-\d\d[ T]\d\d:\d\d(?::[\d.]+Z)?/g, '<time>')
    .replace(/(?<=[Ss]ince"?:? "?)[0-9a-f]{7,}/, '<commit>')
}

function differs(name: string, printed: string, wrong: string[]): void {
  const file = join(folder, `${name}.txt`)
  const told = printedHead('What a command prints') + printed
  mkdirSync(folder, { recursive: true })
  if (process.env.WRITE_STORED) writeFileSync(file, told)
  const expected = existsSync(file) ? readFileSync(file, 'utf8') : ''
  if (told !== expected) wrong.push(`${name}:\n${told}\n--- stored:\n${expected}`)
}

test('a fault is readable in terminals of 60 and 140 columns, with colour and without', {
  skip: !existsSync('/usr/bin/script') && 'script is not installed',
}, () => {
  const root = slipped()
  const wrong: string[] = []
  let wide = ''
  const command = `${process.execPath} ${join(top, 'packages/cli/bin/mappa.js')}`
  for (const [columns, colour] of [
    [60, true],
    [60, false],
    [140, true],
    [140, false],
    // Not sized by anyone, as in many a container.
    [0, false],
  ] as const) {
    const lines = [`check --stage staging`, 'compare staging production', 'trace ALERT_TOKEN TILE_KEY', 'guide']
    const { stdout } = spawnSync(
      'script',
      ['-qec', `stty cols ${columns}; ${lines.map((line) => `${command} ${line}`).join('; ')}`, '/dev/null'],
      { cwd: root, encoding: 'utf8', env: { ...environment(), NO_COLOR: colour ? '' : '1', TERM: 'xterm' } },
    )
    const told = stdout.replaceAll('\r\n', '\n')
    const plain = told.replace(/\u001b\[\d+m/g, '')
    assert.equal(told === plain, !colour)
    if (columns === 0) {
      assert.equal(told, wide)
      continue
    }
    if (columns === 140) wide = told
    const room = Math.min(columns, 100)
    // What stands alone on its line, to be taken as a whole, may be longer.
    for (const each of plain.split('\n')) assert.ok(each.length <= room || !each.trim().includes(' '), each)
    differs(`terminal-${columns}${colour ? '-colour' : ''}`, told.replaceAll('\u001b', '␛'), wrong)
  }
  assert.equal(wrong.length, 0, wrong.join('\n\n'))
})

/** Documents of what goes elsewhere than to standard output: tests beside this one hold them. */
const elsewhere = ['delivered', 'witness']

test('what is printed as JSON has the members of its document and no others', () => {
  for (const [name, shape] of Object.entries(shapes))
    assert.equal(unlikeDocument(shape, printed(name)), undefined, name)
  // What goes to a host is looked at where there is one.
  assert.deepEqual([...documents].sort(), [...new Set([...Object.values(shapes), ...elsewhere])].sort())
})

test('whatever becomes of a command, with --json it prints a report, and what a person reads goes to standard error', async () => {
  const root = apiary()
  const broken = project({
    'mappa.legend.json': '{ "properties": { "A": { "type": "strin" } } }',
    '.env': 'A=1\n',
    'a.yaml': 'a: ${A}\n',
  })
  const lines: readonly (readonly [line: string, code: number, kind: string, root?: string])[] = [
    ['nonsense', 2, 'usage'],
    ['check --nonsense', 2, 'usage'],
    ['check --stage nonsense', 2, 'unknown-stage'],
    ['trace NONSENSE', 2, 'usage'],
    ['list NONSENSE', 2, 'usage'],
    ['fill NONSENSE', 2, 'usage'],
    ['guide NONSENSE', 2, 'usage'],
    ['rename NONSENSE OTHER', 2, 'usage'],
    ['add COLLECTOR_PORT --type port', 2, 'usage'],
    ['compare staging', 2, 'usage'],
    ['compare production --host gone.json', 1, 'refused'],
    ['compare --since nonsense', 2, 'usage'],
    ['lift --only NONSENSE', 2, 'usage'],
    ['guard --since nonsense', 2, 'usage'],
    ['stamp nonsense.yaml --list', 2, 'usage'],
    ['emit --to http://hive.example --stage staging', 2, 'usage'],
    ['init --like staging', 2, 'usage'],
    ...['check', 'fill', 'guide', 'compare', 'add B --type port', 'rename A B', 'remove A'].map(
      (line) => [line, 1, 'legend', broken] as const,
    ),
  ]
  for (const [line, code, kind, at = root] of lines) {
    const ended = await mappa([...line.split(' '), '--json'], { cwd: at })
    assert.equal(ended.code, code, `${line}\n${ended.stdout}${ended.stderr}`)
    const report = JSON.parse(ended.stdout)
    assert.deepEqual([report.ok, report.faults[0]?.kind], [false, kind], line)
    // What a command is about is missing where it did not do its work, and nothing else.
    const { version, ok, stage, faults, notices } = report
    assert.equal(unlikeDocument('report', { version, ok, stage, faults, notices }), undefined, line)
  }
})

test('SARIF is what its standard says, and each place is what it marks', () => {
  // The schema of SARIF 2.1.0 as its committee publishes it.
  const schema = join(top, 'node_modules/@microsoft/jest-sarif/lib/schemas/sarif-2.1.0-rtm.5.json')
  const ajv = new Ajv04.default({ allErrors: true, strict: false, unicodeRegExp: false })
  addFormats.default(ajv)
  const root = slipped()
  // What was stored names no directory of this machine.
  const log = JSON.parse(JSON.stringify(printed('check-sarif')).replaceAll('<root>', root)) as {
    readonly runs: readonly SarifRun[]
  }
  const validate = ajv.compile(JSON.parse(readFileSync(schema, 'utf8')))
  assert.ok(validate(log), JSON.stringify(validate.errors, null, 2))
  const marked = log.runs.flatMap(({ results, originalUriBaseIds }: SarifRun) =>
    results.flatMap(({ ruleId, locations = [] }) =>
      locations.map(({ physicalLocation: { artifactLocation, region } }) => {
        const line = readFileSync(new URL(artifactLocation.uri, originalUriBaseIds.ROOT.uri), 'utf8').split('\n')[
          region.startLine - 1
        ]
        return `${ruleId} ${line?.slice(region.startColumn - 1, region.endColumn - 1)}`
      }),
    ),
  )
  assert.deepEqual(
    new Set(marked),
    new Set([
      'bad-name READINGS KEPT',
      'wrong-type 42oo',
      'wrong-form tile_live_hilltop',
      `shared-secret ${secrets[1]}`,
    ]),
  )
})

interface SarifRun {
  readonly originalUriBaseIds: { readonly ROOT: { readonly uri: string } }
  readonly results: readonly {
    readonly ruleId: string
    readonly locations?: readonly {
      readonly physicalLocation: {
        readonly artifactLocation: { readonly uri: string }
        readonly region: { readonly startLine: number; readonly startColumn: number; readonly endColumn: number }
      }
    }[]
  }[]
}

function printed(name: string) {
  return JSON.parse(/\n(\{[\s\S]*\n\})\n---/.exec(readFileSync(join(folder, `${name}.txt`), 'utf8'))?.[1] as string)
}

test("compare cuts what is longer than any screen, and takes no value for this machine's alone that it only hides", async () => {
  const root = apiary()
  writeFileSync(join(root, '.env.staging'), `STAGE_NOTE=Practice\nSTORE_FILE=${'hives/'.repeat(150_000)}\n`)
  writeFileSync(join(root, '.env.staging.local'), 'STAGE_NOTE=Mine\nLOG_LEVEL=warn\nTILE_KEY=tile_test_mine\n')
  const table = await mappa(['compare', 'staging', 'production'], { cwd: root })
  assert.match(table.stdout, /STORE_FILE +hives\/[\s\S]*…[\s\S]*KEEPER_PHONE/)
  assert.ok(table.stdout.length < 5000)
  const host = await mappa(['compare', 'staging', '--host', 'names.json', '--json'], { cwd: root })
  const { faults, elsewhere } = JSON.parse(host.stdout)
  const lacking = faults.map(({ name }: { name: string }) => name)
  assert.deepEqual(lacking, ['COLLECTOR_PORT', 'COLLECTOR_URL', 'ALLOWED_ORIGINS', 'TILE_KEY'])
  for (const name of ['STAGE_NOTE', 'LOG_LEVEL', 'READINGS_KEPT']) assert.ok(elsewhere.includes(name), name)
})
