// What other programs make of layer files, each asked itself: texts in, their names and values out. A reader that this machine lacks is
// left out.
import { execFileSync, spawn, spawnSync } from 'node:child_process'
import { existsSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs'
import { createServer } from 'node:http'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { top } from '../prepare.mjs'

const node = (name) => join(top, '.scratch/runtimes', name, 'node_modules/node/bin/node')
const vite7 = join(top, '.scratch/applications/node_modules/vite')
const managerLibrary = '/usr/lib/x86_64-linux-gnu/systemd/libsystemd-shared-252.so'
const python = '/usr/bin/python3'

/** Each reader: the model that stands for it in Mappa, and how it is asked. `ask` gives a record of values, or null for a refused file. */
export const readers = {
  'Node 20': { model: 'node', is: () => process.versions.node.startsWith('20'), ask: askNode(process.execPath) },
  'Node 22': { version: 1, model: 'node', is: () => existsSync(node('node22')), ask: askNode(node('node22')) },
  'Node 24': { version: 1, model: 'node', is: () => existsSync(node('node24')), ask: askNode(node('node24')) },
  dash: { model: 'shell', is: () => existsSync('/bin/dash'), ask: askShell('/bin/dash') },
  bash: { model: 'shell', is: () => existsSync('/bin/bash'), ask: askShell('/bin/bash') },
  'Vite 7': { model: 'page-builder', is: () => existsSync(vite7), ask: askBuilder(vite7) },
  'Vite 8': { version: 1, model: 'page-builder', is: () => true, ask: askBuilder(join(top, 'node_modules/vite')) },
  'Docker Compose 1.29': {
    model: 'compose',
    is: () => canPython('import compose.config.environment'),
    ask: askCompose,
  },
  systemd: { model: 'service-manager', is: () => existsSync(managerLibrary), ask: askManager },
  'docker --env-file': { model: 'container', is: () => succeeds('docker', ['--version']), ask: askContainer },
}

function succeeds(program, args) {
  return spawnSync(program, args, { stdio: 'ignore' }).status === 0
}

function canPython(code) {
  return existsSync(python) && succeeds(python, ['-c', code])
}

/** Asks a child that takes texts as JSON and answers with JSON. */
function asked(program, args, texts) {
  const out = execFileSync(program, args, {
    input: JSON.stringify(texts),
    env: {},
    maxBuffer: 1 << 30,
    stdio: ['pipe', 'pipe', 'ignore'],
  })
  return JSON.parse(out)
}

function askNode(program) {
  const code = `const { parseEnv } = require('node:util')
    let all = ''
    process.stdin.setEncoding('utf8').on('data', (text) => { all += text }).on('end', () => {
      console.log(JSON.stringify(JSON.parse(all).map((text) => parseEnv(text))))
    })`
  return (texts) => asked(program, ['-e', code], texts)
}

function askShell(shell) {
  return (texts) => {
    const folder = mkdtempSync(join(tmpdir(), 'mappa-readers-'))
    try {
      for (const [at, text] of texts.entries()) writeFileSync(join(folder, String(at)), text)
      const script = `unset PWD OLDPWD SHLVL; MAPPA_AT=0; while [ $MAPPA_AT -lt ${texts.length} ]; do
        (set -a; PATH=/none; . ./$MAPPA_AT && exec /usr/bin/env -0 >&3) 3>&1 >/dev/null 2>&1 </dev/null || printf '=refused\\0'
        printf '=\\0'; MAPPA_AT=$((MAPPA_AT+1)); done`
      const { stdout } = spawnSync(shell, ['-c', script], { cwd: folder, env: {}, maxBuffer: 1 << 30 })
      const answers = []
      let present = {}
      for (const pair of stdout.toString().split('\0')) {
        const at = pair.indexOf('=')
        if (pair === '=') {
          answers.push(present)
          present = {}
        } else if (pair === '=refused') present = null
        else if (
          present &&
          !/^(?:_|PATH|PWD|OLDPWD|SHLVL|BASH_EXECUTION_STRING|BASH\w*|MAPPA_AT)$/.test(pair.slice(0, at))
        )
          present[pair.slice(0, at)] = pair.slice(at + 1)
      }
      return answers
    } finally {
      rmSync(folder, { recursive: true, force: true })
    }
  }
}

function askBuilder(folder) {
  const code = `import { mkdtempSync, rmSync, writeFileSync } from 'node:fs'
    import { tmpdir } from 'node:os'
    import { join } from 'node:path'
    import { loadEnv } from ${JSON.stringify(join(folder, 'dist/node/index.js'))}
    let all = ''
    for await (const text of process.stdin.setEncoding('utf8')) all += text
    const folder = mkdtempSync(join(tmpdir(), 'mappa-readers-'))
    const answers = JSON.parse(all).map((text) => {
      writeFileSync(join(folder, '.env'), text)
      for (const name of Object.keys(process.env)) delete process.env[name]
      const found = loadEnv('none', folder, ['HIVE', 'hive'])
      return found
    })
    rmSync(folder, { recursive: true })
    console.log(JSON.stringify(answers))`
  const ask = (texts) => {
    try {
      return asked(process.execPath, ['--max-old-space-size=80', '--input-type=module', '-e', code], texts)
    } catch {
      // A value that refers to itself may grow without end.
      if (texts.length === 1) return [null]
      const middle = texts.length >> 1
      return [...ask(texts.slice(0, middle)), ...ask(texts.slice(middle))]
    }
  }
  return (texts) =>
    Array.from({ length: Math.ceil(texts.length / 1000) }, (_, at) =>
      ask(texts.slice(at * 1000, (at + 1) * 1000)),
    ).flat()
}

function askCompose(texts) {
  const code = `import json, os, sys, tempfile
texts = json.load(sys.stdin)
from compose.config.environment import env_vars_from_file
answers = []
path = os.path.join(tempfile.mkdtemp(), 'file')
os.environ.clear()
for text in texts:
    with open(path, 'w', newline='') as file: file.write(text)
    try: answers.append({k: ('' if v is None else v) for k, v in env_vars_from_file(path).items()})
    except Exception: answers.append(None)
print(json.dumps(answers))`
  return asked(python, ['-c', code], texts)
}

function askManager(texts) {
  const code = `import ctypes, json, os, sys, tempfile
library = ctypes.CDLL('${managerLibrary}')
library.load_env_file.argtypes = [ctypes.c_void_p, ctypes.c_char_p, ctypes.POINTER(ctypes.POINTER(ctypes.c_char_p))]
path = os.path.join(tempfile.mkdtemp(), 'file')
answers = []
for text in json.load(sys.stdin):
    with open(path, 'w', newline='') as file: file.write(text)
    found = ctypes.POINTER(ctypes.c_char_p)()
    if library.load_env_file(None, path.encode(), ctypes.byref(found)) < 0:
        answers.append(None)
        continue
    own, at = {}, 0
    while found and found[at] is not None:
        name, _, value = found[at].decode('utf8', 'surrogateescape').partition('=')
        own[name] = value
        at += 1
    answers.append(own)
print(json.dumps(answers))`
  return asked(python, ['-c', code], texts)
}

/** So many files are handed over at once; if one is refused, they are asked in halves. */
const filesAtOnce = 200

/** The command itself, before a socket that takes what it would create. */
async function askContainer(texts) {
  const folder = mkdtempSync(join(tmpdir(), 'mappa-readers-'))
  const socket = join(folder, 'socket')
  let given = []
  const server = createServer((request, response) => {
    let body = ''
    request.on('data', (text) => {
      body += text
    })
    request.on('end', () => {
      response.setHeader('Api-Version', '1.43').setHeader('Content-Type', 'application/json')
      const isCreate = request.url.includes('/containers/create')
      if (isCreate) given = JSON.parse(body).Env ?? []
      response.writeHead(isCreate ? 201 : 200).end(isCreate ? '{"Id":"hive"}' : '{}')
    })
  })
  await new Promise((done) => server.listen(socket, done))
  writeFileSync(join(folder, 'mark'), 'MARK=\n')
  for (const [at, text] of texts.entries()) writeFileSync(join(folder, String(at)), text)
  const ask = async (from, to) => {
    const args = ['create']
    for (let at = from; at < to; at++)
      args.push('--env-file', join(folder, String(at)), '--env-file', join(folder, 'mark'))
    const child = spawn('docker', [...args, 'hive'], {
      env: { PATH: process.env.PATH, DOCKER_HOST: `unix://${socket}` },
      stdio: 'ignore',
    })
    const code = await new Promise((done) => child.on('close', done))
    if (code !== 0) {
      if (to - from === 1) return [null]
      const middle = (from + to) >> 1
      return [...(await ask(from, middle)), ...(await ask(middle, to))]
    }
    const answers = [{}]
    for (const pair of given)
      if (pair === 'MARK=') answers.push({})
      else answers.at(-1)[pair.slice(0, pair.indexOf('='))] = pair.slice(pair.indexOf('=') + 1)
    return answers.slice(0, -1)
  }
  try {
    const answers = []
    for (let from = 0; from < texts.length; from += filesAtOnce)
      answers.push(...(await ask(from, Math.min(from + filesAtOnce, texts.length))))
    return answers
  } finally {
    server.close()
    rmSync(folder, { recursive: true, force: true })
  }
}
