// `mappa with` has a short way for what is mostly so. Whatever is in front of it, it is to do and say what the whole
// program does and says.
import assert from 'node:assert/strict'
import { spawn } from 'node:child_process'
import { chmodSync, mkdirSync, mkdtempSync, readdirSync, readFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import type { Readable } from 'node:stream'
import test, { after } from 'node:test'
import { type Ended, environment, mappaProcess, project, token, top } from '../../../test/helpers.js'

/** The whole program, one run after the other in one process, each ended by a mark in both of its streams. */
const whole = `const { run } = await import(${JSON.stringify(join(top, 'packages/cli/dist/program.js'))})
for (const stream of [process.stdout, process.stderr]) stream.setMaxListeners(0)
process.on('message', async ({ line, cwd, env }) => {
  process.chdir(cwd)
  process.exitCode = undefined
  for (const name of Object.keys(process.env)) delete process.env[name]
  Object.assign(process.env, env)
  await run(line)
  for (const stream of [process.stdout, process.stderr]) stream.write('\\x01' + process.exitCode + '\\x02')
})`

function startWhole() {
  const child = spawn(process.execPath, ['--input-type=module', '-e', whole], {
    stdio: ['ignore', 'pipe', 'pipe', 'ipc'],
  })
  after(() => child.kill())
  const streams = [child.stdout, child.stderr]
  return async (line: readonly string[], { cwd, env }: { cwd: string; env: Readonly<Record<string, string>> }) => {
    const texts = Promise.all(streams.map((stream) => untilMark(stream as Readable)))
    child.send({ line, cwd, env: environment(env) })
    const [out, err] = await texts
    return { code: Number(out?.[2] ?? 0) || 0, signal: null, stdout: out?.[1] ?? '', stderr: err?.[1] ?? '' }
  }
}

function untilMark(stream: Readable): Promise<RegExpExecArray> {
  return new Promise((resolve) => {
    let text = ''
    const take = (data: Buffer) => {
      text += data
      const found = /^([\s\S]*)\x01(\w+)\x02$/.exec(text)
      if (!found) return
      stream.off('data', take)
      resolve(found)
    }
    stream.on('data', take)
  })
}

const legendText = (more = '', options = '') => `import { legend } from 'mappa/legend'
export default legend({
  PORT: { type: 'port', default: 4100, stages: { production: { default: 4300 } } },
  URL: { type: 'string', default: 'http://localhost/' },
  TOKEN: { type: 'string', secret: true, optional: true, file: true },
  LIST: { type: 'array', items: { type: 'string' }, optional: true },
${more}}, { ${options} })
`
const layers = {
  '.env': 'OTHER=undeclared\nLIST=a,b\nQUOTED="x ${PORT}\n y"\nDOLLAR=\'$(x)\'\n',
  '.env.staging': 'PORT=4200\n',
  '.env.local': `TOKEN=${token}\n`,
}

interface Case {
  readonly files?: Readonly<Record<string, string>>
  /** The legend, instead of the usual one. */
  readonly legend?: readonly [file: string, text: string]
  readonly args?: string
  readonly env?: Readonly<Record<string, string>>
  /** A directory below the root. */
  readonly from?: string
  readonly child?: readonly string[]
}

const printed = ['--', 'env', '-0']
const again = ['--', process.execPath, join(top, 'packages/cli/bin/mappa.js'), 'with']
const own = (more: string, options = '') => ['mappa.legend.mjs', legendText(more, options)] as const
const json = '{ "type": "object", "properties": { "PORT": { "type": "integer", "default": 3 } } }'
const env = (text: string) => ({ '.env': text })
const cases: Readonly<Record<string, Case>> = {
  plain: {},
  'a stage': { args: 'staging' },
  'a stage by flag, from below': { args: '--stage=production', from: 'a/b' },
  'a root': { args: '--root a', files: { 'a/package.json': '{ "name": "a" }', 'a/.env': 'PORT=9\n' } },
  'a stage and a host': { env: { MAPPA_STAGE: 'staging', PORT: '5', LIST: '', NODE_ENV: 'production' } },
  'NODE_ENV that is none': { env: { NODE_ENV: 'prod' } },
  'two stages': { args: 'staging --stage production' },
  'a stage by flag twice': { args: '--stage staging --stage staging' },
  'a stage twice': { args: 'staging staging' },
  'a root twice': { args: '--root . --root a' },
  'a flag without its value': { args: '--stage' },
  'an option of the whole program': { args: '--set PORT=7' },
  'no program': { child: ['--', 'no-such-hive'] },
  'a program that may not be run': { child: ['--', './.env'] },
  'what changes loading': { files: env('NODE_OPTIONS=--no-warnings\nPATH=/nowhere\n') },
  'a fault in a value': { args: 'staging', files: { '.env.staging': 'PORT=42oo\n' } },
  'a fault in a layer': { files: env("PORT='41\n") },
  'a slip': { files: env('PROT=4100\nTOKEN=\n') },
  'a stage in a layer': { files: env('MAPPA_STAGE=staging\n') },
  'a file that a name names': { files: { ...env('TOKEN_FILE=key\n'), key: `${token}\n`, '.env.local': '' } },
  'a fault in the legend': { legend: own("A: { type: 'strng' },\n") },
  'a legend that fails': { legend: ['mappa.legend.mjs', 'throw new Error("bees")\n'] },
  'a rule that fails': {
    legend: own('', "rules: { 'It is even.': ({ PORT }) => PORT % 2 === 0 }"),
    files: env('PORT=41\n'),
  },
  'a value that no process takes': { files: env(`MANY='${'x'.repeat(140_000)}'\n`) },
  'a long value': { files: env(`MANY='${'x'.repeat(40_000)}'\n`) },
  'a value at the limit': { files: env(`MANY='${'x'.repeat(50_000)}'\n`) },
  'no legend': { legend: ['none', ''] },
  'what only ends as a stage': { args: 'x--stage=staging' },
  'what only begins as a flag': { args: '--stagex=staging' },
  'a flag for a value': { args: '--stage --root' },
  'no command': { child: ['--'] },
  'no dashes': { child: [] },
  'a legend as JSON': { legend: ['mappa.legend.json', json] },
  'a legend in TypeScript': { legend: ['mappa.legend.ts', legendText()] },
  'the same as CommonJS': { legend: ['mappa.legend.cts', legendText().replace('export default', 'export =')] },
  'directories of values': { legend: own('', "directories: ['keys']"), files: { 'keys/TOKEN': 'mounted\n' } },
  'a remote source': {
    legend: own("HOST: { type: 'string', optional: true },\n", "remotes: [{ name: 'the host', url: 'HOST' }]"),
    files: { '.env.local': 'HOST=http://127.0.0.1:1/\n' },
  },
  'the top of a repository': {
    legend: ['a/mappa.legend.mjs', legendText('', 'topLayers: true')],
    from: 'a',
    files: { 'a/package.json': '{ "name": "a" }' },
  },
  'a run inside another': { args: 'staging', child: [...again, ...printed] },
  'another stage inside': { args: 'staging', child: [...again, 'production', ...printed] },
}

/** What is so usual that it must not cost the start of the whole program. */
const quick = new Set([
  'plain',
  'a stage',
  'a root',
  'a stage and a host',
  'what changes loading',
  'a legend as JSON',
  'a legend in TypeScript',
  'the same as CommonJS',
  'a run inside another',
  'a long value',
])

/** What looks usual, but is not. Node writes down which files it has run for these and the usual ones, which takes its time. */
const long = new Set([
  'a fault in the legend',
  'a flag for a value',
  'a root twice',
  'a stage twice',
  'a value at the limit',
  'no command',
  'no dashes',
  'two stages',
  'what only begins as a flag',
  'what only ends as a stage',
])

test('the short way of `with` is taken where it may be, and does and says the same as the whole program', async () => {
  const runWhole = startWhole()
  for (const [name, { files, legend = own(''), args = '', env = {}, from = '.', child = printed }] of Object.entries(
    cases,
  )) {
    const root = project({ ...layers, ...files, [legend[0]]: legend[1] })
    mkdirSync(join(root, 'a/b'), { recursive: true })
    chmodSync(join(root, '.env'), 0o600)
    const options = { cwd: join(root, from), env }
    const line = ['with', ...args.split(' ').filter((each) => each), ...child]
    // The first compiles a legend in TypeScript, which the next finds.
    const byWhole = await runWhole(line, options)
    const ran = quick.has(name) || long.has(name) ? mkdtempSync(join(tmpdir(), 'mappa-ran-')) : undefined
    const short = await mappaProcess(line, { ...options, env: { ...env, ...(ran && { NODE_V8_COVERAGE: ran }) } })
    if (ran) {
      const loaded = readdirSync(ran).map((file) => readFileSync(join(ran, file), 'utf8'))
      assert.ok(
        loaded.some((text) => text.includes('cli/dist/with.js')),
        `${name}: Node wrote down nothing`,
      )
      const isLong = loaded.some((text) => text.includes('cli/dist/program.js'))
      assert.equal(isLong ? 'long' : 'short', quick.has(name) ? 'short' : 'long', name)
    }
    assert.deepEqual(compared(short), compared(byWhole), name)
    assert.ok(byWhole.code !== 0 || byWhole.stdout.includes('MAPPA_SET'), name)
    assert.ok(!short.stderr.includes(token), name)
  }
})

/** Without what this machine has set; the digests of `MAPPA_SET` are salted anew each time. */
function compared({ code, signal, stdout, stderr }: Ended) {
  const pair = (text: string) => text.split(/=([\s\S]*)/) as [string, string]
  const isOwn = ([name, text]: [string, string]) =>
    !['_', 'NODE_V8_COVERAGE'].includes(name) && process.env[name] !== text
  const env = stdout.includes('\0') ? stdout.split('\0').map(pair).filter(isOwn) : [stdout]
  return { code, signal, stderr, env: env.join('\n').replace(/^(MAPPA_SET,\w+)\.\w+|([,/]\w+):\w+/gm, '$1$2') }
}
