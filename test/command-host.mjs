// A process that runs the command many times, one after the other: each time in the directory and the environment that
// it is told, with what it prints collected. What a run leaves in this process are modules that are loaded, no more.
import { run } from '../packages/cli/dist/program.js'

const { stdout, stderr } = process

process.on('message', async ({ id, args, cwd, env }) => {
  const before = { ...process.env }
  const written = { stdout: '', stderr: '' }
  const writes = { stdout: stdout.write, stderr: stderr.write }
  stdout.write = (text) => keep('stdout', text)
  stderr.write = (text) => keep('stderr', text)
  const keep = (stream, text) => {
    written[stream] += text
    return true
  }
  process.chdir(cwd)
  become(env)
  try {
    await run(args)
  } finally {
    Object.assign(stdout, { write: writes.stdout })
    Object.assign(stderr, { write: writes.stderr })
    stdout.removeAllListeners('error')
    become(before)
  }
  const code = process.exitCode ?? 0
  process.exitCode = 0
  process.send({ id, code, ...written })
})
process.send({ ready: true })

function become(env) {
  for (const name of Object.keys(process.env)) delete process.env[name]
  Object.assign(process.env, env)
}
