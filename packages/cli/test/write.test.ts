import assert from 'node:assert/strict'
import { spawn } from 'node:child_process'
import {
  chmodSync,
  existsSync,
  lstatSync,
  mkdirSync,
  readdirSync,
  readFileSync,
  statSync,
  symlinkSync,
  writeFileSync,
} from 'node:fs'
import { hostname } from 'node:os'
import { join } from 'node:path'
import test from 'node:test'
import { setTimeout as wait } from 'node:timers/promises'
import { build } from 'esbuild'
import { environment, node, project } from '../../../test/helpers.js'
import { endOpenWrites, WriteError, writeFiles } from '../src/writing/write.js'

/** What writes is a part of the command's sources: programs of these tests take it from there, compiled once. */
const { outputFiles } = await build({
  entryPoints: [join(import.meta.dirname, '../src/writing/write.ts')],
  bundle: true,
  write: false,
  format: 'esm',
  platform: 'node',
  packages: 'external',
})
const writing = outputFiles[0]?.text ?? ''

const modeOf = (path: string) => (statSync(path).mode & 0o777).toString(8)
const posix = { skip: process.platform === 'win32' && 'Windows has no modes' }

test('files are written all or none; modes and links stay; new secrets are only for this user', posix, async () => {
  const root = project({ a: 'old a', b: 'old b', 'elsewhere/c': 'old c' })
  const at = (name: string) => join(root, name)
  chmodSync(at('a'), 0o640)
  symlinkSync('elsewhere/c', at('link'))
  await writeFiles(
    [
      { path: at('a'), text: 'new a', before: 'old a' },
      { path: at('link'), text: 'new c', before: 'old c' },
      { path: at('.env.local'), text: 'X=1', before: null, secret: true },
    ],
    root,
  )
  assert.deepEqual([readFileSync(at('a'), 'utf8'), modeOf(at('a'))], ['new a', '640'])
  assert.deepEqual([readFileSync(at('elsewhere/c'), 'utf8'), lstatSync(at('link')).isSymbolicLink()], ['new c', true])
  assert.equal(modeOf(at('.env.local')), '600')

  mkdirSync(at('folder'))
  symlinkSync('loop', at('loop'))
  const elsewhere = project({ c: 'theirs' })
  symlinkSync(join(elsewhere, 'c'), at('out'))
  symlinkSync(elsewhere, at('away'))
  symlinkSync(join(elsewhere, 'gone'), at('nowhere'))
  const rows: readonly [last: Parameters<typeof writeFiles>[0][number], message: RegExp][] = [
    [{ path: at('b'), text: 'x', before: 'something else' }, /was changed by another process\. Nothing was written/],
    [{ path: at('b'), text: 'x', before: null }, /was changed by another process/],
    [{ path: at('folder'), text: 'x', before: null }, /must be a file, but is not/],
    [
      { path: at('gone/b'), text: 'x', before: null },
      /cannot be written: its directory does not exist\. Nothing was written/,
    ],
    [{ path: at('loop'), text: 'x', before: null }, /a link to itself/],
    [{ path: at('a'), text: 'x', before: 'new a' }, /cannot be written twice at once/],
    [{ path: at('out'), text: 'x', before: 'theirs' }, /is a link to a file outside the project/],
    [{ path: at('away/c'), text: 'x', before: 'theirs' }, /is a link to a file outside the project/],
    [{ path: at('nowhere'), text: 'x', before: null }, /is a link to a file outside the project/],
    [{ path: join(root, '../c'), text: 'x', before: null }, /outside the project/],
  ]
  for (const [last, message] of rows) {
    const others = [
      { path: at('a'), text: 'never', before: 'new a' },
      { path: at('fresh'), text: 'never', before: null },
    ]
    await assert.rejects(
      writeFiles([...others, last], root),
      (error) => error instanceof WriteError && message.test(error.message) && error.path === last.path,
    )
    assert.deepEqual([readFileSync(at('a'), 'utf8'), existsSync(at('fresh'))], ['new a', false])
  }
  assert.deepEqual(
    readdirSync(root).filter((name) => name.startsWith('.env.~')),
    [],
  )
  assert.deepEqual(
    [readdirSync(elsewhere).sort(), readFileSync(join(elsewhere, 'c'), 'utf8')],
    [['.git', 'c', 'node_modules'], 'theirs'],
  )
})

test('if a file cannot be put in place at last, those before it get their old text back', posix, async () => {
  const root = project({ a: 'old a' })
  chmodSync(join(root, 'a'), 0o604)
  const target = join(root, 'b')
  const writes = [
    { path: join(root, 'a'), text: 'new a', before: 'old a' },
    { path: target, text: 'new b', before: null },
    {
      path: join(root, 'c'),
      before: null,
      // A directory takes the place of a file while the one behind it is being prepared.
      get text() {
        mkdirSync(join(target, 'x'), { recursive: true })
        return 'new c'
      },
    },
  ]
  await assert.rejects(writeFiles(writes, root), WriteError)
  assert.deepEqual([readFileSync(join(root, 'a'), 'utf8'), modeOf(join(root, 'a'))], ['old a', '604'])
  assert.deepEqual(
    readdirSync(root).filter((name) => !/^(?:\.git|node_modules)$/.test(name)),
    ['a', 'b'],
  )
})

test(
  'a process killed at any moment leaves every file whole, and what it left behind is cleared away',
  posix,
  async () => {
    const names = ['.env', '.env.staging', '.env.staging.local']
    const lines = (letter: string) => `${`${letter.repeat(60)}\n`.repeat(4000)}`
    const root = project({
      ...Object.fromEntries(names.map((name) => [name, lines('a')])),
      'writing.mjs': writing,
      'write.mjs': `import { readFileSync } from 'node:fs'
      import { writeFiles } from './writing.mjs'
      const texts = [${JSON.stringify(lines('a'))}, ${JSON.stringify(lines('b'))}]
      let said = false
      for (let at = 1; ; at++) {
        try {
          await writeFiles(${JSON.stringify(names)}.map((path) => ({ path, text: texts[at % 2], before: readFileSync(path, 'utf8') })), '.')
        } catch (error) {
          // What the one before left open has been taken back.
          if (!/changed by another process/.test(error.message)) throw error
          continue
        }
        if (!said) process.stdout.write('written once')
        said = true
      }`,
    })
    for (const name of names) chmodSync(join(root, name), 0o600)
    const whole = new Set(['a', 'b'].map(lines))
    const seen = new Set<string>()
    for (let round = 0; round < 12; round++) {
      const child = spawn(process.execPath, ['write.mjs'], {
        cwd: root,
        env: environment(),
        stdio: ['ignore', 'pipe', 'inherit'],
      })
      await new Promise((resolve) => child.stdout.once('data', resolve))
      await wait(Math.random() * 40)
      child.kill('SIGKILL')
      await new Promise((resolve) => child.once('exit', resolve))
      for (const name of names) {
        const text = readFileSync(join(root, name), 'utf8')
        assert.ok(whole.has(text), `${name} is torn in round ${round}`)
        assert.equal(modeOf(join(root, name)), '600')
        seen.add(text)
      }
    }
    assert.ok(seen.has(lines('b')), 'something was written')
    const left = () => readdirSync(root).filter((name) => name.startsWith('.env.~'))
    for (const name of left()) assert.equal(modeOf(join(root, name)), '600')
    writeFileSync(join(root, '.env.~1-abc.local'), '') // of a process that still runs
    await endOpenWrites(root, {})
    await writeFiles(
      names.map((name) => ({ path: join(root, name), text: 'A=1', before: readFileSync(join(root, name), 'utf8') })),
      root,
    )
    assert.deepEqual(left(), ['.env.~1-abc.local'])
  },
)

test('of what several processes write at once, nothing is lost', posix, async () => {
  const [writers, each] = [4, 40]
  const root = project({
    list: '',
    'writing.mjs': writing,
    'append.mjs': `import { readFileSync } from 'node:fs'
      import { writeFiles } from './writing.mjs'
      for (let left = ${each}; left > 0; ) {
        const before = readFileSync('list', 'utf8')
        try { await writeFiles([{ path: 'list', text: before + process.pid + '\\n', before }], '.'); left-- }
        catch (error) { if (!/changed by another process/.test(error.message)) throw error }
      }`,
  })
  const ended = await Promise.all(Array.from({ length: writers }, () => node(['append.mjs'], { cwd: root })))
  assert.deepEqual(
    ended.map(({ code, stderr }) => [code, stderr]),
    Array.from({ length: writers }, () => [0, '']),
  )
  assert.equal(readFileSync(join(root, 'list'), 'utf8').split('\n').length - 1, writers * each)
  // One that is held is waited for, and told; one whose owner is gone is not.
  const held = join(root, '.env.~lock.local')
  const owner = (pid: number) => JSON.stringify({ pid, host: hostname(), word: 'x' })
  writeFileSync(held, owner(1))
  const path = join(root, 'list')
  const write = () => writeFiles([{ path, text: '', before: readFileSync(path, 'utf8') }], root)
  await assert.rejects(
    write,
    /^WriteError: Process 1 holds the lock for more than ten seconds\. .* run: rm .*lock\.local$/,
  )
  writeFileSync(held, owner(2 ** 22 + 1))
  await write()
  assert.ok(!existsSync(held))
})
