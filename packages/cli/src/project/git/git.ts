import type { ChildProcessByStdio } from 'node:child_process'
import type { Readable, Writable } from 'node:stream'
import spawn from 'cross-spawn'

/** Settings by which a repository makes git start programs: all off. */
const off = [
  'core.fsmonitor=false',
  'core.hooksPath=/dev/null',
  'core.pager=cat',
  'core.sshCommand=false',
  'core.askPass=',
  'credential.helper=',
  'core.untrackedCache=false',
  'protocol.allow=never',
  'diff.external=',
  'submodule.recurse=false',
  'gc.auto=0',
  'maintenance.auto=false',
  'log.showSignature=false',
]

/** No question, no lock, no pager, and nothing fetched that a clone left behind. */
const environment = {
  GIT_ALLOW_PROTOCOL: '',
  GIT_NO_LAZY_FETCH: '1',
  GIT_OPTIONAL_LOCKS: '0',
  GIT_PAGER: 'cat',
  GIT_TERMINAL_PROMPT: '0',
  GIT_ASKPASS: '',
  SSH_ASKPASS: '',
  GIT_EXTERNAL_DIFF: '',
  GIT_TRACE: '0',
}

/** More is not a repository that a person looks at. Milliseconds. */
const gitMax = 60_000

/**
 * The one way in which git is started: it answers, and runs nothing that the repository names. Undefined where there is
 * no git, no repository, or it fails.
 */
export function git(root: string, args: readonly string[], input?: string): string | undefined {
  const names = neutralOf(root)
  if (names === undefined) return undefined
  const { status, stdout } = started(root, args, input, names)
  return status === 0 || (status === 1 && args[0] === 'check-ignore') ? stdout : undefined
}

/** A git that answers bit by bit, and may be asked so; started through the same door. */
export interface GitStream {
  readonly output: AsyncIterable<Buffer>
  readonly input: Writable
  /** Its exit code, once it has ended. */
  readonly ended: Promise<number | null>
  stop(): void
}

/** The same for answers that are too long to be held. Undefined where there is no git or no repository. */
export function gitStream(root: string, args: readonly string[]): GitStream | undefined {
  const names = neutralOf(root)
  if (names === undefined) return undefined
  const child = spawn('git', [...options(names), ...args], {
    cwd: root,
    env: { ...process.env, ...environment },
    stdio: ['pipe', 'pipe', 'ignore'],
  })
  const { stdin, stdout } = child as ChildProcessByStdio<Writable, Readable, null>
  // It may end before it has read all.
  stdin.on('error', () => undefined)
  const ended = new Promise<number | null>((resolve) => {
    child.once('close', resolve)
    child.once('error', () => resolve(null))
  })
  return { output: stdout, input: stdin, ended, stop: () => child.kill() }
}

/** Settings that take from the repository what it would have git start. Undefined where that is not known. */
function neutralOf(root: string): readonly string[] | undefined {
  const kept = neutral.get(root)
  if (kept && Date.now() - kept.time < neutralMax) return kept.names
  const { status, stdout } = started(root, ['config', '--null', '--name-only', '--get-regexp', filters], undefined, [])
  // A status of 1 says that there are none; else a filter could be one that was not seen.
  if (status !== 0 && status !== 1) return undefined
  const names = [...new Set(stdout.split('\0'))].filter((name) => name !== '').map((name) => `${name}=`)
  neutral.set(root, { names, time: Date.now() })
  return names
}

/** How long one answer about a repository is kept. Milliseconds. */
const neutralMax = 500
const neutral = new Map<string, { readonly names: readonly string[]; readonly time: number }>()

function options(names: readonly string[]): readonly string[] {
  return ['--no-pager', ...[...off, ...names].flatMap((each) => ['-c', each])]
}

/** Programs that git runs on the content of files. An empty one is not one. */
const filters = '^(filter\\..*\\.(clean|smudge|process|required)|diff\\..*\\.(textconv|command)|merge\\..*\\.driver)$'

function started(root: string, args: readonly string[], input: string | undefined, more: readonly string[]) {
  const { status, stdout } = spawn.sync('git', [...options(more), ...args], {
    cwd: root,
    encoding: 'utf8',
    maxBuffer: 1 << 28,
    timeout: gitMax,
    env: { ...process.env, ...environment },
    stdio: ['pipe', 'pipe', 'ignore'],
    input: input ?? '',
  })
  return { status, stdout: stdout ?? '' }
}
