// Each writing command, killed or interrupted at every call that writes: its changes are there whole, or not at all. And what
// several of them, or an editor, write at once: nothing is lost.
import assert from 'node:assert/strict'
import { spawnSync } from 'node:child_process'
import { chmodSync, cpSync, existsSync, readdirSync, readFileSync, statSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import test from 'node:test'
import { pathToFileURL } from 'node:url'
import { type Ended, mappa, mappaProcess, project, top } from '../../../test/helpers.js'

/** All calls are tried in npm run field, a few of each command in npm test. */
const isField = process.env.MAPPA_FIELD !== undefined
const posix = { skip: process.platform === 'win32' && 'Windows has no signals' }

const legendText = `import { legend } from 'mappa/legend'

export default legend({
  HIVES: { type: 'integer', default: 3 },
  YARD: { type: 'string', reach: 'browser', fixed: 'start', default: 'meadow' },
  ALERT_TOKEN: { type: 'string', secret: true, minLength: 12, generate: { bytes: 24, text: 'base64url' } },
})
`
const files: Readonly<Record<string, string>> = {
  'package.json': '{\n  "name": "apiary",\n  "type": "module"\n}\n',
  'mappa.legend.js': legendText,
  '.gitignore': '.env.local\n.env.*.local\n',
  '.env': 'HIVES=4\n',
  '.env.staging': 'HIVES=40\n',
  '.env.local': 'ALERT_TOKEN=the-old-secret-text\n',
  '.env.example': '# HIVES=\n',
  'mappa.types.d.ts': '// Written by mappa types (form 2).\n',
  'tsconfig.json': '{}\n',
  'app.js': 'console.log(process.env.HIVES)\n',
  'page/index.html': '<html><head></head><body></body></html>\n',
  'page/other.html': '<html><head></head><body></body></html>\n',
}
const { 'mappa.legend.js': _, ...bare } = files
const lifted = {
  'package.json': '{ "type": "module" }\n',
  '.gitignore': '.env.local\n',
  'app.js': "const apiKey = 'hive-77-comb'\nfetch('https://feed.example/v1')\n",
  'lib.js': "export const gateway = 'https://sms.example/v1'\n",
}

/** Every command that writes, and the project in which it does. */
const commands: Readonly<Record<string, readonly [line: string, files: Readonly<Record<string, string>>]>> = {
  add: ['add FEED_PAUSE --type duration --default 90s --apply', files],
  rename: ['rename HIVES HIVE_COUNT --apply', files],
  remove: ['remove YARD --apply', files],
  init: ['init --apply', bare],
  fill: ['fill HIVES=7 --stage staging', files],
  'fill --replace': ['fill ALERT_TOKEN --replace --generate', files],
  lift: ['lift --apply --uncommitted', lifted],
  sample: ['sample', files],
  types: ['types', files],
  'stamp --in-place': ['stamp --in-place page/index.html page/other.html', files],
  'emit --out': ['emit --as layer --no-secrets --out out/values.txt', { ...files, 'out/note': '' }],
  'guard --install': ['guard --install', files],
}

/** What is in a folder, file by file; without what is left of locks, which the next one that writes takes away. */
function stateOf(root: string): Readonly<Record<string, string>> {
  const found: Record<string, string> = {}
  const look = (folder: string) => {
    for (const each of readdirSync(join(root, folder), { withFileTypes: true })) {
      const path = join(folder, each.name)
      if (/^(?:node_modules|count)$|^\.git\/mappa$/.test(path)) continue
      if (each.isDirectory()) look(path)
      else if (each.isFile()) {
        const text = readFileSync(join(root, path), 'utf8')
        const isLock = path.includes('.env.~') && /^(?:\{"pid"|$)/.test(text)
        const shown = text.replace(/(?<=^ALERT_TOKEN=)[\w-]{30,}$/m, 'a fresh one')
        if (!isLock) found[path] = `${(statSync(join(root, path)).mode & 0o777).toString(8)} ${shown}`
      }
    }
  }
  look('')
  return found
}

/** All that is on record, also what is encoded. */
function recordsIn(root: string): string {
  const folder = join(root, '.git/mappa')
  const texts = existsSync(folder) ? readdirSync(folder).map((name) => readFileSync(join(folder, name), 'utf8')) : []
  return texts
    .map((text) => text + text.replace(/"([A-Za-z0-9+/=]{8,})"/g, (_, each) => Buffer.from(each, 'base64').toString()))
    .join()
}

function copyOf(root: string): string {
  const copy = project({})
  cpSync(root, copy, { recursive: true, filter: (path) => !path.includes('node_modules') })
  return copy
}

function meddled(line: string, root: string, how: string): Promise<Ended> {
  const meddler = `--import ${pathToFileURL(join(top, 'test/meddler.mjs'))}`
  const env = { NODE_OPTIONS: meddler, MEDDLE: how, MEDDLE_COUNT: join(root, 'count') }
  return mappaProcess(line.split(' '), { cwd: root, env })
}

/** The project, what a whole run makes of it, and how many calls it takes. */
async function measured(name: string, how: string) {
  const [line, own] = commands[name] as (typeof commands)[string]
  const root = project(own)
  spawnSync('git', ['init', '-q'], { cwd: root })
  const done = copyOf(root)
  const ended = await meddled(line, done, how)
  assert.ok(ended.code === 0 || name === 'lift', `${name}: ${ended.stdout}${ended.stderr}`)
  return {
    line,
    root,
    before: stateOf(root),
    after: stateOf(done),
    calls: Number(readFileSync(join(done, 'count'), 'utf8')),
  }
}

/** All numbers up to one, or a few of them, which differ from one command to the next. */
function numbersTo(calls: number, few: number, salt: number): number[] {
  const all = Array.from({ length: calls }, (_, at) => at + 1)
  const step = Math.max(1, Math.floor(calls / few))
  return isField ? all : all.filter((at) => at % step === (salt * 5 + 3) % step).slice(0, few)
}

async function inParallel<T>(items: readonly T[], work: (item: T) => Promise<void>): Promise<void> {
  const open = [...items]
  const one = async () => {
    for (let next = open.shift(); next !== undefined; next = open.shift()) await work(next)
  }
  await Promise.all([one(), one(), one(), one()])
}

/** Those whose writes differ most; npm run field tries all. */
const chosen = ['rename', 'fill --replace', 'lift']

for (const [salt, name] of (isField ? Object.keys(commands) : chosen).entries()) {
  test(`${name}: killed at any call that writes, its changes are whole or none after the next one`, posix, async () => {
    const { line, root, before, after, calls } = await measured(name, 'none:0')
    assert.notDeepEqual(before, after, 'it writes')
    await inParallel(numbersTo(calls, 1, salt), async (at) => {
      const copy = copyOf(root)
      const killed = await meddled(line, copy, `kill:${at}`)
      if (killed.signal === null && Number(readFileSync(join(copy, 'count'), 'utf8')) < at) return
      assert.equal(killed.signal, 'SIGKILL', `${name} at ${at}`)
      if (name === 'fill --replace') assert.doesNotMatch(recordsIn(copy), /the-old-secret-text/, `${name} at ${at}`)
      const mended = await mappaProcess(['undo'], { cwd: copy })
      const state = stateOf(copy)
      const isNone = JSON.stringify(state) === JSON.stringify(before)
      if (!isNone) assert.deepEqual(state, after, `${name} at ${at}: ${mended.stdout}${mended.stderr}`)
      // The same again does what it always does, and leaves nothing behind.
      if (isNone) {
        const again = await mappaProcess(line.split(' '), { cwd: copy })
        assert.deepEqual(stateOf(copy), after, `${name} at ${at}, again: ${again.stdout}${again.stderr}`)
        assert.deepEqual(
          readdirSync(copy).filter((each) => each.startsWith('.env.~')),
          [],
        )
      }
    })
  })
}

test(
  'undo takes back what each command wrote, byte for byte and with its modes, and so does a second undo',
  posix,
  async () => {
    for (const [name, [line, own]] of Object.entries(commands)) {
      const root = project(own)
      spawnSync('git', ['init', '-q'], { cwd: root })
      const run = (args: string) => mappa(args.split(' '), { cwd: root })
      const before = stateOf(root)
      await run(line)
      const after = stateOf(root)
      assert.notDeepEqual(after, before, name)
      const taken = await run('undo --apply')
      if (name === 'fill --replace') {
        assert.match(taken.stdout, /\.env\.local stays as it is: Mappa never keeps the old value of a replaced secret/)
        assert.deepEqual([taken.code, stateOf(root)], [1, after])
        continue
      }
      assert.deepEqual([taken.code, stateOf(root)], [0, before], `${name}: ${taken.stdout}${taken.stderr}`)
      // What looks changes nothing, and neither does what finds nothing to change.
      await run('check')
      const again = await run('undo --apply')
      assert.deepEqual([again.code, stateOf(root)], [0, after], `${name}, again: ${again.stdout}${again.stderr}`)
    }
  },
)

test(
  'undo leaves what has changed since, forgets after a day, and believes only what this user has written',
  posix,
  async () => {
    const root = project(files)
    spawnSync('git', ['init', '-q'], { cwd: root })
    const run = (args: string) => mappa(args.split(' '), { cwd: root })
    await run('rename HIVES HIVE_COUNT --apply')
    writeFileSync(join(root, '.env'), 'HIVE_COUNT=4\n# mine\n')
    const taken = await run('undo --apply')
    assert.match(taken.stdout, /Changed since, so left as it is: \.env\./)
    assert.equal(readFileSync(join(root, '.env'), 'utf8'), 'HIVE_COUNT=4\n# mine\n')
    assert.equal(readFileSync(join(root, 'app.js'), 'utf8'), files['app.js'])
    const folder = join(root, '.git/mappa')
    const record = join(folder, readdirSync(folder)[0] as string)
    const text = readFileSync(record, 'utf8')
    assert.equal(statSync(record).mode & 0o777, 0o600)
    const longAgo = new Date(Date.now() - 25 * 3_600_000).toISOString()
    const wrong: readonly (readonly [text: string, mode: number])[] = [
      [text.replace(/"at":"[^"]*"/, `"at":"${longAgo}"`), 0o600],
      [text, 0o644],
      [text.slice(0, -9), 0o600],
      ['null', 0o600],
    ]
    for (const [other, mode] of wrong) {
      writeFileSync(record, other)
      chmodSync(record, mode)
      const { code, stderr } = await run('undo --apply')
      assert.deepEqual([code, /^Nothing to undo in /.test(stderr)], [1, true], other.slice(0, 40))
    }
    // Of a writer elsewhere nobody here can say whether it runs: a person must.
    const open = text.replace(/"boot":"[^"]*"/, '"boot":"another"').replace(/"machine":"[^"]*"/, '"machine":"another"')
    writeFileSync(join(folder, 'open-1.json'), open, { mode: 0o600 })
    const { stderr } = await run('fill HIVE_COUNT=9 --stage staging')
    const refused = await run('fill YARD=orchard')
    assert.match(refused.stderr + stderr, /mappa undo began to write on .* but did not finish\. Nothing was written\./)
    assert.equal((await run('undo --apply')).code, 0)
    assert.ok(!existsSync(join(folder, 'open-1.json')))
  },
)

test(
  'a signal at any call that writes ends a command as signals do, and its changes are whole or none at once',
  posix,
  async () => {
    for (const [salt, name] of (isField
      ? ['rename', 'lift', 'fill --replace', 'stamp --in-place']
      : ['rename', 'lift']
    ).entries()) {
      const { line, root, before, after, calls } = await measured(name, 'none:0')
      for (const [signal, code] of [
        ['SIGINT', 130],
        ['SIGTERM', 143],
      ] as const)
        await inParallel(numbersTo(calls, 1, salt), async (at) => {
          const copy = copyOf(root)
          const ended = await meddled(line, copy, `${signal}:${at}`)
          assert.ok(ended.code === code || ended.signal === signal, `${name} at ${at}: ${ended.code} ${ended.signal}`)
          const state = stateOf(copy)
          if (JSON.stringify(state) !== JSON.stringify(before))
            assert.deepEqual(state, after, `${name}, ${signal} at ${at}: ${ended.stderr}`)
        })
    }
  },
)

test('what an editor saves while a command reads and writes is not lost', posix, async () => {
  for (const [salt, [name, file]] of (
    [
      ['rename', '.env'],
      ['add', 'mappa.legend.js'],
      ['fill', '.env.staging'],
      ['remove', '.env.example'],
    ] as const
  ).entries()) {
    const { line, root, calls } = await measured(name, 'save:0:x')
    await inParallel(numbersTo(calls, 2, salt), async (at) => {
      const copy = copyOf(root)
      if (file.endsWith('.js')) writeFileSync(join(copy, file), `${readFileSync(join(copy, file), 'utf8')}// `)
      const ended = await meddled(line, copy, `save:${at}:${join(copy, file)}`)
      // A run may take fewer calls than the one that was measured.
      if (Number(readFileSync(join(copy, 'count'), 'utf8')) < at) return
      const text = readFileSync(join(copy, file), 'utf8')
      const ways = `${name} at ${at}: ${ended.code} ${ended.stdout}${ended.stderr}`
      assert.match(text, /# saved meanwhile/, ways)
      if (ended.code !== 0) assert.match(ended.stderr, /was changed by another process\. Nothing was written\./, ways)
    })
  }
})

test('of eight that write at once, each that reports success is there', posix, async () => {
  const rounds = isField ? 50 : 1
  for (let round = 0; round < rounds; round++) {
    const root = project(files)
    const lines = Array.from({ length: 8 }, (_, at) =>
      at % 4 === 3 ? `fill HIVES=${at + 10} --stage staging` : `add NEW_${at} --value v${at} --apply`,
    )
    const ended = await Promise.all(lines.map((line) => mappaProcess(line.split(' '), { cwd: root })))
    const [legend, sample, layers] = ['mappa.legend.js', '.env.example', '.env'].map((name) =>
      readFileSync(join(root, name), 'utf8'),
    )
    for (const [at, { code, stdout, stderr }] of ended.entries()) {
      const said = `${lines[at]}: ${code} ${stdout}${stderr}`
      if (code !== 0) assert.match(stderr, /was changed by another process|holds the lock/, said)
      else if (at % 4 !== 3) {
        assert.ok(legend?.includes(`NEW_${at}:`), said)
        assert.ok(sample?.includes(`NEW_${at}=`), said)
        assert.ok(
          `${layers}${existsSync(join(root, '.env.development')) ? readFileSync(join(root, '.env.development'), 'utf8') : ''}`.includes(
            `NEW_${at}=v${at}`,
          ),
          said,
        )
      }
    }
    assert.ok(
      ended.some(({ code }) => code === 0),
      'somebody wrote',
    )
  }
})
