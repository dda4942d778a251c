import { basename, join } from 'node:path'
import { printable } from 'mappa'
import { readTextFile } from 'mappa/command'
import { findRoot } from 'mappa/node'
import { counted } from '../declared/counted.js'
import { diffText } from '../terminal/diff.js'
import { say } from '../terminal/say.js'
import { output, talk } from '../terminal/terminal.js'
import { exitCodes } from '../terminal/usage-error.js'
import type { Recovered } from '../writing/recover.js'
import {
  endOpenWrites,
  type FileWrite,
  hasLeftOpen,
  WriteError,
  type WriteOptions,
  writeFiles,
} from '../writing/write.js'
import type { Project } from './project.js'

/** The text of a file below the root; undefined if it is not there. */
export function textIn(root: string, path: string): string | undefined {
  const text = readTextFile(join(root, path), path)
  if (typeof text !== 'object') return text
  throw new WriteError(`${text.message} ${text.remedy}`, path)
}

/** Says what became of a write that another process had left open. */
export function tellRecovered({ command, outcome, files, left }: Recovered): void {
  const stays = left.length === 0 ? '' : ` Changed since, so left as it is: ${left.map(printable).join(', ')}.`
  const what =
    files === 0 && outcome === 'finished'
      ? 'All of its changes are there'
      : `Its changes were ${outcome}: ${counted(files, 'file')}`
  say(`${command} was interrupted. ${what}.${stays}`)
}

/** Tells that a file with secrets is one that others of this machine may read; its mode may be meant. */
export function tellReadable(path: string): void {
  say(`Other users of this machine can read ${printable(basename(path))}. Run: chmod go-r ${printable(basename(path))}`)
}

/** Takes back what a process that was killed has left half written in a project. */
export async function endLeftOpen(named: string | undefined): Promise<void> {
  const { directory } = findRoot({ root: named, environmentRoot: process.env.MAPPA_ROOT })
  if (!hasLeftOpen(directory)) return
  await telling(async () => {
    await endOpenWrites(directory, { onRecovered: tellRecovered, onReadable: tellReadable })
    return { exitCode: exitCodes.fine }
  })
}

/** The legend's file as it was read, for what is made from it. */
export function legendAsRead({ root, legendFile, legendText }: Project): WriteOptions {
  return legendFile === undefined || legendText === undefined
    ? {}
    : { madeFrom: [{ path: join(root, legendFile), before: legendText }] }
}

interface MadeOptions extends WriteOptions {
  readonly hidden?: readonly string[]
  readonly beside?: readonly FileWrite[]
}

/**
 * Writes a file that a command makes, showing what changes of one that is there, with texts that are `hidden` masked. `said`
 * is the last line; what goes `beside` it is written with it and not shown.
 */
export async function writeMade(
  root: string,
  change: { readonly path: string; readonly before: string | undefined; readonly after: string },
  said: string,
  { hidden = [], beside = [], ...options }: MadeOptions = {},
): Promise<{ exitCode: number }> {
  const { path, after } = change
  const before = change.before ?? null
  const terminal = output()
  if (before === after) {
    await writeFiles(beside, root, { ...options, onRecovered: tellRecovered, onReadable: tellReadable })
    terminal.write(`${path} is up to date.\n`)
    return { exitCode: exitCodes.fine }
  }
  const writes = [{ path: join(root, path), text: after, before }, ...beside]
  await writeFiles(writes, root, { ...options, onRecovered: tellRecovered, onReadable: tellReadable })
  if (before !== null) terminal.write(`${diffText([{ path, before, after }], hidden, terminal)}\n`)
  terminal.write(`${said}\n`)
  return { exitCode: exitCodes.fine }
}

/** Runs what reads and writes files; a failure becomes a sentence. */
export async function telling(action: () => Promise<{ exitCode: number }>): Promise<{ exitCode: number }> {
  try {
    return await action()
  } catch (error) {
    if (!(error instanceof WriteError)) throw error
    talk().write(`${error.message}\n`)
    return { exitCode: exitCodes.faults }
  }
}
