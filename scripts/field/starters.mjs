// Published applications, started in each of their ways: what trace and check say of a start is what mappa witness sees in it, also once
// what loads their layer files is taken out; and init changes no value in any stage.
import { execFileSync, spawn } from 'node:child_process'
import {
  cpSync,
  existsSync,
  mkdirSync,
  mkdtempSync,
  readdirSync,
  readFileSync,
  rmSync,
  statSync,
  symlinkSync,
  writeFileSync,
} from 'node:fs'
import { tmpdir } from 'node:os'
import { dirname, join, relative } from 'node:path'
import { top } from '../prepare.mjs'
import { environment } from '../stage.mjs'

const folder = join(top, '.scratch/starters')
const mappa = join(top, 'packages/cli/bin/mappa.js')

/**
 * Chosen on 2026-12-02, from packages with 500 downloads a month or more that call themselves a server, an application, a bot or a
 * starter: those whose own script runs a file in the package with Node, without a build before it, and that install here. Of these
 * the ones that read most variables.
 */
const packages = [
  'unleash-server@8.2.0',
  'ultralytics@1.1.1',
  'mcp-server-kubernetes@4.1.7',
  'firecrawl-mcp@3.26.0',
  'alibabacloud-devops-mcp-server@0.3.64',
  'mcp-server-mysql@2.0.6',
  'open-meteo-mcp-server@2.1.0',
  'mcp-arr-server@1.7.3',
  'omniboard@2.16.1',
  'mssql-mcp-server@1.3.0',
  'agent-orchestrator-mcp-server@0.8.11',
  'accessflow-mcp-server@1.0.15',
  'antigravity-claude-proxy@2.0.4',
  'javascript-solid-server@0.0.81',
  'appstore-connect-mcp-server@1.1.3',
  'ids-enterprise-mcp-server@0.0.8',
  'mcp-server-docker@1.0.0',
  'mcp-server-google-analytics@1.1.0',
  'jsgui3-server@0.0.143',
  'jinaga-server@3.7.5',
]
/** So many of them go through init. */
const setUpCount = 10
const stages = [undefined, 'staging', 'production']
/** How long each start is watched. Servers have read by then what they read at their start. */
const watched = '6s'
/** Names that are not the application's own. */
const foreign = /^(?:NODE_ENV|NODE_OPTIONS|PATH|HOME|TZ|USER|PWD|SHELL)$/
/** Scripts that run the application, and do not build it, watch files, or need what is not installed. */
const isStart = ([name, command]) =>
  /^(?:start|dev|serve|server|develop|production|prod|staging|debug)(?::|$)/.test(name) &&
  /\bnode\b/.test(command) &&
  !/run build|\btsc\b|watch|nodemon|\bbun\b|ts-node|tsx|vite|inspect|concurrently/.test(command)

export function tryStarters() {
  return rowsBy(tryStarter)
}

/** A row for each application, or for those that MAPPA_STARTERS names; two at a time. */
export async function rowsBy(tryOne) {
  const rows = []
  const asked = process.env.MAPPA_STARTERS?.split(',')
  const open = [...packages.entries()].filter(([, each]) => asked?.includes(each.split('@')[0]) ?? true)
  const work = async () => {
    for (let next = open.shift(); next; next = open.shift()) {
      const [at, wanted] = next
      rows[at] = await tryOne(wanted, at)
      console.log(JSON.stringify(rows[at]))
    }
  }
  await Promise.all([work(), work()])
  return rows.filter(Boolean)
}

async function tryStarter(wanted, at) {
  const [name, version] = wanted.split('@')
  const from = installed(name, wanted)
  const row = { name, version, starts: 0, reads: 0, unknown: 0, wrong: [], loader: 'none', red: true, init: undefined }
  const plain = staged(from, at)
  for (const [script, command] of starts(plain)) {
    row.starts++
    const { told, seen } = await compared(plain, script, command)
    row.reads += seen.size
    for (const [variable, got] of seen) {
      const one = told.get(variable)
      if (one?.gets === 'unknown') row.unknown++
      else if (!isAsTold(one, got, plain.values[variable]))
        row.wrong.push(`${script}: ${variable} got ${got.join(', ')}, told ${one?.gets ?? 'the same'}`)
    }
    row.wrong.push(...wrongInCheck(script, told, seen, await faultsOf(plain, command)))
  }
  const reader = await readerOf(plain)
  row.loader = reader === undefined ? 'put in' : 'taken out'
  if (reader === undefined) await withLoader(plain, row)
  else await withoutReader(plain, reader, row)
  rmSync(plain.root, { recursive: true, force: true })
  if (at < setUpCount) row.init = await throughInit(from, at)
  return row
}

/** What trace tells of each name in a start, and what the program got of those that its own code read. */
async function compared(project, script, command) {
  const stage = stageIn(command)
  const names = Object.keys(project.values)
  const traced = JSON.parse((await run(project, ['trace', ...names, '--json', '--stage', stage])).stdout)
  const told = new Map(
    traced.trails.flatMap(({ name, starts }) => {
      const own = starts.find(({ start }) => start === `the script "${script}"`)
      return own ? [[name, own]] : []
    }),
  )
  return { told, seen: await seenIn(project, project.root, stage, command) }
}

/** What each name of the project gave the program's own code, by the witness. */
async function seenIn(project, legendRoot, stage, command, env = {}) {
  const out = join(project.root, 'seen.json')
  rmSync(out, { force: true })
  const words = ['witness', stage, '--stop-after', watched, '--out', out, '--', 'sh', '-c', command]
  await run(project, words, { root: legendRoot, env })
  const { variables } = JSON.parse(readFileSync(out, 'utf8'))
  return new Map(
    variables.flatMap(({ name, reads }) => {
      const own = reads.filter(({ place }) => place && !place.file.includes('node_modules'))
      return name in project.values && own.length > 0 ? [[name, own.map(({ got }) => got)]] : []
    }),
  )
}

function isAsTold(told, got, value) {
  if (!told) return got.every((each) => each === value)
  if (told.gets === 'set') return got.every((each) => JSON.stringify(each) === told.shown)
  if (told.gets === 'other') return got.some((each) => each !== value && each !== 'nothing')
  return got.some((each) => each === 'nothing')
}

async function faultsOf(project, command) {
  const { stdout } = await run(project, ['check', stageIn(command), '--json'])
  return JSON.parse(stdout).faults.filter(({ kind }) => kind === 'not-loaded')
}

/** Where a program lost what is known, check must say so; where it had all, check may not. */
function wrongInCheck(script, told, seen, faults) {
  const isTold = faults.some(({ message }) => message.toLowerCase().includes(`the script "${script.toLowerCase()}"`))
  const lost = [...seen].filter(([name]) => /^(?:nothing|fallback|other)$/.test(told.get(name)?.gets ?? ''))
  const isLoss = [...told.values()].some(({ gets }) => /^(?:nothing|fallback|other)$/.test(gets))
  if (lost.length > 0 && !isTold) return [`${script}: check is silent, but ${lost[0][0]} is lost`]
  return isTold && !isLoss ? [`${script}: check tells a loss that trace does not`] : []
}

/** The package of which code has set several variables, by the witness. */
async function readerOf(project) {
  for (const [, command] of starts(project)) {
    await seenIn(project, project.root, stageIn(command), command)
    const { programs } = JSON.parse(readFileSync(join(project.root, 'seen.json'), 'utf8'))
    for (const { place } of programs.flatMap(({ loaded }) => loaded))
      if (place) return /^.*\/node_modules\/((?:@[^/]+\/)?[^/]+)/.exec(place.file)?.[1] ?? place.file
  }
  return undefined
}

/** The project with a package in the reader's place that does nothing: each start that reads must be told. */
async function withoutReader(project, reader, row) {
  const modules = join(project.root, 'node_modules')
  const from = join(project.from, 'node_modules')
  rmSync(modules)
  mkdirSync(modules)
  for (const each of readdirSync(from)) if (each !== reader) symlinkSync(join(from, each), join(modules, each))
  const own = join(modules, reader)
  mkdirSync(own)
  writeFileSync(join(own, 'package.json'), JSON.stringify({ name: reader, main: 'index.js' }))
  writeFileSync(join(own, 'config.js'), '')
  const nothing = readdirSync(join(from, reader)).length > 0 ? exportsOf(join(from, reader)) : []
  writeFileSync(
    join(own, 'index.js'),
    `const none = () => ({ parsed: {} })\n${nothing.map((name) => `exports.${name} = none\n`).join('')}`,
  )
  await eachRed(project, row)
}

function exportsOf(path) {
  const text = `console.log(JSON.stringify(Object.keys(require(${JSON.stringify(path)})).filter((name) => /^[A-Za-z]\\w*$/.test(name))))`
  return JSON.parse(execFileSync(process.execPath, ['-e', text], { encoding: 'utf8' }))
}

/** The project with our loader in each start: nothing may be told, and the program gets all. Without it each must be told. */
async function withLoader(project, row) {
  await eachRed(project, row)
  const file = join(project.root, 'package.json')
  const manifest = JSON.parse(readFileSync(file, 'utf8'))
  const changed = Object.fromEntries(
    starts(project).map(([name, command]) => [name, command.replace(/\bnode\b(?!\/)/, 'node --import mappa/preload')]),
  )
  writeFileSync(file, JSON.stringify({ ...manifest, scripts: { ...manifest.scripts, ...changed } }, undefined, 2))
  for (const [script, command] of Object.entries(changed)) {
    if (!command.includes('--import')) continue
    const { told, seen } = await compared(project, script, command)
    for (const [name, got] of seen)
      if (!isAsTold(told.get(name), got, project.values[name]))
        row.wrong.push(
          `${script} with Mappa: ${name} got ${got.join(', ')}, told ${told.get(name)?.gets ?? 'the same'}`,
        )
    row.wrong.push(...wrongInCheck(script, told, seen, await faultsOf(project, command)))
  }
}

/** Notes starts of which code reads variables, and of which check says nothing although they lose them. */
async function eachRed(project, row) {
  for (const [script, command] of starts(project)) {
    const { told, seen } = await compared(project, script, command)
    const isLost = [...seen.values()].some((got) => got.includes('nothing'))
    const isKnown = [...told.values()].some(({ gets }) => gets !== 'unknown' && gets !== 'set')
    const isTold = (await faultsOf(project, command)).some(({ message }) =>
      message.toLowerCase().includes(`the script "${script.toLowerCase()}"`),
    )
    if (isLost && isKnown && !isTold) row.wrong.push(`${script} without a loader: check is silent`)
    if (isLost && !isTold) row.red = false
  }
}

/** What differs between before and after init, in each stage. */
async function throughInit(from, at) {
  const before = staged(from, at, false)
  const after = staged(from, at, false)
  const legendRoot = mkdtempSync(join(tmpdir(), 'mappa-field-'))
  writeFileSync(join(legendRoot, 'package.json'), '{ "name": "hives" }')
  writeFileSync(join(legendRoot, 'mappa.legend.json'), legendText(before.values))
  for (const { root } of [before, after]) {
    execFileSync('git', ['init', '-q'], { cwd: root })
    writeFileSync(join(root, '.gitignore'), 'node_modules\nseen.json\n')
  }
  const said = await run(after, ['init', '--apply'])
  const differs = said.code === 0 ? [] : [`init exits with ${said.code}: ${said.stderr.slice(0, 300)}`]
  for (const stage of stages)
    for (const [script, command] of starts(before)) {
      const env = stage === undefined ? {} : { NODE_ENV: stage }
      const now = JSON.parse(readFileSync(join(after.root, 'package.json'), 'utf8')).scripts[script]
      const [was, is] = [
        await seenIn(before, legendRoot, 'development', command, env),
        await seenIn(after, legendRoot, 'development', now, env),
      ]
      for (const name of new Set([...was.keys(), ...is.keys()])) {
        const [one, other] = [was, is].map((seen) => seen.get(name)?.join(', ') ?? 'never read')
        if (one !== other) differs.push(`${script} as ${stage ?? 'no stage'}: ${name} was ${one}, is ${other}`)
      }
    }
  const secrets = existsSync(join(after.root, '.env.local'))
    ? readFileSync(join(after.root, '.env.local'), 'utf8')
        .split('\n')
        .filter((line) => /^\w+=/.test(line)).length
    : 0
  for (const root of [before.root, after.root, legendRoot]) rmSync(root, { recursive: true, force: true })
  return { moved: secrets, differs }
}

/** An application where it is installed; what npm runs at an install is left out. */
export function installed(name, wanted) {
  const own = join(folder, name)
  if (existsSync(join(own, 'node_modules'))) return own
  mkdirSync(folder, { recursive: true })
  const archive = execFileSync('npm', ['pack', '--silent', '--pack-destination', folder, wanted], { encoding: 'utf8' })
  mkdirSync(own, { recursive: true })
  execFileSync('tar', ['xzf', join(folder, archive.trim()), '-C', own, '--strip-components', '1'])
  const options = [
    '--ignore-scripts',
    '--no-audit',
    '--no-fund',
    '--legacy-peer-deps',
    '--omit=dev',
    '--no-package-lock',
  ]
  execFileSync('npm', ['install', ...options], { cwd: own, stdio: 'ignore' })
  mkdirSync(join(own, 'node_modules'), { recursive: true })
  return own
}

/** A copy with a layer file that gives each name a value of its own, and a legend of all names. */
export function staged(from, at, isDeclared = true) {
  const root = mkdtempSync(join(tmpdir(), 'mappa-field-'))
  const skipped = (path) => path === join(from, 'node_modules') || /[\\/]\.env[^\\/]*$/.test(relative(from, path))
  cpSync(from, root, { recursive: true, filter: (path) => !skipped(path) })
  symlinkSync(join(from, 'node_modules'), join(root, 'node_modules'))
  if (!existsSync(join(from, 'node_modules/mappa')))
    symlinkSync(join(top, 'packages/mappa'), join(from, 'node_modules/mappa'))
  const values = Object.fromEntries(namesIn(root).map((name, index) => [name, valueFor(name, at, index)]))
  const lines = Object.entries(values).map(([name, value]) => `${name}=${value}\n`)
  writeFileSync(join(root, '.env'), lines.join(''))
  if (isDeclared) writeFileSync(join(root, 'mappa.legend.json'), legendText(values))
  return { root, from, values }
}

function legendText(values) {
  const entries = Object.keys(values).map((name) => [name, { type: 'string' }])
  return JSON.stringify({ type: 'object', properties: Object.fromEntries(entries) })
}

/** What a program may stumble over looks as it should. */
function valueFor(name, at, index) {
  if (/PORT(?:_|$)/.test(name)) return String(42_000 + 100 * at + (index % 100))
  if (/URL|URI|HOST|ENDPOINT/.test(name)) return `http://127.0.0.1:9/${index}`
  return `hive-${at}-${index}`
}

/** Names that the code of a project reads from the environment. */
export function namesIn(root) {
  const names = new Set()
  for (const file of readdirSync(root, { recursive: true })) {
    if (!/\.[cm]?[jt]sx?$/.test(file) || /\.d\.[cm]?ts$|^node_modules/.test(file)) continue
    const path = join(root, file)
    if (!statSync(path).isFile()) continue
    for (const [, name] of readFileSync(path, 'utf8').matchAll(/process\.env\.([A-Z][A-Z0-9_]+)/g))
      if (!foreign.test(name)) names.add(name)
  }
  return [...names].sort()
}

export function starts({ root }) {
  return Object.entries(JSON.parse(readFileSync(join(root, 'package.json'), 'utf8')).scripts).filter(isStart)
}

function stageIn(command) {
  const [, stage] = /\bNODE_ENV=(\w+)/.exec(command) ?? []
  return stage === 'production' || stage === 'staging' ? stage : 'development'
}

/** Runs the command on a project. */
export function run({ root }, words, { root: legendRoot = root, env = {} } = {}) {
  const at = words.indexOf('--')
  const own = at < 0 ? words : words.slice(0, at)
  const args = [...own, '--root', legendRoot, ...(at < 0 ? [] : words.slice(at))]
  const PATH = `${join(root, 'node_modules/.bin')}:${dirname(process.execPath)}:${process.env.PATH}`
  const child = spawn(process.execPath, [mappa, ...args], {
    cwd: root,
    env: environment({ PATH, CI: '1', NO_COLOR: '1', HOME: root, ...env }),
    // A server on standard input ends where that ends.
    stdio: ['pipe', 'pipe', 'pipe'],
  })
  let [stdout, stderr] = ['', '']
  child.stdout.on('data', (text) => (stdout += text))
  child.stderr.on('data', (text) => (stderr += text))
  return new Promise((resolve) => child.once('close', (code) => resolve({ code, stdout, stderr })))
}
