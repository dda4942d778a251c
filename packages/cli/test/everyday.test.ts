// Each chore of docs/everyday.md, run as the page writes it.
import assert from 'node:assert/strict'
import { spawnSync } from 'node:child_process'
import { cpSync, existsSync, mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { test } from 'node:test'
import { keys, mappa, mappaAsked, noTerminal, project, token, top } from '../../../test/helpers.js'

const { enter } = keys
const bin = join(top, 'packages/cli/bin/mappa.js')
const fresh = 'sms_test_fresh_linden_and_ivy'
const more = `    OLD_FEED_URL: { type: 'string', optional: true },
    MAIL_PASS: { type: 'string', optional: true, secret: true },
    SIGNING_KEYS: { type: 'array', items: { type: 'string', minLength: 8 }, secret: true, optional: true },
`

/** The apiary, committed, with a secret of this machine and what chores are about. */
function apiary(): string {
  const root = project({})
  cpSync(join(top, 'examples/apiary'), root, {
    recursive: true,
    filter: (path) => !/[\\/](?:node_modules|data|dist|test)$|\.local$/.test(path),
  })
  const edit = (file: string, change: (text: string) => string) =>
    writeFileSync(join(root, file), change(existsSync(join(root, file)) ? readFileSync(join(root, file), 'utf8') : ''))
  edit('mappa.legend.ts', (text) => text.replace('legend(\n  {\n', `legend(\n  {\n${more}`))
  edit('.env', (text) => `${text}MAIL_PASS=mail-pass-of-hives\n`)
  edit('.env.local', () => `ALERT_TOKEN=${token}\nSIGNING_KEYS=first-key-of-hives\n`)
  edit('.gitignore', () => '.env.local\n.env.*.local\nnode_modules\n')
  edit('values.env', () => `ALERT_TOKEN=${fresh}\nLOG_LEVEL=warn\n`)
  edit('host.json', () => '["ALERT_TOKEN", "LOG_LEVEL"]')
  edit('captured.txt', () => `LOG_LEVEL=error\nALERT_TOKEN=${fresh}\nPATH=/bin\n`)
  mkdirSync(join(root, 'collector/dist'), { recursive: true })
  edit('collector/dist/server.js', () => 'console.log(process.env.LOG_LEVEL)\n')
  rmSync(join(root, '.git'), { recursive: true })
  const git = (...args: readonly string[]) =>
    spawnSync('git', ['-c', 'user.name=Rosa', '-c', 'user.email=r@fennelhill.example', ...args], { cwd: root })
  git('init', '-q', '-b', 'main')
  git('add', 'mappa.legend.ts', 'collector', 'dashboard', '.gitignore', '.env.staging')
  git('commit', '-qm', 'a')
  return root
}

/** What the last command says, its exit code, a file's text afterwards, answers to questions, and what is done before. */
type Chore = readonly [
  ...[says?: RegExp | undefined, code?: number | undefined, file?: readonly [path: string, text: RegExp] | undefined],
  ...[asked?: readonly (readonly [question: string, keys: string])[] | undefined, before?: (root: string) => void],
]

/** What each chore comes to, by its heading. */
const chores: Readonly<Record<string, Chore>> = {
  'Start after a clone': [
    /^debug$/m,
    0,
    ['.env.development', /TILE_KEY=tile_test_brook/],
    [['TILE_KEY (skip', `tile_test_brook${enter}`]],
    (root) =>
      writeFileSync(
        join(root, '.env.development'),
        readFileSync(join(root, '.env.development'), 'utf8').replace(/^TILE_KEY.*\n/m, ''),
      ),
  ],
  'Set a value': [/./, 0, ['.env.development', /LOG_LEVEL=debug/]],
  'Set a value for one stage': [/Wrote 1 value: \.env\.staging/, 0, ['.env.staging', /^LOG_LEVEL=warn$/m]],
  'Set a value on this machine only': [/./, 0, ['.env.local', /^LOG_LEVEL=debug$/m]],
  'Take values from a file': [/Wrote 2 values/, 0, ['.env.local', new RegExp(`ALERT_TOKEN=${fresh}`)]],
  'Add a variable': [
    /./,
    0,
    ['mappa.legend.ts', /\/\*\* Between two readings \*\/\n {4}FEED_PAUSE: \{ type: 'duration', default: '90s' \},/],
  ],
  'Rename a variable': [/Wrote \d+ files/, 0, ['dashboard/src/map.ts', /MAP_TILE_KEY as TILE_KEY/]],
  'Remove a variable': [/./, 0, ['mappa.legend.ts', /^(?![\s\S]*OLD_FEED_URL)/]],
  'Undo the last command': [
    /^Took back mappa fill: \.env\.development\.$/m,
    0,
    ['.env.development', /^(?![\s\S]*LOG_LEVEL=error)/],
    undefined,
    (root) => spawnSync(process.execPath, [bin, 'fill', 'LOG_LEVEL=error'], { cwd: root }),
  ],
  'Make a variable secret': [/-MAIL_PASS=\(secret\)/, 0, ['.env.local', /^MAIL_PASS=mail-pass-of-hives$/m]],
  'Change a type': [/Wrote mappa\.types\.d\.ts|is up to date/],
  'Retire a variable': [/OLD_FEED_URL is unused/, 1],
  'Add a stage that is like another': [/\.env\.preview/, 0, ['mappa.legend.ts', /preview: \{ like: 'staging' \}/]],
  'Give a colleague what they need': [/^<!doctype html>/i, 0, ['.env.example', /MAIL_PASS=/]],
  'Replace a key': [
    /^Fault: \.env contains the value of MAIL_PASS and is not ignored by git/,
    1,
    ['.env.local', new RegExp(fresh)],
    [['ALERT_TOKEN (', `${fresh}${enter}`]],
  ],
  'Replace a key without a pause': [
    /./,
    0,
    ['.env.local', /^SIGNING_KEYS=second-key-of-hives$/m],
    [['SIGNING_KEYS (', `second-key-of-hives${enter}`]],
  ],
  'Find out where a value is from': [/→ \.env\.development:[\s\S]*Read in collector\/src\/server\.ts/],
  'See everything at once': [/ALERT_TOKEN +sms_test_…\(secret\) +\.env\.local:1:13/],
  'See what differs between stages': [/variables differ/, 1],
  'Prepare a host': [/Set in both; the host wins/, 0],
  'See what a branch asks of the hosts': [
    /^## Settings since [0-9a-f]+ \(main\)\n[\s\S]*^\| revalued \| `READINGS_KEPT` \| `10000` \| `500` \(/m,
  ],
  'Make the manifests of a stage': [/^kind: ConfigMap\n[\s\S]*LOG_LEVEL: "info"/m],
  // Where nothing holds the token, nobody is asked.
  'Hand a host what it lacks': [
    ...([/^--token-from names HOST_SETTINGS_TOKEN, which has no value/, 1, undefined, undefined] as const),
    (root) => writeFileSync(join(root, '.env.production.local'), 'ALERT_TOKEN=sms_live_linden_and_ivy_brook\n'),
  ],
  'Find out at night what production really has': [/the process environment/, 1],
  'Keep secrets out of commits': [/^No secrets found in staged changes/],
}

const page = readFileSync(join(top, 'docs/everyday.md'), 'utf8')
const sections = page
  .split(/^## /m)
  .slice(1)
  .map((text) => {
    const [heading = '', ...rest] = text.split('\n')
    const commands = [...rest.join('\n').matchAll(/```sh\n([\s\S]*?)```/g)].flatMap(([, block = '']) =>
      block.trim().split('\n'),
    )
    return { heading, commands }
  })

/** A command line as a shell takes it apart, as far as the page needs it. */
const wordsOf = (line: string) =>
  [...line.matchAll(/"([^"]*)"|(\S+)/g)].map(([, quoted, plain]) => quoted ?? plain ?? '').slice(1)

test('each chore of docs/everyday.md works in at most two commands, as the page writes it', {
  skip: noTerminal,
}, async () => {
  assert.deepEqual(
    sections.map(({ heading }) => heading),
    Object.keys(chores),
  )
  assert.ok(sections.length >= 20)
  const work = sections.map(({ heading, commands }) => async () => {
    const [says = /./, code = 0, file, asked, before] = chores[heading] as Chore
    assert.ok(commands.length > 0 && commands.length <= 2, heading)
    const root = apiary()
    before?.(root)
    let [last, ended] = ['', 0 as number | null]
    for (const [at, line] of commands.entries()) {
      const args = wordsOf(line)
      if (asked && at === 0) {
        const { text, code } = await mappaAsked(args, asked, { cwd: root })
        ;[last, ended] = [text, code]
      } else {
        const { stdout, stderr, code } = await mappa(args, { cwd: root })
        ;[last, ended] = [stdout + stderr, code]
      }
      assert.ok(!last.includes(token) && !last.includes(fresh), heading)
    }
    assert.match(last, says, heading)
    assert.equal(ended, code, `${heading}\n${last}`)
    if (file) assert.match(readFileSync(join(root, file[0]), 'utf8'), file[1], heading)
  })
  // The questions of one chore need not wait for another's.
  await Promise.all(
    [0, 1, 2].map(async (lane) => {
      for (const [at, run] of work.entries()) if (at % 3 === lane) await run()
    }),
  )
})
