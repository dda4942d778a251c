// docs/library.md against the library: every export and nothing else, and examples that compile, run and print what they say.
import assert from 'node:assert/strict'
import { execFileSync } from 'node:child_process'
import { existsSync, readdirSync, readFileSync } from 'node:fs'
import { join } from 'node:path'
import test from 'node:test'
import ts from 'typescript-6'
import { countLines } from '../../../scripts/count.mjs'
import {
  applicationsTable,
  liftedTable,
  readersTable,
  runtimesPage,
  startersTable,
} from '../../../scripts/field/tables.mjs'
import { node, project, top } from '../../../test/helpers.js'

const document = readFileSync(join(top, 'docs/library.md'), 'utf8')
/** What is documented nowhere: the doors of the command and of the plugins. */
const doors = new Set(['mappa/command', 'mappa/plugin', 'mappa/package.json', '@mappa/build/package.json'])
/** The declarations of each entry point of the packages that code imports. */
const entryPoints = new Map(
  ['mappa', 'build'].flatMap((folder) => {
    const { name, exports } = JSON.parse(readFileSync(join(top, `packages/${folder}/package.json`), 'utf8'))
    return Object.entries(exports as Record<string, { import?: { types: string } }>).flatMap(([path, targets]) => {
      const entry = `${name}${path.slice(1)}`
      const file = join(top, `packages/${folder}`, targets.import?.types ?? '')
      return doors.has(entry) ? [] : [[entry, file] as const]
    })
  }),
)

test('docs/library.md names every export of every entry point, and no other', () => {
  const program = ts.createProgram([...entryPoints.values()], { module: ts.ModuleKind.NodeNext, noLib: true })
  const checker = program.getTypeChecker()
  const exportsOf = (file: string) => {
    const symbol = checker.getSymbolAtLocation(program.getSourceFile(file) as ts.SourceFile)
    return symbol ? checker.getExportsOfModule(symbol).map(({ name }) => name) : []
  }
  const shared = new Set(exportsOf(entryPoints.get('mappa/legend') as string))
  assert.ok(entryPoints.size >= 12)
  for (const [entry, file] of entryPoints) {
    assert.ok(document.includes(`\n## ${entry}\n`), entry)
    const [, own = ''] = document.split(`\n## ${entry}\n`)
    const section = own.split('\n## ')[0] as string
    const named = [...section.matchAll(/^\| (`.*?`) \|/gm)].flatMap(([, cell = '']) =>
      [...cell.matchAll(/`(\w+)`/g)].map(([, name]) => name as string),
    )
    const found = exportsOf(file).filter((name) => entry !== 'mappa' || !shared.has(name))
    assert.deepEqual([...new Set(named)].sort(), found.sort(), entry)
  }
})

test('the examples of docs/library.md compile, run, and print what stands beside them', async () => {
  const blocks = [...document.matchAll(/```ts(?: file=(\S+))?\n([\s\S]*?)```/g)].map(([, file, text = ''], at) => ({
    file: file ?? `example-${at}.mts`,
    text,
  }))
  const root = project({
    ...Object.fromEntries(blocks.map(({ file, text }) => [file, text])),
    '.env.local': 'ALERT_TOKEN=sms_test_buckwheat_clover\n',
    'package.json': '{ "type": "module" }',
    'tsconfig.json': JSON.stringify({
      compilerOptions: {
        strict: true,
        module: 'nodenext',
        target: 'es2023',
        skipLibCheck: true,
        outDir: '.',
        types: ['node'],
        typeRoots: [join(top, 'node_modules/@types')],
      },
      files: blocks.map(({ file }) => file),
    }),
  })
  const compiled = await node([join(top, 'node_modules/typescript/bin/tsc'), '-p', '.'], { cwd: root })
  assert.equal(compiled.code, 0, compiled.stdout)
  for (const { file, text } of blocks.slice(1)) {
    const { code, stdout, stderr } = await node([file.replace(/mts$/, 'mjs')], { cwd: root })
    assert.equal(code, 0, `${text}\n${stderr}`)
    const plain = (each: string) => each.replaceAll('\\n', '\n').replace(/\s+/g, ' ').trim()
    // What is behind // is printed, with … for what is left out.
    for (const [, said = ''] of text.matchAll(/^console\.log\(.*\) \/\/ (.*)$/gm)) {
      let from = 0
      for (const piece of said.split('…').map(plain).filter(Boolean)) {
        const at = plain(stdout).indexOf(piece, from)
        assert.ok(at >= 0, `${said}\n${stdout}`)
        from = at
      }
    }
  }
  assert.ok(blocks.length > 8)
})

test('pages of docs that are made from the results of npm run field say what those say', () => {
  const results = JSON.parse(readFileSync(join(top, 'docs/field.json'), 'utf8'))
  assert.equal(readFileSync(join(top, 'docs/runtimes.md'), 'utf8'), runtimesPage(results.runtimes))
  assert.ok(readFileSync(join(top, 'docs/witness.md'), 'utf8').includes(applicationsTable(results.applications)))
  assert.ok(readFileSync(join(top, 'docs/format.md'), 'utf8').includes(readersTable(results.readers)))
  assert.ok(readFileSync(join(top, 'docs/starts.md'), 'utf8').includes(startersTable(results.starters)))
  assert.ok(readFileSync(join(top, 'docs/lift.md'), 'utf8').includes(liftedTable(results.lifted)))
  for (const [part, { date, node: version, passed = true }] of Object.entries<Record<string, unknown>>(results)) {
    assert.match(`${date} ${version}`, /^\d{4}-\d\d-\d\d \d+\.\d+\.\d+$/, part)
    assert.equal(passed, true, part)
  }
})

test('tests are 25 to 33 % of all lines of code', () => {
  const { tests, all, share } = countLines()
  assert.ok(share >= 0.25 && share <= 0.33, `${tests} of ${all}`)
})

test('stored answers are for people: each says what it holds, and no line is longer than a screen takes', () => {
  const folders = ['build/test/stored', 'cli/test/faults', 'cli/test/outputs', 'cli/test/stored', 'mappa/test/stored']
  for (const folder of folders)
    for (const name of readdirSync(join(top, 'packages', folder))) {
      const lines = readFileSync(join(top, 'packages', folder, name), 'utf8').split('\n')
      assert.match(lines[0] ?? '', /^#: \S/, `${folder}/${name}`)
      // A whole page is what a browser reads.
      const longest = name === 'guide-html.txt' ? 0 : Math.max(...lines.map(({ length }) => length))
      assert.ok(longest <= 200, `${folder}/${name} has a line of ${longest}`)
    }
})

/** Phrases that a reader stumbles over. Whole phrases, since *left alone* and *is no longer* are English. */
const worst: readonly RegExp[] = [
  /, and is "/,
  /\bno layer sets that\b/,
  /\bwould take it\b/,
  /\blived with\b/,
  /\ba variable more\b/,
  /\bis no (?:duration|number|port|secret|name|text)\b/,
  /\bare none of\b/,
  /\bthis machine alone\b/,
  /\bhas to be given\b/,
  /\bmust be given, before\b/,
  /\blook(?:ed)? at what\b/i,
  /\bwhoever\b/i,
  /\bversion control\b/i,
  /\bhanded out\b/,
  /\bmade anew\b/,
  /\bno entry declares\b/,
  /\bwhere (?:its|their) reach does not\b/,
  /\bholds the text of\b/,
  /\bis hidden by this machine\b/,
  /\bby its shape, and this is\b/,
  /\bends with 1\b/,
  /^Type: /m,
]

/** Shapes of issued keys that scanners search clones for. */
const issued: readonly RegExp[] = [
  /-----BEGIN (?:[A-Z]+ )*PRIVATE KEY-----(?:\\n|\s)*[A-Za-z0-9+/]{16}/,
  /\bey[J][\w-]{10,}\.ey[J][\w-]{8,}/,
  /\b(?:AKIA|ASIA)[0-9A-Z]{16}\b/,
  /\b[sr]k_(?:live|test)_\w{10,}/,
  /\bgh[opsru]_\w{30,}/,
  /\bglpat-[\w-]{16,}/,
  /\bxox[abprs]-[\w-]{10,}/,
  /\bnpm_[A-Za-z0-9]{30,}/,
  /\bAIza[\w-]{30,}/,
]

test('no file of the repository has the shape of an issued key, so that no scanner stops a clone', () => {
  const paths = execFileSync('git', ['ls-files', '-z'], { cwd: top, encoding: 'utf8' }).split('\0').filter(Boolean)
  const found = paths.flatMap((path) => {
    const text = existsSync(join(top, path)) ? readFileSync(join(top, path), 'latin1') : ''
    return issued.flatMap((shape) => shape.exec(text)?.[0].slice(0, 60) ?? []).map((at) => `${path}: ${at}`)
  })
  assert.deepEqual(found, [])
})

test('no message, comment, test name or page holds a phrase that readers stumble over', () => {
  const folders = ['packages', 'scripts', 'examples', 'docs', 'test']
  const own = folders.flatMap((folder) =>
    readdirSync(join(top, folder), { recursive: true, encoding: 'utf8' })
      .filter((path) => /\.(?:ts|mjs|md|txt)$/.test(path) && !/node_modules|[\\/]dist[\\/]|documents\.test/.test(path))
      .map((path) => join(folder, path)),
  )
  const found = [...own, 'README.md', 'CHANGELOG.md', 'CONTRIBUTING.md'].flatMap((path) => {
    const lines = readFileSync(join(top, path), 'utf8').split('\n')
    return lines.flatMap((line, at) => {
      const wrong = worst.find((phrase) => phrase.test(line))
      return wrong ? [`${path}:${at + 1}: ${wrong.source}: ${line.trim().slice(0, 100)}`] : []
    })
  })
  assert.deepEqual(found, [])
})
