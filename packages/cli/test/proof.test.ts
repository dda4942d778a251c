// What lift moves is the same afterwards: small applications, started before and after in each stage, and what is not shown to be the
// same stays, with the reason.
import assert from 'node:assert/strict'
import { execFileSync, spawnSync } from 'node:child_process'
import { readFileSync } from 'node:fs'
import { join } from 'node:path'
import { describe, test } from 'node:test'
import { environment, mappa, project } from '../../../test/helpers.js'

interface Row {
  readonly files: Readonly<Record<string, string>>
  /** Names that move; the others stay. */
  readonly moves: readonly string[]
  /** Why the others stay. */
  readonly stays?: RegExp
  /** Further values of NODE_ENV that starts give. */
  readonly also?: readonly string[]
}

const told = (values: string) => `console.log(JSON.stringify([${values}]))\n`
const isProd = "process.env.NODE_ENV === 'production'"
const [local, live] = ["'http://localhost:4100'", "'https://feed.fennelhill.example'"]

const rows: Readonly<Record<string, Row>> = {
  'a name that is not the stage it sounds like': {
    files: {
      'app.js': `const dev = !(${isProd})\nconst feedUrl = dev ? ${local} : ${live}\n${told('feedUrl')}`,
    },
    moves: ['FEED_URL'],
  },
  'a definition in another file, through a function and another name': {
    files: {
      'app.js': `import { local as dev } from './env.js'\nconst feedUrl = dev ? ${local} : ${live}\n${told('feedUrl')}`,
      'env.js':
        "import { stage } from './stage.js'\nexport const local = !['production', 'staging'].includes(stage())\n",
      'stage.js':
        "export function stage() { const { NODE_ENV = 'development' } = process.env; return NODE_ENV.trim() }\n",
    },
    moves: ['FEED_URL'],
  },
  'modules of CommonJS, and a table': {
    files: {
      'package.json': '{ "name": "hives", "private": true }',
      'app.js': `const { config } = require('./config')\nconst feedUrl = config.isProd ? ${live} : ${local}\n${told('feedUrl')}`,
      'config.js': `const flags = { isProd: ${isProd} }\nmodule.exports = { config: flags }\n`,
    },
    moves: ['FEED_URL'],
  },
  'a field of a class': {
    files: {
      'app.js': `class Feed {\n  constructor() {\n    this.dev = process.env.NODE_ENV !== 'production'\n  }\n  url() {\n    const feedUrl = this.dev ? ${local} : ${live}\n    return feedUrl\n  }\n}\n${told('new Feed().url()')}`,
    },
    moves: ['FEED_URL'],
  },
  'a secret, which tests have as well': {
    files: { 'app.js': `const alertToken = 'qK8vLw2ZpX5rT7nB3mD9sF1gH4jC6yAe'\n${told('alertToken')}` },
    moves: ['ALERT_TOKEN'],
  },
  'a switch whose cases share a value': {
    files: {
      'app.js': `function feedUrl() {\n  switch (process.env.NODE_ENV) {\n    case 'production':\n      return ${live}\n    case 'staging':\n      return 'https://feed-staging.fennelhill.example'\n    default:\n      return ${local}\n  }\n}\n${told('feedUrl()')}`,
    },
    moves: ['FEED_URL'],
  },
  'one choice in another': {
    files: {
      'app.js': `const isProd = ${isProd}\nconst isStaging = process.env.NODE_ENV === 'staging'\nconst feedUrl = isProd ? ${live} : isStaging ? 'https://feed-staging.fennelhill.example' : ${local}\n${told('feedUrl')}`,
    },
    moves: ['FEED_URL'],
  },
  'a stage that only a script names': {
    files: {
      'package.json': '{ "name": "hives", "type": "module", "scripts": { "start:qa": "NODE_ENV=qa node app.js" } }',
      'app.js': `const isProd = ${isProd} || process.env.NODE_ENV === 'qa'\nconst feedUrl = isProd ? ${live} : ${local}\n${told('feedUrl')}`,
    },
    moves: ['FEED_URL'],
    also: ['qa'],
  },
  'a value that is replaced under conditions': {
    files: {
      'app.js': `let feedUrl = ${local}\nif (process.env.NODE_ENV === 'staging') feedUrl = 'https://feed-staging.fennelhill.example'\nif (${isProd}) {\n  feedUrl = ${live}\n}\n${told('feedUrl')}`,
    },
    moves: ['FEED_URL'],
  },
  'early returns': {
    files: {
      'app.js': `function feedUrl() {\n  if (${isProd}) return ${live}\n  if (process.env.NODE_ENV === 'staging') return 'https://feed-staging.fennelhill.example'\n  return ${local}\n}\nconst mapUrl = () => {\n  if (process.env.NODE_ENV !== 'production') {\n    return 'https://map-test.fennelhill.example'\n  }\n  return 'https://map.fennelhill.example'\n}\n${told('feedUrl(), mapUrl()')}`,
    },
    moves: ['FEED_URL', 'MAP_URL'],
  },
  'lists of addresses, which code may change': {
    files: {
      'app.js': `const isProd = ${isProd}\nconst allowedOrigins = isProd ? [${live}] : [${local}, 'http://localhost:4200']\nallowedOrigins.push('x')\nconst hosts = ['a.fennelhill.example', 'b.fennelhill.example']\n${told('allowedOrigins, hosts')}`,
    },
    moves: ['ALLOWED_ORIGINS', 'HOSTS'],
  },
  'switches of features': {
    files: {
      'app.js': `const isProd = ${isProd}\nconst features = { newMap: !isProd, swarmAlert: isProd, isProd }\n${told('features')}`,
    },
    moves: ['NEW_MAP', 'SWARM_ALERT'],
  },
  'a table that code takes its stage from': {
    files: {
      'app.js': `const stage = process.env.NODE_ENV ?? 'development'\nconst feedUrls = { development: ${local}, production: ${live} }\n${told('feedUrls[stage], Object.keys(feedUrls)')}`,
    },
    moves: ['FEED_URL'],
  },
  'a table that another variable chooses from': {
    files: {
      'app.js': `const feedUrls = { development: ${local}, production: ${live} }\n${told("feedUrls[process.env.TARGET ?? 'development']")}`,
    },
    moves: ['TARGET'],
    stays: /TARGET may have any value/,
  },
  'a table of which code takes one by its name': {
    files: {
      'app.js': `const stage = process.env.NODE_ENV ?? 'development'\nconst feedUrls = { development: ${local}, production: ${live} }\n${told('feedUrls[stage], feedUrls.production')}`,
    },
    moves: [],
    stays: /code takes production in every stage/,
  },
  'a table that is handed on, and one of which another file takes one by its name': {
    files: {
      'app.js': `import { other } from './other.js'\nimport { mapUrls } from './urls.js'\nconst stage = process.env.NODE_ENV ?? 'development'\nconst feedUrls = { development: ${local}, production: ${live} }\n${told('feedUrls[stage], Object.values(feedUrls), mapUrls[stage], other')}`,
      'urls.js': `export const mapUrls = { development: 'http://localhost:4200', production: 'https://map.fennelhill.example' }\n`,
      'other.js': "import { mapUrls } from './urls.js'\nexport const other = mapUrls.production\n",
    },
    moves: [],
    stays: /its table is handed on.*code takes production in every stage/,
  },
  'branches that set several': {
    files: {
      'app.js': `let feedUrl\nlet mapUrl\nif (${isProd}) {\n  feedUrl = ${live}\n  mapUrl = 'https://map.fennelhill.example'\n} else {\n  feedUrl = ${local}\n  mapUrl = 'https://map-test.fennelhill.example'\n}\n${told('feedUrl, mapUrl')}`,
    },
    moves: ['FEED_URL', 'MAP_URL'],
  },
  'branches whose names are not the stages': {
    files: {
      'app.js': `const isProd = process.env.NODE_ENV !== 'development'\nlet feedUrl\nlet mapUrl\nif (isProd) {\n  feedUrl = ${live}\n  mapUrl = 'https://map.fennelhill.example'\n} else {\n  feedUrl = ${local}\n  mapUrl = 'https://map-test.fennelhill.example'\n}\n${told('feedUrl, mapUrl')}`,
    },
    moves: [],
    stays: /code takes the value of another stage/,
  },
  'a file for each stage, by its computed name': {
    files: {
      'package.json': '{ "name": "hives", "private": true }',
      'app.js': `const { feedUrl } = require('./config/' + (process.env.NODE_ENV === 'production' ? 'production' : 'development'))\n${told('feedUrl')}`,
      'config/development.js': `module.exports = { feedUrl: ${local} }\n`,
      'config/production.js': `module.exports = { feedUrl: ${live} }\n`,
    },
    moves: ['FEED_URL'],
  },
  'a file for each stage, by another variable': {
    files: {
      'package.json': '{ "name": "hives", "private": true }',
      'app.js': `const { feedUrl } = require('./config/' + (process.env.TARGET || 'development'))\n${told('feedUrl')}`,
      'config/development.js': `module.exports = { feedUrl: ${local} }\n`,
      'config/production.js': `module.exports = { feedUrl: ${live} }\n`,
    },
    moves: ['TARGET'],
    stays: /TARGET may have any value/,
  },
  'variables of a layer file that the start does not load': {
    files: {
      'package.json': '{ "name": "hives", "private": true, "type": "module", "scripts": { "start": "node app.js" } }',
      'app.js': told(
        `process.env.FEED_URL || ${local}, process.env.MAP_URL ?? ${live}, process.env.SAME_URL ?? 'same'`,
      ),
      '.env': 'FEED_URL=https://old.fennelhill.example\nSAME_URL=same\n',
    },
    // The list has what layers hold, too.
    moves: ['MAP_URL', 'SAME_URL', 'FEED_URL'],
    stays: /"start" does not load \.env today, but settings would give code the value in \.env/,
  },
  'build output that goes on reading the variable': {
    files: {
      'package.json':
        '{ "name": "hives", "private": true, "type": "module", "scripts": { "start": "node build/main.js" } }',
      'app.js': told("process.env.SKIP_CHECKS || 'false'"),
      'build/main.js': "import './checks.js'\nimport '../app.js'\n",
      'build/checks.js': "if (process.env.SKIP_CHECKS === 'true') console.log('skipped')\n",
    },
    moves: ['SKIP_CHECKS'],
  },
  'a start without a stage that is not development': {
    files: {
      'app.js': `const isDev = process.env.NODE_ENV === 'development'\nconst feedUrl = isDev ? ${local} : ${live}\n${told('feedUrl')}`,
    },
    moves: [],
    stays: /without NODE_ENV code takes another value than in development/,
  },
  'a name that nothing here defines': {
    files: { 'app.js': `const feedUrl = globalThis.isProd ? ${live} : ${local}\n${told('feedUrl')}` },
    moves: [],
    stays: /is not proved: the member isProd|is not proved: globalThis belongs/,
  },
  'a name that is set again': {
    files: {
      'app.js': `let isProd = false\nif (process.env.NODE_ENV) isProd = true\nconst feedUrl = isProd ? ${live} : ${local}\n${told('feedUrl')}`,
    },
    moves: [],
    stays: /isProd is set more than once/,
  },
  'a table that other code changes': {
    files: {
      'app.js': `import { config } from './config.js'\nimport './late.js'\nconst feedUrl = config.isProd ? ${live} : ${local}\n${told('feedUrl')}`,
      'config.js': `export const config = { isProd: ${isProd} }\n`,
      'late.js': "import { config } from './config.js'\nconfig.isProd = true\n",
    },
    moves: [],
    stays: /what config holds may be changed/,
  },
  'a table that its own file exports and another changes': {
    files: {
      'app.js': `import './late.js'\nexport const config = { isProd: ${isProd} }\nexport function url() {\n  const feedUrl = config.isProd ? ${live} : ${local}\n  return feedUrl\n}\n`,
      'late.js': "import { config } from './app.js'\nsetTimeout(() => { config.isProd = true })\n",
    },
    moves: [],
    stays: /what config holds may be changed/,
  },
  'a part of a table that has another name': {
    files: {
      'app.js': `const config = { flags: { isProd: ${isProd} } }\nconst { flags } = config\nflags.isProd = true\nconst feedUrl = config.flags.isProd ? ${live} : ${local}\n${told('feedUrl')}`,
    },
    moves: [],
    stays: /what config holds may be changed/,
  },
  'a table that changes itself': {
    files: {
      'app.js': `const config = { isProd: ${isProd}, load() { this.isProd = true } }\nconfig.load()\nconst feedUrl = config.isProd ? ${live} : ${local}\n${told('feedUrl')}`,
    },
    moves: [],
    stays: /what config holds may be changed/,
  },
  'a stage that code sets itself': {
    files: {
      'app.js': `process.env.NODE_ENV ||= 'production'\nconst isProd = ${isProd}\nconst feedUrl = isProd ? ${live} : ${local}\n${told('feedUrl')}`,
    },
    moves: [],
    stays: /code sets NODE_ENV/,
  },
  'a switch of the host besides': {
    files: {
      'app.js': `const isProd = ${isProd} && !process.env.CI\nconst feedUrl = isProd ? ${live} : ${local}\n${told('feedUrl')}`,
    },
    moves: [],
    stays: /CI may have any value/,
  },
}

/** Starts a program once for each environment, all in one process, and gives what each printed. */
const starter = `import { Worker } from 'node:worker_threads'
const said = []
for (const env of JSON.parse(process.argv[3])) {
  const worker = new Worker(process.argv[2], { env, stdout: true, stderr: true })
  let text = ''
  for (const stream of [worker.stdout, worker.stderr]) stream.on('data', (data) => { text += data })
  worker.on('error', (error) => { text += error })
  await new Promise((resolve) => worker.once('exit', resolve))
  said.push(text)
}
console.log(JSON.stringify(said))
`

function started(root: string, environments: readonly object[]): readonly string[] {
  const args = [join(root, 'starter.mjs'), join(root, 'app.js'), JSON.stringify(environments)]
  return JSON.parse(execFileSync(process.execPath, args, { cwd: root, env: environment(), encoding: 'utf8' }))
}

describe('what lift moves is the same in every stage', { concurrency: 2 }, () => {
  for (const [name, { files, moves, stays, also = [] }] of Object.entries(rows))
    test(name, async () => {
      const root = project({
        'package.json': '{ "name": "hives", "private": true, "type": "module" }',
        'starter.mjs': starter,
        ...files,
      })
      const environments = [undefined, 'development', 'test', 'staging', 'production', ...also].map((stage) =>
        stage === undefined ? {} : { NODE_ENV: stage },
      )
      const before = moves.length === 0 ? [] : started(root, environments)
      const { code, stdout, stderr } = await mappa(['lift', '--apply', '--uncommitted'], { cwd: root })
      assert.equal(code, 0, `${stdout}${stderr}`)
      if (moves.length === 0) assert.equal(readFileSync(join(root, 'app.js'), 'utf8'), files['app.js'])
      else assert.deepEqual(started(root, environments), before)
      const listed = await mappa(['list', '--json'], { cwd: root })
      const names =
        moves.length === 0 ? [] : (JSON.parse(listed.stdout).variables as { name: string }[]).map((each) => each.name)
      assert.deepEqual(names, moves, stdout)
      if (stays) assert.match(stdout.replace(/\s+/g, ' '), stays)
    })
})

test('in a page the mode is the stage, and NODE_ENV is not', async () => {
  const root = project({
    'package.json': '{ "name": "hives", "private": true, "type": "module" }',
    'vite.config.js': "import { defineConfig } from 'vite'\nexport default defineConfig({})\n",
    'index.html': '<!doctype html><title>Hives</title><script type="module" src="/main.js"></script>\n',
    'main.js': `import { isProd, isLive } from './env.js'\ndocument.title = 'Hives'\nconst feedUrl = isProd ? ${live} : ${local}\nconst mapUrl = isLive ? 'https://map.fennelhill.example' : 'https://map-test.fennelhill.example'\nfetch(feedUrl + mapUrl)\n`,
    'env.js': `export const isProd = ${isProd}\nexport const isLive = ['production', 'staging'].includes(import.meta.env.MODE)\n`,
  })
  const { stdout } = await mappa(['lift', '--json'], { cwd: root })
  const { candidates } = JSON.parse(stdout) as {
    candidates: { name: string; value: string; stages: object; notMoved: string | null }[]
  }
  const [feed, map] = ['FEED_URL', 'MAP_URL'].map((name) => candidates.find((each) => each.name === name))
  assert.match(feed?.notMoved ?? '', /in a page NODE_ENV says whether it is built or served/)
  assert.deepEqual(
    [map?.notMoved, map?.value, map?.stages],
    [
      null,
      'https://map-test.fennelhill.example',
      { staging: 'https://map.fennelhill.example', production: 'https://map.fennelhill.example' },
    ],
  )
})

/** Reads of variables, each with the type that its entry gets; a text is one that code goes on reading itself. */
const reads: Readonly<Record<string, readonly [expression: string, type: string]>> = {
  RATE: ['Number(process.env.RATE || 1)', 'number'],
  PORT: ['Number(process.env.PORT) || 3000', 'port'],
  WORKERS: ["parseInt(process.env.WORKERS ?? '4', 10)", 'integer'],
  DEBUG_SQL: ['process.env.DEBUG_SQL || false', 'string'],
  LOUD: ["process.env.LOUD === 'true'", 'boolean'],
  QUIET: ["process.env.QUIET !== 'false'", 'boolean'],
  LOG_LEVEL: ["process.env.LOG_LEVEL ?? 'info'", 'string'],
  HIVE_LIST: ["(process.env.HIVE_LIST || 'a,b').split(',')", 'array'],
  HIVE_TAGS: ["process.env.HIVE_TAGS ? process.env.HIVE_TAGS.split(',') : ['a', 'b']", 'array'],
  HIVE_ROWS: ["process.env.HIVE_ROWS?.split(',') ?? []", 'string'],
  HIVE_NOTE: ['process.env.HIVE_NOTE', 'string'],
}
const given = process.env.MAPPA_FIELD
  ? ['', 'abc', '12abc', '0', '1', '-1', '0.25', '1e3', '4100', 'true', 'false', 'yes', ' 5 ', 'a,b']
  : ['', 'abc', '0', '0.25', '4100', 'false', 'yes']

test('a variable that moves gives code the same for every text, but for those that lift tells', async () => {
  const names = Object.keys(reads)
  const root = project({
    'package.json': '{ "name": "hives", "private": true, "type": "module" }',
    'starter.mjs': starter,
    'app.js': `import { inspect } from 'node:util'\n${names.map((name) => `const ${name.toLowerCase()} = ${reads[name]?.[0]}\n`).join('')}console.log(inspect({ ${names.map((name) => name.toLowerCase()).join(', ')} }))\n`,
  })
  const environments = [{}, ...names.flatMap((name) => given.map((text) => ({ [name]: text })))]
  const before = started(root, environments)
  const { stdout } = await mappa(['lift', '--json'], { cwd: root })
  const { candidates } = JSON.parse(stdout) as {
    candidates: { name: string; type: string; differences: { text: string; now: string }[] }[]
  }
  assert.deepEqual(
    Object.fromEntries(candidates.map(({ name, type }) => [name, type])),
    Object.fromEntries(names.map((name) => [name, reads[name]?.[1]])),
  )
  const diff = await mappa(['lift', '--diff'], { cwd: root })
  assert.match(diff.stdout.replace(/\s+/g, ' '), /LOUD: .*"1", "TRUE", "yes" gave false, now true/)
  const { code, stdout: summary } = await mappa(['lift', '--apply', '--uncommitted'], { cwd: root })
  assert.equal(code, 0, summary)
  const after = started(root, environments)
  for (const [at, environment] of environments.entries()) {
    const [name, text] = Object.entries(environment)[0] ?? []
    const told = candidates.find((each) => each.name === name)?.differences.find((each) => each.text === text)
    const about = `${name}=${JSON.stringify(text)}: ${before[at]} and ${after[at]}`
    if (!told) assert.equal(after[at], before[at], about)
    else if (told.now === 'refused') assert.match(after[at] ?? '', /SettleError/, about)
    else assert.notEqual(after[at], before[at], about)
  }
})

/** Reads without a fallback: whether a start fails without a value, by files. `other.js` is a program of its own where a script runs it. */
const needs: Readonly<Record<string, readonly [isNeeded: boolean, files: Readonly<Record<string, string>>]>> = {
  'a throw at the top': [true, { 'app.js': 'const key = process.env.HIVE_KEY\nif (!key) throw new Error()\n' }],
  'an end, in an "or"': [
    true,
    { 'app.js': 'const { HIVE_KEY: key } = process.env\nif (!process.argv || key === undefined) process.exit(1)\n' },
  ],
  'a value that is looked into': [true, { 'app.js': "export const keys = process.env.HIVE_KEY.split(',')\n" }],
  'a throw in a function that the top calls': [
    true,
    {
      'app.js':
        'function start() {\n  const key = process.env.HIVE_KEY\n  if (!key) throw new Error()\n}\nconst main = async () => start()\nawait main()\n',
    },
  ],
  'a throw in a function of another file that is called': [
    true,
    {
      'app.js': "import { load as read } from './load.js'\nread()\n",
      'load.js': 'export function load() {\n  if (!process.env.HIVE_KEY) throw new Error()\n}\n',
    },
  ],
  'a throw in a module of CommonJS that is called': [
    true,
    {
      'package.json': '{ "name": "hives", "scripts": { "start": "node app.js" } }',
      'app.js': "const load = require('./load')\nload.key()\n",
      'load.js': 'exports.key = () => {\n  if (!process.env.HIVE_KEY) throw new Error()\n}\n',
    },
  ],
  'a name that sounds like a credential': [false, { 'app.js': 'export const key = process.env.HIVE_API_KEY\n' }],
  'a text that it is put into': [false, { 'app.js': 'export const url = `${process.env.HIVE_URL}/v1`\n' }],
  'a throw in a function called later': [
    false,
    {
      'app.js':
        'const key = process.env.HIVE_KEY\nexport const handlers = { get() {\n  if (!key) throw new Error()\n} }\n',
    },
  ],
  'an export that nobody takes': [
    false,
    {
      'app.js': "import { other } from './load.js'\nother()\n",
      'load.js':
        'export function load() {\n  if (!process.env.HIVE_KEY) throw new Error()\n}\nexport function other() {}\n',
    },
  ],
  'one of two': [
    false,
    {
      'app.js': "process.env.PATH\nconst [a, b] = [process.env.HIVE_KEY, 'b']\nif (!a && !b) throw new Error()\n",
    },
  ],
  'a throw that is caught': [
    false,
    { 'app.js': 'try {\n  if (!process.env.HIVE_KEY) throw new Error()\n} catch {}\n' },
  ],
  'a promise that is caught': [
    false,
    {
      'app.js':
        'async function main() {\n  const key = process.env.HIVE_KEY\n  if (!key) throw new Error()\n}\nmain().catch(() => {})\n',
    },
  ],
  'a function that returned before': [
    false,
    {
      'app.js':
        'function start() {\n  if (process.argv.length < 90) return\n  if (!process.env.HIVE_KEY) throw new Error()\n}\nstart()\n',
    },
  ],
  'a branch that is not taken': [
    false,
    { 'app.js': 'if (process.argv.length > 90) {\n  if (!process.env.HIVE_KEY) throw new Error()\n}\n' },
  ],
  'a program beside it': [
    false,
    {
      'package.json':
        '{ "name": "hives", "type": "module", "scripts": { "start": "node app.js", "seed": "node other.js" } }',
      'app.js': "export const level = process.env.HIVE_LEVEL || 'info'\n",
      'other.js': 'if (!process.env.HIVE_KEY) throw new Error()\n',
    },
  ],
}

const fetched = `const feedUrl = ${live}\nexport const load = () => fetch(feedUrl)\n`
const manifest = (packages: object, more: object = {}) =>
  JSON.stringify({ name: 'hives', private: true, type: 'module', dependencies: packages, ...more })
/** Code that Node does not start here, each with the reason that it stays; none where it moves. */
const elsewhere: Readonly<Record<string, readonly [why: RegExp | undefined, files: Readonly<Record<string, string>>]>> =
  {
    'a page framework': [
      /is run by Next\.js/,
      { 'package.json': manifest({ next: '15.0.0' }), 'app/page.tsx': fetched },
    ],
    'a server of its own in that project': [
      undefined,
      {
        'package.json': manifest({ next: '15.0.0' }, { scripts: { start: 'node server.js' } }),
        'server.js': "import './feed.js'\n",
        'feed.js': fetched,
      },
    ],
    'a directive': [
      /runs in a page \('use client'\)/,
      { 'package.json': manifest({}), 'map.tsx': `'use client'\n${fetched}` },
    ],
    'a server file of a page framework': [
      /is run by SvelteKit/,
      { 'package.json': manifest({ '@sveltejs/kit': '2.0.0' }), 'src/routes/+page.server.ts': fetched },
    ],
    'a native shell': [/is run by React Native/, { 'package.json': manifest({ expo: '52.0.0' }), 'App.tsx': fetched }],
    'a desktop shell': [/is run by Electron/, { 'package.json': manifest({ electron: '33.0.0' }), 'main.js': fetched }],
    'a worker with a manifest': [
      /is run by Workers|separate package/,
      { 'package.json': manifest({ wrangler: '4.0.0' }), 'src/index.js': fetched },
    ],
    'an edge function': [
      /runs on the edge/,
      { 'package.json': manifest({}), 'api/feed.js': `export const config = { runtime: 'edge' }\n${fetched}` },
    ],
    'another runtime': [/is run by Deno/, { 'deno.json': '{}', 'main.ts': fetched }],
    'a worker of a page': [
      /used in the browser/,
      { 'package.json': manifest({}), 'sw.js': `self.addEventListener('fetch', () => {})\n${fetched}` },
    ],
    'a name that a compiler puts in': [
      /a compiler puts the value/,
      { 'package.json': manifest({}), 'a.js': `export const url = process.env.EXPO_PUBLIC_FEED_URL ?? ${live}\n` },
    ],
    'a function for a browser that is driven': [
      /handed on as text/,
      {
        'package.json': manifest({}),
        'a.js': `import { page } from 'driver'\nawait page.evaluate(() => {\n  const feedUrl = ${live}\n  return fetch(feedUrl)\n})\n`,
      },
    ],
    'a worker made of a text': [
      /handed on as text/,
      {
        'package.json': manifest({}),
        'a.js': `import { Worker } from 'node:worker_threads'\nfunction job() {\n  const feedUrl = ${live}\n  return fetch(feedUrl)\n}\nnew Worker(\`(\${job})()\`, { eval: true })\n`,
      },
    ],
    'a published library': [
      /part of a published package/,
      {
        'package.json': '{ "name": "hives", "version": "1.0.0", "main": "index.js", "type": "module" }',
        'index.js': fetched,
      },
    ],
    'a server': [undefined, { 'package.json': manifest({}), 'index.js': fetched }],
  }

test('code that Node does not start here stays, and says what runs it', async () => {
  for (const [name, [why, files]] of Object.entries(elsewhere)) {
    const { stdout } = await mappa(['lift', '--json'], { cwd: project(files) })
    const [found] = JSON.parse(stdout).candidates as { notMoved: string | null }[]
    if (why === undefined) assert.equal(found?.notMoved, null, name)
    else assert.match(found?.notMoved ?? '', why, name)
  }
})

/** What a test does with a variable that code reads in a function. */
const sets: Readonly<Record<string, boolean>> = {
  "process.env.FEED_URL = 'a'": true,
  "process.env['FEED_URL'] ||= 'a'": true,
  'delete process.env.FEED_URL': true,
  "vi.stubEnv('FEED_URL', 'a')": true,
  "process.env = { ...process.env, FEED_URL: 'a' }": true,
  "Object.assign(process.env, { FEED_URL: 'a' })": true,
  "process.env.FEED_URL_OLD = 'a'": false,
  "assert.equal(process.env.FEED_URL === 'a', false)": false,
}

test('a variable that tests set while they run is still asked for each time', async () => {
  for (const [statement, isHeld] of Object.entries(sets))
    for (const isLate of [true, false]) {
      const read = "process.env.FEED_URL ?? 'https://feed.fennelhill.example'"
      const root = project({
        'package.json': '{ "name": "hives", "type": "module", "scripts": { "test": "node --test" } }',
        'feed.js': `export const feedUrl = ${isLate ? '() => ' : ''}${read}\n`,
        'test/feed.test.js': `import { feedUrl } from '../feed.js'\n${statement}\n`,
      })
      const { stdout } = await mappa(['lift', '--json'], { cwd: root })
      const why = JSON.parse(stdout).candidates[0].notMoved as string | null
      assert.equal(
        /^test\/feed\.test\.js sets it while it runs/.test(why ?? ''),
        isHeld && isLate,
        `${statement}: ${why}`,
      )
    }
})

test('a variable is required only if no program passes its start without it', async () => {
  for (const [name, [isNeeded, files]] of Object.entries(needs)) {
    const root = project({
      'package.json': '{ "name": "hives", "type": "module", "scripts": { "start": "node app.js" } }',
      'starter.mjs': starter,
      ...files,
    })
    const { stdout } = await mappa(['lift', '--json'], { cwd: root })
    const { candidates } = JSON.parse(stdout) as { candidates: { name: string; optional: boolean; default: unknown }[] }
    const required = candidates.filter((each) => !each.optional && each.default === null)
    assert.equal(required.length > 0, isNeeded, `${name}: ${stdout}`)
    const starts = () => {
      const { status } = spawnSync(process.execPath, ['app.js'], { cwd: root, env: environment() })
      return status === 0
    }
    assert.equal(starts(), !isNeeded, name)
    const applied = await mappa(['lift', '--apply', '--uncommitted'], { cwd: root })
    assert.match(applied.stdout, /Moved [1-9]/, name)
    assert.equal(starts(), !isNeeded, `${name}, afterwards`)
  }
})

test('--unproved moves what is named all the same, and needs a name', async () => {
  const { files } = rows['a start without a stage that is not development'] as Row
  const root = project({ 'package.json': '{ "name": "hives", "type": "module" }', ...files })
  const unnamed = await mappa(['lift', '--unproved', '--apply', '--uncommitted'], { cwd: root })
  assert.deepEqual([unnamed.code, unnamed.stderr], [2, '--unproved needs --only.\n'])
  const { code, stdout } = await mappa(['lift', '--only', 'FEED_URL', '--unproved', '--apply', '--uncommitted'], {
    cwd: root,
  })
  assert.equal(code, 0, stdout)
  assert.match(stdout, /Moved 1 setting/)
  assert.match(stdout.replace(/\s+/g, ' '), /Moved without a proof: FEED_URL/)
})
