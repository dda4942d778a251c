import { spawn } from 'node:child_process'
import { mkdirSync, mkdtempSync, rmSync, symlinkSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { dirname, join } from 'node:path'
import { after } from 'node:test'
import { fileURLToPath } from 'node:url'

/** The top of the checkout. */
export const top = fileURLToPath(new URL('..', import.meta.url))

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

/** Milliseconds after which a program is taken to hang, and ended. */
const hangMax = 120_000

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

/** Runs the command `mappa`. */
export function mappa(args: readonly string[], options: Parameters<typeof node>[1]): Promise<Ended> {
  return node([bin, ...args], options)
}
