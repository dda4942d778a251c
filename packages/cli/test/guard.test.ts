import assert from 'node:assert/strict'
import { spawnSync } from 'node:child_process'
import { chmodSync, existsSync, mkdirSync, readFileSync, rmSync, statSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { test } from 'node:test'
import { environment, mappa, project, token, top } from '../../../test/helpers.js'

const base = {
  'mappa.legend.mjs':
    "import { legend } from 'mappa/legend'\nexport default legend({ ALERT_TOKEN: { type: 'string', secret: true }, OTHER: { type: 'string', secret: true, optional: true } })\n",
  '.env.local': `ALERT_TOKEN=${token}\n`,
}
const ignored = { '.gitignore': '.env.local\n.env.*.local\nnode_modules\n' }
const git = (root: string, ...args: readonly string[]) => {
  const told = ['-c', 'user.name=Rosa', '-c', 'user.email=rosa@fennelhill.example', ...args]
  const { status, stdout, stderr } = spawnSync('git', told, { cwd: root, encoding: 'utf8', env: environment() })
  return { status, text: stdout + stderr }
}
/** A real repository with these files, of which `added` are staged. */
function repository(files: Readonly<Record<string, string>>, added: readonly string[] = ['.']): string {
  const root = project({ ...base, ...files })
  rmSync(join(root, '.git'), { recursive: true })
  git(root, 'init', '-q')
  if (added.length > 0) git(root, 'add', '-f', ...added)
  return root
}

test('guard finds layers that are not ignored, and secrets in what is tracked, staged, published or built', async () => {
  const odd = 'notes "of bees"\tä.txt'
  type Row = readonly [
    ...[
      says: readonly RegExp[],
      files?: Readonly<Record<string, string>> | undefined,
      added?: readonly string[] | undefined,
    ],
    ...[args?: readonly string[] | undefined, before?: (root: string) => void],
  ]
  const rows: Readonly<Record<string, Row>> = {
    nothing: [
      [/^No secrets found in tracked files, git history and packages/, /1 of\s+2\s+secrets/],
      ignored,
      ['mappa.legend.mjs', '.gitignore'],
    ],
    'no rule': [[/^Fault: \.env\.local is not ignored by git/], undefined, []],
    'no rule, and no file yet': [
      [/is not ignored by git[\s\S]*\n1 fault/],
      undefined,
      [],
      undefined,
      (root) => rmSync(join(root, '.env.local')),
    ],
    'a rule in a folder above': [
      [/No secrets found/],
      {},
      [],
      undefined,
      (root) => writeFileSync(join(root, '.git/info/exclude'), '.env*.local\n'),
    ],
    'tracked although ignored': [
      [/git tracks it\.\n.*\n[\s\S]*→ Run: git rm --cached \.env\.local/],
      ignored,
      ['.env.local'],
    ],
    'in a tracked file': [
      [/a\/b\.txt contains the value of ALERT_TOKEN and is tracked by git\.\n {4}a\/b\.txt:3:1/],
      { ...ignored, 'a/b.txt': `x\n\nkey=${Buffer.from(token).toString('base64')}\n` },
      ['a'],
    ],
    staged: [
      [/b\.txt contains the value of ALERT_TOKEN and is staged\.\n {4}b\.txt:3:1/],
      { ...ignored, 'b.txt': `one\ntwo\n${token}\n` },
      ['b.txt'],
      ['--staged'],
    ],
    'staged under an odd name': [
      [/notes "of bees"\\tä\.txt contains the value/],
      { ...ignored, [odd]: token },
      [odd],
      ['--staged'],
    ],
    'staged, a layer of this machine': [
      [/\.env\.local is for this machine, but git tracks it/],
      undefined,
      ['.env.local'],
      ['--staged'],
    ],
    'not staged': [[/^No secrets found in staged changes/], { ...ignored, 'b.txt': token }, [], ['--staged']],
    'committed before, changed elsewhere now': [
      [/^No secret/],
      { ...ignored, 'b.txt': `${token}\n` },
      undefined,
      ['--staged'],
      (root) => {
        git(root, 'commit', '-qm', 'b')
        writeFileSync(join(root, 'b.txt'), `${token}\nmore\n`)
        git(root, 'add', 'b.txt')
      },
    ],
    'published, however large': [
      [/lib\/a\.js contains the value of ALERT_TOKEN, but the published package includes it/],
      {
        ...ignored,
        'package.json': '{ "name": "hives", "version": "1.0.0", "files": ["lib"] }',
        'lib/a.js': `${'hive();\n'.repeat(700_000)}x = '${token}'`,
      },
      [],
    ],
    private: [
      [/^Fault: lib\/a\.js contains the value of ALERT_TOKEN and is not ignored by git\./],
      { ...ignored, 'package.json': '{ "name": "hives", "private": true }', 'lib/a.js': `x = '${token}'` },
      [],
    ],
    built: [[/the container image may include it/], { ...ignored, Dockerfile: 'FROM scratch\nCOPY . .\n' }, []],
    'built without': [
      [/^No secret/],
      { ...ignored, Dockerfile: 'FROM scratch\nCOPY . .\n', '.dockerignore': '**/.env*.local\n' },
      [],
    ],
    'as JSON': [[/"kind": "not-ignored"/], undefined, [], ['--json']],
    'as SARIF': [[/"ruleId": "not-ignored"/], undefined, [], ['--sarif']],
  }
  for (const [name, [says, files = {}, added, args = [], before]] of Object.entries(rows)) {
    const root = repository(files, added)
    before?.(root)
    const { stdout, stderr, code } = await mappa(['guard', ...args], { cwd: root })
    for (const each of says) assert.match(stdout, each, name + stderr)
    assert.equal(code, /^No secret/.test(stdout) ? 0 : 1, name)
    assert.ok(!(stdout + stderr).includes(token), name)
  }
})

test('a subfolder, a worktree and a project without git', async () => {
  const root = repository(
    {
      ...ignored,
      'apps/hive/mappa.legend.mjs': base['mappa.legend.mjs'],
      'apps/hive/.env.local': base['.env.local'],
      'apps/hive/a.txt': token,
      'apps/hive/package.json': '{ "private": true }',
    },
    ['apps/hive/a.txt', '.gitignore'],
  )
  const inside = await mappa(['guard'], { cwd: join(root, 'apps/hive') })
  assert.match(inside.stdout, /^Fault: a\.txt contains the value of ALERT_TOKEN/)
  git(root, 'commit', '-qm', 'a')
  git(root, 'worktree', 'add', '-q', join(root, 'tree'))
  const tree = await mappa(['guard', '--root', 'tree/apps/hive', '--staged'], { cwd: root })
  assert.match(tree.stdout, /^No secrets found in staged changes/)
  rmSync(join(root, '.git'), { recursive: true })
  const bare = await mappa(['guard'], { cwd: root })
  assert.deepEqual([bare.code, bare.stderr], [0, 'This folder is not in git, so only packages were searched.\n'])
})

test('--install adds to the hook that there is, and a commit with a secret is refused', async () => {
  const command = `#!/bin/sh\nexec ${process.execPath} ${join(top, 'packages/cli/bin/mappa.js')} "$@"\n`
  const rows: readonly {
    readonly files?: Readonly<Record<string, string>>
    readonly says: RegExp
    readonly hook?: string
    readonly after?: RegExp
    readonly path?: string
    readonly named?: string
  }[] = [
    {
      says: /^\.git\/hooks\/pre-commit now runs mappa guard --staged/,
      after:
        /^#!\/bin\/sh\n# mappa guard: begin\n[\s\S]*exec "\$mappa" guard --staged; fi\n[\s\S]*\n# mappa guard: end\n$/,
    },
    {
      hook: '#!/usr/bin/env bash\necho mine\nexit 0\n',
      says: /runs mappa guard/,
      after: /^#!\/usr\/bin\/env bash\n# mappa guard: begin\n[\s\S]*end\necho mine\nexit 0\n$/,
    },
    {
      hook: '#!/usr/bin/env python3\nprint(1)\n',
      says: /is not a shell script, so it was not changed\. Add to it: mappa guard --staged/,
    },
    { files: { 'lefthook.yml': '' }, says: /^lefthook\.yml manages the hooks/ },
    {
      files: { '.hooks/_/x': '', '.hooks/pre-commit': 'npm test\n' },
      named: '.hooks/_',
      path: '.hooks/pre-commit',
      says: /^\.hooks\/pre-commit now runs/,
      after: /end\nnpm test\n$/,
    },
  ]
  for (const { files = {}, says, hook, after, path = '.git/hooks/pre-commit', named } of rows) {
    const root = repository({ ...ignored, ...files }, [])
    if (named) git(root, 'config', 'core.hooksPath', named)
    mkdirSync(join(root, '.git/hooks'), { recursive: true })
    if (hook) writeFileSync(join(root, path), hook)
    if (hook) chmodSync(join(root, path), 0o755)
    const { stdout, stderr } = await mappa(['guard', '--install'], { cwd: root })
    assert.match(stdout + stderr, says)
    assert.match(
      existsSync(join(root, path)) ? readFileSync(join(root, path), 'utf8') : '',
      after ?? new RegExp(`^${hook?.slice(0, 5) ?? ''}`),
    )
    if (!after) continue
    assert.match((await mappa(['guard', '--install'], { cwd: root })).stdout, /already runs mappa guard/)
    if (!named) assert.equal(statSync(join(root, path)).mode & 0o111, 0o111)
  }
  // As people have it: the command is found by npx in the project's own folder.
  const root = repository({ ...ignored, 'a.txt': `${token}\n` }, [])
  mkdirSync(join(root, 'node_modules/.bin'), { recursive: true })
  writeFileSync(join(root, 'node_modules/.bin/mappa'), command, { mode: 0o755 })
  await mappa(['guard', '--install'], { cwd: root })
  git(root, 'add', 'a.txt')
  const refused = git(root, 'commit', '-m', 'a')
  assert.deepEqual(
    [refused.status, /a\.txt contains the value of ALERT_TOKEN/.test(refused.text)],
    [1, true],
    refused.text,
  )
  writeFileSync(join(root, 'a.txt'), 'nothing\n')
  git(root, 'add', 'a.txt')
  assert.equal(git(root, 'commit', '-m', 'a').status, 0)
})

test('--install writes no command that a folder names, counts only a call, and --uninstall takes out what it put in', async () => {
  const folders = [
    'a$(touch X)',
    'b`touch X`',
    "c'; touch X #",
    'd"; touch X; "',
    'e\\',
    '-f',
    'g $HOME',
    'h:i',
    'j\n touch X\n',
  ]
  for (const folder of folders) {
    const top = repository({ ...ignored, 'a.txt': 'nothing\n' }, [])
    const root = join(top, folder)
    for (const [path, text] of Object.entries(base)) {
      mkdirSync(root, { recursive: true })
      writeFileSync(join(root, path), text)
    }
    mkdirSync(join(top, 'node_modules/.bin'), { recursive: true })
    writeFileSync(join(top, 'node_modules/.bin/mappa'), '#!/bin/sh\nprintf "%s|" "$@" > ran\n', { mode: 0o755 })
    const hook = join(top, '.git/hooks/pre-commit')
    const before = '#!/bin/sh\necho mine\n'
    writeFileSync(hook, before, { mode: 0o755 })
    assert.match((await mappa(['guard', '--install'], { cwd: root })).stdout, /now runs/, folder)
    assert.match((await mappa(['guard', '--install'], { cwd: root })).stdout, /already runs/, folder)
    git(top, 'add', 'a.txt')
    assert.equal(git(top, 'commit', '-m', 'a').status, 0, folder)
    assert.equal(readFileSync(join(top, 'ran'), 'utf8'), `guard|--staged|--root=${folder}|`)
    assert.ok(!existsSync(join(top, 'X')) && !existsSync(join(root, 'X')), folder)
    assert.match((await mappa(['guard', '--uninstall'], { cwd: root })).stdout, /no longer runs/, folder)
    assert.equal(readFileSync(hook, 'utf8'), before)
  }
  const rows: readonly (readonly [hook: string, isCall: boolean])[] = [
    ['# mappa guard would be good\n', false],
    ['npm test # mappa guard\n', false],
    ['echo "mappa guard"\n', false],
    ['mappa guard --bundle dist\n', false],
    ['mappa guard --staged\n', true],
    ['npm test && npx mappa guard --staged || exit 1\n', true],
    ['  if ! ./node_modules/.bin/mappa guard --staged; then exit 1; fi\n', true],
  ]
  const root = repository(ignored, [])
  const hook = join(root, '.git/hooks/pre-commit')
  for (const [text, isCall] of rows) {
    writeFileSync(hook, `#!/bin/sh\n${text}`, { mode: 0o755 })
    const { stdout } = await mappa(['guard', '--install'], { cwd: root })
    assert.match(stdout, isCall ? /already runs/ : /now runs/, text)
    const taken = await mappa(['guard', '--uninstall'], { cwd: root })
    assert.equal(taken.code, isCall ? 1 : 0, text)
    assert.match(taken.stdout + taken.stderr, isCall ? /did not write line 2 of/ : /no longer runs/, text)
    assert.equal(readFileSync(hook, 'utf8'), `#!/bin/sh\n${text}`)
  }
  rmSync(hook)
  await mappa(['guard', '--install'], { cwd: root })
  assert.match((await mappa(['guard', '--uninstall'], { cwd: root })).stdout, /It was removed/)
  assert.ok(!existsSync(hook))
})

test('--staged looks into binary files, those that git shows no difference of, and at any settings of git', async () => {
  const root = repository({ ...ignored, 'data.txt': 'one\ntwo\nthree\nfour\nfive\nsix\n' })
  git(root, 'commit', '-qm', 'a')
  const settings = {
    'diff.interHunkContext': '9',
    'diff.noprefix': 'true',
    'color.ui': 'always',
    'diff.external': 'false',
  }
  for (const [name, value] of Object.entries(settings)) git(root, 'config', name, value)
  writeFileSync(join(root, 'hive.bin'), Buffer.concat([Buffer.alloc(9000), Buffer.from(`x${token}y`), Buffer.alloc(9)]))
  writeFileSync(join(root, 'keys.lock'), `${token}\n`)
  writeFileSync(join(root, 'long.txt'), `${'x'.repeat(3 << 20)} ${token}\nnext\n`)
  writeFileSync(join(root, 'data.txt'), `one\nTWO\nthree\nfour\nfive\n${token}\n`)
  writeFileSync(join(root, '.gitattributes'), '*.lock -diff\n')
  git(root, 'add', '.')
  const { stdout, code } = await mappa(['guard', '--staged', '--json'], { cwd: root })
  const found = JSON.parse(stdout).faults.map(
    ({ place }: { place: { file: string; line: number } }) => `${place.file}:${place.line}`,
  )
  assert.deepEqual([code, found.sort()], [1, ['data.txt:6', 'hive.bin:1', 'keys.lock:1', 'long.txt:1']])
  // A part of an answer is not taken for all of it.
  const blob = git(root, 'rev-parse', ':long.txt').text.trim()
  rmSync(join(root, '.git/objects', blob.slice(0, 2), blob.slice(2)))
  const failed = await mappa(['guard', '--staged'], { cwd: root })
  assert.deepEqual([failed.code, failed.stdout], [2, ''])
  assert.match(failed.stderr, /^git diff ended with 128, so not all changes were searched\./)
})

test('check tells secrets in committed layers, but for made-up ones that somebody keeps', async () => {
  const rows: readonly (readonly [files: Readonly<Record<string, string>>, args: string, says: RegExp])[] = [
    [
      { '.env': `ALERT_TOKEN=${token}\n` },
      '',
      /ALERT_TOKEN is secret, but \.env is a shared layer[\s\S]*Run: mappa fill ALERT_TOKEN$/m,
    ],
    [{ '.env.staging': `ALERT_TOKEN=${token}\n` }, '--stage staging', /Run: mappa fill ALERT_TOKEN --stage staging/],
    [{ '.env.development': 'ALERT_TOKEN=made-up-one # mappa keep: made up\n' }, '', /No faults/],
    [{ '.env.development': 'ALERT_TOKEN=made-up-one\n' }, '', /If it is made up, add after its value:/],
    [
      { '.env.staging': 'ALERT_TOKEN=made-up-one # mappa keep: made up\n' },
      '--stage staging',
      /\.env\.staging is a shared layer/,
    ],
  ]
  for (const [files, args, says] of rows) {
    const root = project({ ...base, ...files })
    const { stdout } = await mappa(['check', ...args.split(' ').filter(Boolean)], { cwd: root })
    assert.match(stdout, says)
    // No start is stopped by it.
    const { code, stderr } = await mappa(
      ['with', ...(args ? [args.split(' ')[1] as string] : []), '--', process.execPath, '-e', ''],
      { cwd: root },
    )
    assert.equal(code, 0, args + stderr)
  }
})

test('what a build made is searched in every spelling, file by file, and what is too short is named', async () => {
  const text = 'brämble-clover-thyme-77'
  const spellings = {
    'plain.js': `const a = '${text}'`,
    'encoded.txt': `?k=${encodeURIComponent(text)}`,
    'deep/in.map': `xx${Buffer.from(`a${text}`).toString('base64')}`,
    'hex.bin': `\u0000\u0001${Buffer.from(text).toString('hex')}`,
  }
  const root = project({ ...base, '.env.local': `ALERT_TOKEN=${text}\nOTHER=short\n` })
  mkdirSync(join(root, 'dist/deep'), { recursive: true })
  writeFileSync(join(root, 'dist/clean.js'), 'console.log(1)')
  const clean = await mappa(['guard', '--bundle', 'dist'], { cwd: root })
  assert.deepEqual([clean.code, clean.stderr], [0, ''])
  assert.match(clean.stdout, /No secrets found in dist\.[\s\S]*Too short to search for:\s+OTHER\./)
  for (const [name, content] of Object.entries(spellings)) writeFileSync(join(root, 'dist', name), content)
  const { code, stdout } = await mappa(['guard', '--bundle', 'dist', '--json'], { cwd: root })
  const { faults } = JSON.parse(stdout) as { faults: { kind: string; layer: string; message: string }[] }
  assert.equal(code, 1)
  assert.deepEqual(
    faults.map(({ layer }) => layer.replaceAll('\\', '/')).sort(),
    Object.keys(spellings)
      .map((name) => `dist/${name}`)
      .sort(),
  )
  for (const { kind, message } of faults) {
    assert.equal(kind, 'leak')
    assert.match(message, /contains the value of ALERT_TOKEN, at byte \d+/)
  }
  assert.doesNotMatch(stdout, /clover/)
  const gone = await mappa(['guard', '--bundle', 'nowhere'], { cwd: root })
  assert.deepEqual([gone.code, /No file or folder nowhere/.test(gone.stderr)], [2, true])
})

test('this repository and its example are clean, and a package of a monorepo is asked about itself alone', async () => {
  const own = await mappa(['guard', '--no-history'], { cwd: top })
  assert.equal(own.code, 0, own.stdout)
  const root = repository({
    ...ignored,
    'package.json': '{ "private": true }',
    'apps/hive/package.json': '{ "private": true }',
    'apps/hive/mappa.legend.mjs': base['mappa.legend.mjs'],
    'apps/hive/.env.local': base['.env.local'],
    'apps/other/a.txt': token,
  })
  git(root, 'rm', '-q', '--cached', '.env.local', 'apps/hive/.env.local')
  git(root, 'commit', '-qm', 'a')
  const inside = await mappa(['guard'], { cwd: join(root, 'apps/hive') })
  assert.match(inside.stdout, /^No secrets found in tracked files, git history and packages/)
  assert.match((await mappa(['guard'], { cwd: root })).stdout, /apps\/other\/a\.txt contains the value of ALERT_TOKEN/)
})
