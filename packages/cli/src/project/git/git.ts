import type { ChildProcessByStdio } from 'node:child_process'
import type { Readable, Writable } from 'node:stream'
import spawn from 'cross-spawn'
import { printable } from 'mappa'
import { UsageError } from '../../terminal/usage-error.js'

/** The commands of git that Mappa uses, each with the options by which it runs no program on what it shows. */
const plainOptions = {
  blame: ['--no-textconv', '--no-ext-diff'],
  branch: [],
  'cat-file': [],
  'check-ignore': [],
  config: [],
  diff: ['--no-textconv', '--no-ext-diff'],
  'diff-tree': ['--no-textconv', '--no-ext-diff'],
  'for-each-ref': [],
  grep: ['--no-textconv', '--no-recurse-submodules'],
  'ls-files': [],
  'ls-tree': [],
  'rev-list': [],
  'rev-parse': [],
  show: ['--no-textconv', '--no-ext-diff'],
  status: [],
} as const satisfies Record<string, readonly string[]>

/** A command of git and its arguments. */
export type GitCommand = readonly [keyof typeof plainOptions, ...(readonly string[])]

type Setting = readonly [name: string, value: string]

/** Settings by which a repository makes git start programs: all off. */
const off: readonly Setting[] = [
  ['core.fsmonitor', 'false'],
  ['core.hooksPath', '/dev/null'],
  ['core.pager', 'cat'],
  ['core.sshCommand', 'false'],
  ['core.askPass', ''],
  ['credential.helper', ''],
  ['core.untrackedCache', 'false'],
  ['protocol.allow', 'never'],
  ['submodule.recurse', 'false'],
  ['gc.auto', '0'],
  ['maintenance.auto', 'false'],
  ['log.showSignature', 'false'],
]

/** No question, no lock, no pager, and nothing fetched that a clone left behind. */
const environment = {
  GIT_ALLOW_PROTOCOL: '',
  GIT_NO_LAZY_FETCH: '1',
  // Others get an object as it is, and not what one in its place says.
  GIT_NO_REPLACE_OBJECTS: '1',
  GIT_OPTIONAL_LOCKS: '0',
  GIT_PAGER: 'cat',
  GIT_TERMINAL_PROMPT: '0',
  GIT_ASKPASS: '',
  SSH_ASKPASS: '',
  // An empty one would be started.
  GIT_EXTERNAL_DIFF: undefined,
  GIT_TRACE: '0',
}

/** More is not a repository that a person looks at. Milliseconds. */
const gitMax = 60_000
/** Limit for one answer. Bytes. */
const answerMax = 1 << 28

/**
 * The one way in which git is started: it answers, and runs nothing that the repository names. Undefined where there is
 * no git, no repository, or the answer is no.
 * @throws {UsageError} if git gives no whole answer, or cannot be kept from running the repository's programs.
 */
export function git(root: string, command: GitCommand, input?: string): string | undefined {
  const settings = neutralOf(root)
  if (settings === undefined) return undefined
  const { status, stdout } = started(root, command, input, settings)
  return status === 0 || (status === 1 && command[0] === 'check-ignore') ? stdout : undefined
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
export function gitStream(root: string, command: GitCommand): GitStream | undefined {
  const settings = neutralOf(root)
  if (settings === undefined) return undefined
  const { words, env } = called(command, settings)
  const child = spawn('git', words, { cwd: root, env, stdio: ['pipe', 'pipe', 'ignore'] })
  const { stdin, stdout } = child as ChildProcessByStdio<Writable, Readable, null>
  // It may end before it has read all.
  stdin.on('error', () => undefined)
  const ended = new Promise<number | null>((resolve) => {
    child.once('close', resolve)
    child.once('error', () => resolve(null))
  })
  return { output: stdout, input: stdin, ended, stop: () => child.kill() }
}

/** Settings that keep git from running programs, and the way in which this git takes them. */
interface Neutral {
  readonly settings: readonly Setting[]
  /** By the environment, which takes any name. A git before 2.31 takes them only as arguments. */
  readonly isByEnvironment: boolean
}

/** Programs that git runs on the content of files. An empty filter is not one. */
const drivers = 'filter\\..*\\.(clean|smudge|process|required)|diff\\..*\\.(textconv|command)|merge\\..*\\.driver'
/** A setting that no git knows, by which one shows that it takes settings from its environment. */
const seen: Setting = ['mappa.seen', 'true']

/** Settings that take from the repository what it would have git start. Undefined where that is not known. */
function neutralOf(root: string): Neutral | undefined {
  const kept = neutral.get(root)
  if (kept && Date.now() - kept.time < neutralMax) return kept.neutral
  const question = ['--null', '--name-only', '--get-regexp', `^(mappa\\.seen|${drivers})$`]
  const asked = { settings: [...off, seen], isByEnvironment: true }
  const { status, stdout } = started(root, ['config', ...question], undefined, asked)
  // After any other status but 1, which says that nothing matches, a driver may have been missed.
  if (status !== 0 && status !== 1) return undefined
  const names = new Set(stdout.split('\0').filter((name) => name !== ''))
  const isByEnvironment = names.delete(seen[0])
  const odd = isByEnvironment ? undefined : [...names].find((name) => name.includes('='))
  if (odd !== undefined)
    throw new UsageError(
      `This git cannot switch off ${printable(odd)}, a program that this repository names. Install git 2.31 or later.`,
    )
  const found = { settings: [...off, ...[...names].map((name): Setting => [name, ''])], isByEnvironment }
  neutral.set(root, { neutral: found, time: Date.now() })
  return found
}

/** How long one answer about a repository is kept. Milliseconds. */
const neutralMax = 500
const neutral = new Map<string, { readonly neutral: Neutral; readonly time: number }>()

/** The arguments and the environment of a call. */
function called([name, ...rest]: GitCommand, { settings, isByEnvironment }: Neutral) {
  const given = isByEnvironment ? [] : settings.flatMap(([key, value]) => ['-c', `${key}=${value}`])
  const env: NodeJS.ProcessEnv = { ...process.env, ...environment }
  if (isByEnvironment) appendSettings(env, settings)
  return { words: ['--no-pager', ...given, name, ...plainOptions[name], ...rest], env }
}

/** Adds settings behind those that the caller's environment holds, such as a `safe.directory`. A count that is not one ends git. */
function appendSettings(env: NodeJS.ProcessEnv, settings: readonly Setting[]): void {
  const count = env.GIT_CONFIG_COUNT || '0'
  if (!/^\d{1,6}$/.test(count)) return
  for (const [at, [name, value]] of settings.entries()) {
    env[`GIT_CONFIG_KEY_${Number(count) + at}`] = name
    env[`GIT_CONFIG_VALUE_${Number(count) + at}`] = value
  }
  env.GIT_CONFIG_COUNT = String(Number(count) + settings.length)
}

function started(root: string, command: GitCommand, input: string | undefined, neutral: Neutral) {
  const { words, env } = called(command, neutral)
  const { status, stdout, error, signal } = spawn.sync('git', words, {
    cwd: root,
    encoding: 'utf8',
    maxBuffer: answerMax,
    timeout: gitMax,
    env,
    stdio: ['pipe', 'pipe', 'ignore'],
    input: input ?? '',
  })
  const code = (error as NodeJS.ErrnoException | undefined)?.code
  // Half an answer must not be taken for all of it.
  if (code === 'ENOBUFS') throw new UsageError(`git ${command[0]} has too much to say here (over 256 MiB).`)
  if (code === 'ETIMEDOUT') throw new UsageError(`git ${command[0]} did not end within a minute here.`)
  if (signal) throw new UsageError(`git ${command[0]} was ended by ${signal}.`)
  return { status, stdout: stdout ?? '' }
}
