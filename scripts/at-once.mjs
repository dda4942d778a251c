// Functions that every start calls are compiled together with their file. V8 takes a bracket before a function for a sign that it
// will be called at once; without one it reads the function twice, first to find its end, and then when it is called. Which
// functions those are is what a plain start says that it called.
import { spawnSync } from 'node:child_process'
import { mkdirSync, mkdtempSync, readdirSync, readFileSync, rmSync, symlinkSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join, resolve } from 'node:path'
import { pathToFileURL } from 'node:url'
import { parse } from 'acorn'

const entries = {
  COLLECTOR_HOST: { type: 'string', minLength: 1 },
  COLLECTOR_PORT: { type: 'integer', minimum: 1, maximum: 65535 },
  SWARM_ALERTS: { type: 'boolean', default: true },
}
const legends = {
  'mappa.legend.json': JSON.stringify({ type: 'object', properties: entries }),
  'mappa.legend.mjs': `import { legend } from 'mappa/legend'\nexport default legend(${JSON.stringify(entries)})\n`,
}

/** Puts a bracket round the functions of a module in dist/ that starts with it preloaded have called. */
export function compileAtOnce(file) {
  const text = readFileSync(file, 'utf8')
  const called = new Set(Object.entries(legends).flatMap(([name, legend]) => calledBy(file, name, legend)))
  let [head, rest, last] = ['', '', 0]
  for (const { type, id, start, end } of parse(text, { ecmaVersion: 'latest', sourceType: 'module' }).body) {
    if (type !== 'FunctionDeclaration' || !called.has(start)) continue
    // In front of all that calls it, where a declaration would be hoisted to.
    head += `var ${id.name}=(function${text.slice(id.end, end)});`
    rest += text.slice(last, start)
    last = end
  }
  writeFileSync(file, head + rest + text.slice(last))
}

/** Where the functions begin that a start with a legend called. */
function calledBy(file, name, legend) {
  const root = mkdtempSync(join(tmpdir(), 'mappa-build-'))
  try {
    mkdirSync(join(root, 'node_modules'))
    symlinkSync(resolve('packages/mappa'), join(root, 'node_modules/mappa'), 'junction')
    writeFileSync(join(root, name), legend)
    writeFileSync(join(root, '.env'), 'COLLECTOR_HOST=two words\nCOLLECTOR_PORT=4100\n')
    writeFileSync(join(root, '.env.local'), 'COLLECTOR_PORT=4200\nSWARM_ALERTS=false\n')
    // Of this environment nothing: what is in it might be a setting of the start.
    const env = { NODE_V8_COVERAGE: join(root, 'coverage'), SystemRoot: process.env.SystemRoot }
    const run = spawnSync(process.execPath, ['--import', pathToFileURL(file).href, '-e', '0'], { cwd: root, env })
    if (run.status !== 0) throw new Error(`The start that is measured has failed: ${run.stderr}`)
    const [report] = readdirSync(join(root, 'coverage'))
    const { result } = JSON.parse(readFileSync(join(root, 'coverage', report), 'utf8'))
    const own = result.find(({ url }) => url === pathToFileURL(file).href)
    return own.functions.flatMap(({ ranges: [{ count, startOffset }] }) => (count > 0 ? [startOffset] : []))
  } finally {
    rmSync(root, { recursive: true, force: true })
  }
}
