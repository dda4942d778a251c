import assert from 'node:assert/strict'
import { type ChildProcess, fork, spawn } from 'node:child_process'
import { existsSync, mkdirSync, mkdtempSync, readFileSync, rmSync, symlinkSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { dirname, join, resolve } from 'node:path'
import { after } from 'node:test'
import { stripVTControlCharacters } from 'node:util'
import { isFresh, top } from '../scripts/built.mjs'

export { top }

// Tests import what users import, which is built: an old build would pass whatever the sources say.
if (!isFresh('built'))
  throw new Error('The build is older than the sources. Run: npm test -- FILE, which builds first.')

/** The secret of every sample; no output may ever hold it. */
export const token = 'sms_test_buckwheat_clover_thyme'

/** A new directory with these files, a repository's top, that finds the workspace's packages. Removed after the tests. */
export function project(files: Readonly<Record<string, string | Uint8Array>>): string {
  const root = mkdtempSync(join(tmpdir(), 'mappa-test-'))
  after(() => rmSync(root, { recursive: true, force: true }))
  mkdirSync(join(root, '.git'))
  mkdirSync(join(root, 'node_modules'))
  for (const name of ['mappa', '@mappa']) symlinkSync(join(top, 'node_modules', name), join(root, 'node_modules', name))
  for (const [name, text] of Object.entries(files)) {
    mkdirSync(dirname(join(root, name)), { recursive: true })
    writeFileSync(join(root, name), text)
  }
  return root
}

/** The environment without whatever the person who runs the tests has set for Mappa or Node. */
export function environment(extra: Readonly<Record<string, string>> = {}): NodeJS.ProcessEnv {
  const own = Object.entries(process.env).filter(([name]) => !/^(?:MAPPA_|NODE_|npm_|NO_COLOR|FORCE_COLOR)/.test(name))
  // Some programs take CI for a reason to colour what they write to a pipe.
  return { ...Object.fromEntries(own), NO_COLOR: '1', ...extra }
}

export interface Ended {
  readonly code: number | null
  readonly signal: NodeJS.Signals | null
  readonly stdout: string
  readonly stderr: string
}

/** Milliseconds after which a program is taken to hang, and ended: far more than a busy machine takes. */
export const hangMax = 120_000

/** Waits until something holds that other programs bring about. */
export async function until(holds: () => unknown, what: string): Promise<void> {
  const last = Date.now() + hangMax
  while (!(await holds())) {
    if (Date.now() > last) throw new Error(`It never came about: ${what}`)
    await new Promise((resolve) => setTimeout(resolve, 20))
  }
}

/** Whether a process is gone, or has ended and only stays listed because nobody has asked how. */
export function hasEnded(pid: number): boolean {
  try {
    process.kill(pid, 0)
    return existsSync('/proc/1') && /\) [ZX] /.test(readFileSync(`/proc/${pid}/stat`, 'latin1'))
  } catch {
    return true
  }
}

/** Runs Node with arguments; `onOutput` sees all that was written so far, each time there is more. */
export function node(
  args: readonly string[],
  options: {
    cwd: string
    env?: Readonly<Record<string, string>>
    onOutput?: (text: string, kill: (signal: NodeJS.Signals) => void) => void
  },
): Promise<Ended> {
  const { cwd, env, onOutput } = options
  return new Promise((resolve, reject) => {
    const child = spawn(process.execPath, args, {
      cwd,
      env: environment(env),
      stdio: ['ignore', 'pipe', 'pipe'],
      timeout: hangMax,
    })
    let stdout = ''
    let stderr = ''
    let both = ''
    const tell = (data: string) => {
      both += data
      onOutput?.(both, (signal) => child.kill(signal))
    }
    child.stdout.on('data', (data) => {
      stdout += data
      tell(String(data))
    })
    child.stderr.on('data', (data) => {
      stderr += data
      tell(String(data))
    })
    child.once('error', reject)
    child.once('close', (code, signal) => resolve({ code, signal, stdout, stderr }))
  })
}

const bin = join(top, 'packages/cli/bin/mappa.js')

/** Runs the command `mappa` in a process of its own. */
export function mappaProcess(args: readonly string[], options: Parameters<typeof node>[1]): Promise<Ended> {
  return node([bin, ...args], options)
}

/** Why what is asked at a terminal cannot be tried here. */
export const noTerminal = !existsSync('/usr/bin/script') && 'script is not installed'

/** Runs the command in a real terminal, and answers each question once it is there: what it says, and the keys. */
export async function mappaAsked(
  args: readonly string[],
  answers: readonly (readonly [question: string, keys: string])[],
  { cwd, env, columns = 80 }: Parameters<typeof node>[1] & { columns?: number },
): Promise<{ readonly code: number | null; readonly text: string }> {
  const command = [process.execPath, bin, ...args].map((arg) => `'${arg}'`).join(' ')
  const child = spawn('script', ['-qec', `stty cols ${columns}; exec ${command}`, '/dev/null'], {
    cwd,
    env: environment({ TERM: 'xterm', ...env }),
    timeout: hangMax,
  })
  let [text, from, answered] = ['', 0, 0]
  child.stdout.on('data', (data) => {
    text += data
    const [question, keys] = answers[answered] ?? []
    if (question === undefined || !plain(text.slice(from)).includes(plain(question))) return
    answered++
    from = text.length
    child.stdin.write(keys as string)
  })
  const code = await new Promise<number | null>((resolve) => child.once('close', resolve))
  return { code, text }
}

/** What a terminal shows, wherever it breaks its lines. */
const plain = (text: string) => stripVTControlCharacters(text).replace(/\s+/g, '')

/** Keys as a terminal sends them. */
export const keys = { down: '\u001b[B', enter: '\r', interrupt: '\u0003', end: '\u0004' }

/**
 * Runs the command `mappa` as {@link mappaProcess} does, in a process that many runs share, which takes a tenth of the
 * time: for whatever is not about the process itself. One run is after the other.
 */
export function mappa(args: readonly string[], options: Parameters<typeof node>[1]): Promise<Ended> {
  // What another program inherits cannot be collected.
  if (args[0] === 'with' || args[0] === 'witness') return mappaProcess(args, options)
  const ended = turn.then(() => hosted(args, options))
  turn = ended.catch(() => {})
  return ended
}

let turn: Promise<unknown> = Promise.resolve()
let host: ChildProcess | undefined
/** The legends in JavaScript that the host has loaded, by path: Node keeps them, so that a changed one takes another host. */
const loaded = new Map<string, string>()
after(() => host?.kill())

async function hosted(args: readonly string[], { cwd, env }: Parameters<typeof node>[1]): Promise<Ended> {
  if (legendsAround(cwd, args).some(([path, text]) => (loaded.get(path) ?? text) !== text)) endHost()
  for (const [path, text] of legendsAround(cwd, args)) loaded.set(path, text)
  const child = host ?? (await startHost())
  return new Promise((resolve, reject) => {
    const late = setTimeout(() => child.kill(), hangMax)
    const ended = (code: number | null) => {
      endHost()
      clearTimeout(late)
      reject(new Error(`mappa ${args.join(' ')} ended its process (${code}).`))
    }
    child.once('exit', ended)
    child.once('message', (message) => {
      clearTimeout(late)
      child.off('exit', ended)
      const { code, stdout, stderr } = message as Ended
      resolve({ code, signal: null, stdout, stderr })
    })
    child.send({ args, cwd, env: environment(env) })
  })
}

async function startHost(): Promise<ChildProcess> {
  const child = fork(join(top, 'test/command-host.mjs'), {
    execArgv: [],
    stdio: ['ignore', 'ignore', 'inherit', 'ipc'],
  })
  host = child
  await new Promise((resolve) => child.once('message', resolve))
  // Only while a run is waited for does it keep this process.
  child.unref()
  child.channel?.unref()
  return child
}

function endHost(): void {
  host?.removeAllListeners('exit')
  host?.kill()
  host = undefined
  loaded.clear()
}

function legendsAround(cwd: string, args: readonly string[]): [path: string, text: string][] {
  const root = args[args.indexOf('--root') + 1]
  return [cwd, ...(args.includes('--root') && root !== undefined ? [resolve(cwd, root)] : [])].flatMap((directory) =>
    ['js', 'mjs', 'cjs']
      .map((ending) => join(directory, `mappa.legend.${ending}`))
      .filter((path) => existsSync(path))
      .map((path): [string, string] => [path, readFileSync(path, 'utf8')]),
  )
}

/** Compares an answer with the stored one; WRITE_STORED=1 stores it anew, to be read in the diff. */
export function assertStored(file: string, answer: string): void {
  const path = join(top, file)
  if (process.env.WRITE_STORED) writeFileSync(path, answer)
  const [lines, stored] = [answer, existsSync(path) ? readFileSync(path, 'utf8') : ''].map((each) => each.split('\n'))
  // The first line that differs says more than all of them.
  const at = Math.max(lines?.findIndex((line, at) => line !== stored?.[at]) ?? 0, 0)
  assert.equal(lines?.[at], stored?.[at], `${file}:${at + 1}`)
  assert.equal(lines?.length, stored?.length, file)
}

/** Stands above what a command has printed; `what` is what the case is. */
export function printedHead(what: string): string {
  return `#: ${what}, on made-up data. Kinds, values, places and exit codes are promised; words may change if they say as much.\n`
}

/** Stands within samples shaped like keys, in stored files only: so no scanner stops a clone because of them. */
const breaker = '∙'

/** A stored text without shapes of keys: a breaker parts the marks that scanners look for. */
function disarmed(text: string): string {
  return text.replace(/ey(?=J[\w-])|PRIVATE(?= KEY-)/g, (mark) => mark + breaker)
}

/** The longest line of a stored file: what is longer goes on in the next, behind an arrow. */
const storedWidth = 180

/** A line as it is stored; what is cut stays whole, character for character. */
function folded(line: string): string[] {
  const indent = /^ */.exec(line)?.[0] ?? ''
  const lines: string[] = []
  for (let rest = line, lead = ''; ; lead = `${indent}    ↳`) {
    const room = storedWidth - lead.length
    if (rest.length <= room) return [...lines, lead + rest]
    // Between words if it can be, and never within a pair of code units.
    const blank = rest.lastIndexOf(' ', room)
    const cut = blank > room / 2 ? blank : room - (/[\ud800-\udbff]/.test(rest[room - 1] as string) ? 1 : 0)
    lines.push(lead + rest.slice(0, cut))
    rest = rest.slice(cut)
  }
}

/**
 * Cases and their answers in one file each, of a folder. A file begins with what it holds and how a difference is judged, in lines
 * that begin with `#:`; those are kept.
 */
export function storedIn(folder: string) {
  const textOf = (name: string) => readFileSync(join(top, folder, `${name}.txt`), 'utf8')
  const headOf = (name: string) =>
    textOf(name)
      .split('\n')
      .filter((line) => line.startsWith('#:'))
  const store = (name: string, lines: readonly string[]) => {
    const head = headOf(name)
    assert.ok(head.length > 0, `${folder}/${name}.txt does not say what it holds`)
    assertStored(
      `${folder}/${name}.txt`,
      `${[
        ...head,
        ...lines
          .flatMap((line) => line.split('\n'))
          .map(disarmed)
          .flatMap(folded),
      ].join('\n')}\n`,
    )
  }
  const linesOf = (name: string) =>
    textOf(name)
      .split('\n')
      .filter((line) => !line.startsWith('#:'))
      .join('\n')
      .replace(/\n *↳/g, '')
      .replaceAll(breaker, '')
      .split('\n')
  /** Cases are lines of their own; what is indented below each is the answer. */
  const casesIn = (name: string) => linesOf(name).filter((line) => /^\S/.test(line))
  const answered = async (
    name: string,
    answer: (given: string) => readonly string[] | Promise<readonly string[]>,
  ): Promise<void> => {
    const lines: string[] = []
    for (const given of casesIn(name)) lines.push(given, ...(await answer(given)))
    store(name, lines)
  }
  /** Cases with cases below them: each answer is behind an arrow. */
  const answeredEach = (name: string, answer: (given: string, each: string) => string) => {
    let given = ''
    const answers = linesOf(name).flatMap((line) => {
      if (/^\S/.test(line)) given = line
      const each = /^ {4}(.+?) → /.exec(line)?.[1]
      return line === '' ? [] : [each === undefined ? line : `    ${each} → ${answer(given, each)}`]
    })
    store(name, answers)
  }
  return { store, answered, answeredEach, casesIn }
}
