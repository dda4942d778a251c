// Loaded before a command: at the call of the file system that MEDDLE names by its number, something happens to the process. In kill:N
// and SIGINT:N the writing calls count; in save:N:FILE also those that read, and there a line is added to the file, as an editor
// would, but not between the last look at it and its replacement. How many calls there were is written to MEDDLE_COUNT.
import fs from 'node:fs'
import { syncBuiltinESMExports } from 'node:module'

const [what, number, file] = (process.env.MEDDLE ?? '').split(':')
const at = Number(number)
const real = { ...fs }
const writing = [
  'writeFileSync',
  'renameSync',
  'linkSync',
  'rmSync',
  'unlinkSync',
  'rmdirSync',
  'mkdirSync',
  'fsyncSync',
  'openSync',
]
const reading = what === 'save' ? ['readFileSync', 'readdirSync', 'statSync'] : []
let count = 0
let isBusy = false

for (const name of [...writing, ...reading]) {
  fs[name] = (...args) => {
    if (what === 'save' && name === 'renameSync' && args[1] === file) return real[name](...args)
    const isOurs = name === 'openSync' ? args[1] === 'wx' : !String(args[0]).includes('node_modules')
    if (isBusy || !isOurs) return real[name](...args)
    count++
    if (count === at) meddle(name, args)
    return real[name](...args)
  }
}
syncBuiltinESMExports()
process.on('exit', () => process.env.MEDDLE_COUNT && real.writeFileSync(process.env.MEDDLE_COUNT, String(count)))

function meddle(name, args) {
  isBusy = true
  if (what === 'kill') {
    // A write may be broken off in its middle.
    if (name === 'writeFileSync') real.writeFileSync(args[0], args[1].slice(0, args[1].length / 2), args[2])
    process.kill(process.pid, 'SIGKILL')
    for (;;);
  }
  if (what === 'save') real.appendFileSync(file, '# saved meanwhile\n')
  else process.kill(process.pid, what)
  isBusy = false
}
