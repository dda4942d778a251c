// Programs that `mappa with` runs have its descriptors. Nothing that mappa loads or says may change those: a pipe that became
// non-blocking makes other programs lose what they read or write.
import assert from 'node:assert/strict'
import { spawn, spawnSync } from 'node:child_process'
import { existsSync, readFileSync } from 'node:fs'
import { join } from 'node:path'
import test from 'node:test'
import { environment, hangMax, noTerminal, project, top } from '../../../test/helpers.js'

const bin = join(top, 'packages/cli/bin/mappa.js')
const legendText =
  "import { legend } from 'mappa/legend'\nexport default legend({ HIVES: { type: 'integer', default: 3 } })\n"
const files = { '.env': 'HIVES=4\n', 'package.json': '{ "type": "module" }', 'mappa.legend.js': legendText }
/** The ways to run a program, and the words that lead to each. */
const ways = {
  quick: '',
  whole: '--debug',
  watched: '--watch --grace 1',
  'said where values are from': '--debug --stage development',
} as const
const flagsSeen =
  'const { readFileSync: read, writeFileSync } = require("node:fs"); setTimeout(() => writeFileSync("flags", [0, 1, 2].map((at) => /flags:\\s*(\\d+)/.exec(read(`/proc/self/fdinfo/${at}`, "utf8"))[1]).join(" ")), 400)'
const quoted = (text: string) => `'${text.replaceAll("'", `'\\''`)}'`
const runs = process.env.MAPPA_NODES?.split(',') ?? [process.execPath]

/** Runs a line of a shell in a folder; its end, and what it prints. */
function shell(line: string, cwd: string, env: Readonly<Record<string, string>> = {}): Promise<string> {
  const child = spawn('bash', ['-c', line], {
    cwd,
    env: environment(env),
    stdio: ['ignore', 'pipe', 'pipe'],
    timeout: hangMax,
  })
  let text = ''
  for (const stream of [child.stdout, child.stderr]) stream.on('data', (data) => (text += data))
  return new Promise((resolve) => child.once('close', () => resolve(text.trim())))
}

/** Has a program say at its end who runs it, so that what watches can be ended. */
const ending = (program: string) => `sh -c ${quoted(`${program}; echo $PPID > ending; mv ending done`)}`
const ended = (way: keyof typeof ways, line: string) =>
  way === 'watched'
    ? `{ ${line}; } & at=$!; while [ ! -e done ]; do sleep 0.05; done; kill -TERM $(cat done); wait $at`
    : line

for (const run of runs) {
  const version = spawnSync(run, ['--version'], { encoding: 'utf8' }).stdout.trim()
  const mappa = (way: keyof typeof ways, program: string) =>
    `${quoted(run)} ${quoted(bin)} with ${ways[way]} -- ${program}`

  test(`the descriptors that a program gets from \`with\` block, as they did before: ${version}`, {
    skip: !existsSync('/proc/self/fdinfo'),
  }, async () => {
    const shapes = {
      pipes: (line: string) => `sleep 1 | ${line} 2> >(cat) | cat`,
      files: (line: string) => `${line} < .env > out 2> err`,
    }
    const cases = (Object.keys(ways) as (keyof typeof ways)[]).flatMap((way) =>
      Object.entries(shapes).map(([shape, around]) => [way, shape, around] as const),
    )
    await Promise.all(
      cases.map(async ([way, shape, around]) => {
        const root = project(files)
        const program = `${quoted(process.execPath)} -e ${quoted(flagsSeen)}`
        const line = mappa(way, ending(program))
        const telling: Readonly<Record<string, string>> = way.startsWith('said') ? { MAPPA_TELL: '1' } : {}
        await shell(ended(way, around(line)), root, telling)
        const flags = readFileSync(join(root, 'flags'), 'utf8')
          .split(' ')
          .map((each) => Number.parseInt(each, 8))
        for (const each of flags)
          assert.equal(each & 0o4000, 0, `${way}, ${shape}: ${flags.map((flag) => flag.toString(8))}`)
      }),
    )
  })

  test(`20 MB go through a program of \`with\` both ways, however slow the others are: ${version}`, async () => {
    const size = 20_000_000
    const slowly =
      'perl -e \'while (sysread(STDIN, $x, 65536)) { $n += length $x; select(undef, undef, undef, 0.002) } print "$n\\n"\''
    const move = async (way: 'quick' | 'whole' | 'watched') => {
      const root = project(files)
      // One reads as fast as it can, one is read slowly, one does both.
      const reads = mappa(way, ending('wc -c > count'))
      await shell(ended(way, `head -c ${size} /dev/zero | ${reads}`), root)
      assert.equal(Number(readFileSync(join(root, 'count'), 'utf8')), size, `${way}: read`)
      const writes = project(files)
      const written = mappa(way, ending(`head -c ${size} /dev/zero`))
      await shell(ended(way, `${written} | ${slowly} > count`), writes)
      assert.equal(Number(readFileSync(join(writes, 'count'), 'utf8')), size, `${way}: written`)
      const both = project(files)
      const passed = mappa(way, ending('cat'))
      await shell(ended(way, `head -c ${size} /dev/zero | ${passed} | ${slowly} > count`), both)
      assert.equal(Number(readFileSync(join(both, 'count'), 'utf8')), size, `${way}: passed on`)
    }
    await Promise.all([move('quick'), move('whole'), move('watched')])
  })
}

test('sockets and terminals stay as they are, too', {
  skip: noTerminal || !existsSync('/proc/self/fdinfo'),
}, async () => {
  for (const way of ['quick', 'whole'] as const) {
    const root = project(files)
    const words = ways[way] === '' ? [] : ways[way].split(' ')
    // Node gives its children sockets.
    const child = spawn(process.execPath, [bin, 'with', ...words, '--', process.execPath, '-e', flagsSeen], {
      cwd: root,
      env: environment(),
    })
    await new Promise((resolve) => child.once('close', resolve))
    const flags = readFileSync(join(root, 'flags'), 'utf8')
      .split(' ')
      .map((each) => Number.parseInt(each, 8) & 0o4000)
    assert.deepEqual(flags, [0, 0, 0], `${way}: sockets`)
    const seen = project(files)
    const line = [process.execPath, bin, 'with', ...words, '--', process.execPath, '-e', flagsSeen]
      .map(quoted)
      .join(' ')
    await shell(`script -qec ${quoted(line)} /dev/null < /dev/null`, seen)
    const shown = readFileSync(join(seen, 'flags'), 'utf8')
      .split(' ')
      .map((each) => Number.parseInt(each, 8) & 0o4000)
    assert.deepEqual(shown, [0, 0, 0], `${way}: terminal`)
  }
})
