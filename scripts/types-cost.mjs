// What the types of a legend cost the compiler: instantiations for 100, 500 and 1,000 entries of every kind.
import { spawnSync } from 'node:child_process'
import { mkdirSync, rmSync, symlinkSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { top } from './prepare.mjs'

const cwd = join(top, 'node_modules/.cache/types-cost')
const kinds = [
  "{ type: 'port', default: 4100, as: 'group@.port' }",
  "{ type: 'string', secret: true, minLength: 24, stages: { production: { pattern: '^x' } } }",
  "{ type: 'string', enum: ['debug', 'info'], default: 'info' }",
  "{ type: 'array', items: { type: 'integer', minimum: 1 }, optional: true }",
  "{ type: 'duration', default: '5s', read: (value) => value / 1000 }",
]

rmSync(cwd, { recursive: true, force: true })
mkdirSync(join(cwd, 'node_modules'), { recursive: true })
symlinkSync(join(top, 'node_modules/mappa'), join(cwd, 'node_modules/mappa'))
writeFileSync(join(cwd, 'package.json'), '{ "type": "module" }')
// A project file, so that no types of the workspace are counted.
writeFileSync(
  join(cwd, 'tsconfig.json'),
  JSON.stringify({
    compilerOptions: {
      noEmit: true,
      strict: true,
      skipLibCheck: true,
      module: 'nodenext',
      target: 'es2022',
      types: [],
    },
    files: ['legend.ts'],
  }),
)
let before
for (const count of [100, 500, 1000]) {
  const entries = Array.from({ length: count }, (_, at) => `  V${at}: ${kinds[at % kinds.length].replace('@', at)},`)
  const code = [
    "import { legend, settle } from 'mappa'",
    `const definition = legend({\n${entries.join('\n')}\n})`,
    "const settings = settle(definition, { stage: 'test', layers: [] })",
    'export const sum = settings.group0.port + settings.V4',
  ]
  writeFileSync(join(cwd, 'legend.ts'), `${code.join('\n')}\n`)
  const compiler = join(top, 'node_modules/typescript-6/bin/tsc')
  const { stdout, status } = spawnSync(process.execPath, [compiler, '-p', '.', '--extendedDiagnostics'], {
    cwd,
    encoding: 'utf8',
  })
  const [, instantiations] = /Instantiations:\s+(\d+)/.exec(stdout) ?? []
  const [, time] = /Check time:\s+([\d.]+)s/.exec(stdout) ?? []
  if (status !== 0) throw new Error(stdout)
  const each = before && (instantiations - before.instantiations) / (count - before.count)
  console.log(
    `${String(count).padStart(5)} entries: ${String(instantiations).padStart(7)} instantiations, checked in ${time} s${each ? `, ${each.toFixed(0)} for each further entry` : ''}`,
  )
  before = { count, instantiations: Number(instantiations) }
}
